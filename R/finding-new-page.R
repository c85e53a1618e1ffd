# New pages: queries for which the site is shown far down only, on whatever page touches the topic.
# No page of the site answers them; queries that share words are one idea.

#' Idea for a page
#'
#' A kind of finding, `new_page`: queries for which the site is shown beyond position 40 only, on
#' whatever page touches the topic. Queries about one subject are one idea: the subject is the word
#' that sets pages of the site apart, of queries about none of these the word that most of them hold
#' and that leads to one page. A query whose page names its telling words in address or title is
#' answered, if badly, and no idea.
#'
#' @section Formula: if done = clicks of all queries of the idea at position 12 on the curve, for
#'   30 days; `confidence` is 0.6 throughout, since nothing on the site
#'   tells more.
#' @section Do not trust it when: the words are not the site's subject. The gain is known to a
#'   factor of three.
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `new_page`.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = "new_page", min_gain = 0)
#' @seealso [tide_find()]
#' @name new_page
NULL

# What a page written for it may reach, and how likely that is within some months. Assumptions.

find_new_page <- function(summary, curve, pairs, options) {
  nearest <- rep(Inf, nrow(summary$queries))
  closest <- pairs[order(pairs$position), c("query", "position")]
  closest <- closest[!duplicated(closest$query)]
  nearest[closest$query] <- closest$position
  rows <- which(pairs$tested & nearest[pairs$query] > assumed("new_page_from") &
    pairs$impressions >= assumed("idea_impressions"))
  if (!length(rows)) return(no_findings())
  answered <- names_all_words(summary, pairs, rows)
  excluded <- if (any(answered)) {
    new_excluded("new_page", "page_names_it", list(unique(pairs$query[rows[answered]])))
  }
  rows <- rows[!answered]
  if (!length(rows)) return(no_findings(excluded))
  at <- pairs[rows]
  earns <- at$impressions * curve_ctr(curve, rep(assumed("new_page_reaches"), length(rows)),
    at$segment, at$rows, at$impressions)
  ideas <- idea_sums(summary, at, earns, rows, subject_ideas(summary$queries$key,
    leading_pages(pairs, nrow(summary$queries)), at$query), options$least)
  if (!nrow(ideas)) return(no_findings(excluded))
  list(excluded = excluded, found = data.table(
    kind = "new_page", query = ideas$query, page = ideas$page, pages = ideas$page,
    clicks = ideas$clicks, impressions = ideas$impressions,
    ctr = ideas$clicks / ideas$impressions, position = ideas$position,
    expected_ctr = ideas$expected / ideas$impressions, if_done = ideas$done,
    if_done_low = ideas$done * assumed("new_page_low"),
    if_done_high = ideas$done * assumed("new_page_high"),
    confidence = assumed("new_page_confidence"), chance = assumed("new_page_chance"),
    claims = ideas$claims, finding_key = paste("new_page", ideas$idea),
    task_key = paste("new_page", ideas$idea)),
    facts = new_page_facts(summary, ideas))
}

# Ideas worth at least so many clicks a month: the sums of their queries, each named after the one
# with most impressions. at: pairs, `rows` by number; what each `earns`; the idea of each.
idea_sums <- function(summary, at, earns, rows, ideas, least) {
  of <- factor(ideas)
  sums <- sums_by(data.table(code = as.integer(of), at[, c("clicks", "impressions", "expected")],
    weighted = at$impressions * at$position, earned = earns), "code",
    c("clicks", "impressions", "expected", "weighted", "earned"))
  set(sums, j = c("idea", "position", "done"), value = list(levels(of)[sums$code],
    sums$weighted / sums$impressions, sums$earned * per_month(summary)))
  worth <- sums$done >= least
  sums <- setorderv(sums[worth], "code")
  larger <- order(-at$impressions)
  own <- split(larger, factor(as.integer(of)[larger], sums$code))
  queries <- lapply(own, function(of_idea) unique(at$query[of_idea]))
  first <- vapply(own, `[`, 0L, 1L)
  name_texts <- summary$queries$query
  volume <- summary$queries[["volume"]]
  set(sums, j = c("query", "page", "queries", "others", "volume", "claims"), value = list(
    name_texts[at$query[first]], summary$pages$page[at$page[first]], lengths(queries),
    lapply(queries, function(codes) utils::head(unique(name_texts[codes]), 4)[-1]),
    vapply(queries, function(codes) sum(volume[codes], na.rm = TRUE), 0),
    lapply(own, function(of_idea) rows[sort(of_idea)])))
}

# Which of these pairs' queries a page shown for them names, in its address or title.
names_all_words <- function(summary, pairs, rows) {
  queries <- unique(pairs$query[rows])
  words <- word_table(summary$queries$key[queries])
  set(words, j = "query", value = queries[words$query])
  shown <- unique(pairs[pairs$query %in% queries, c("query", "page")])
  each <- words[shown, on = "query", allow.cartesian = TRUE, nomatch = NULL]
  if (!nrow(each)) return(logical(length(rows)))
  set(each, j = "named", value = in_address(each$word, each$page, summary$pages))
  whole <- each[, .(share = mean(named), words = .N), by = c("query", "page")]
  pairs$query[rows] %in% whole$query[whole$words >= 2 & whole$share >= assumed("page_names_share")]
}

new_page_facts <- function(summary, ideas) {
  one_line <- seq_len(nrow(ideas))
  c(
    new_facts("evidence", "far_down", one_line, position = ideas$position, queries = ideas$queries,
      impressions = ideas$impressions, window = window_days(summary)),
    new_facts("comparison", "nothing_answers", one_line, queries = ideas$queries,
      others = empty_unknown(ideas$others), volume = ifelse(ideas$volume > 0, ideas$volume, NA)),
    new_facts("step", "write_page", one_line, query = ideas$query, page = ideas$page),
    new_facts("derivation", "new_page_there", one_line, place = assumed("new_page_reaches"),
      impressions = ideas$impressions, expected = ideas$earned),
    new_facts("derivation", "new_page_done", one_line, expected = ideas$earned,
      days = summary$recent$with_data, if_done = ideas$done),
    new_facts("derivation", "new_page_confidence", one_line,
      confidence = assumed("new_page_confidence")))
}
