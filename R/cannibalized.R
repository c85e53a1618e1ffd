# Cannibalized: several pages of the site compete for one query and hold it back. Most queries with
# two pages are harmless; what is harmless is counted by reason, and what is harmful is split
# by who leads when.

#' Cannibalized
#'
#' A kind of finding, `cannibalized`: several pages answer one query and do each other harm. They
#' take turns in the lead, are shown together below the top, or the page leads whose words match
#' less.
#'
#' @section Definition: Pages that matter have a tenth of the query's impressions, on a seventh
#'   of its days. A *swap*: each led for days on end, twice or more, or the lead falls to either
#'   from day to day; `confidence` is the probability of that by a hidden Markov chain over the
#'   days, against one page leading throughout. *Splitting*: most weeks show both, near each
#'   other and none near the top. *Wrong page leads*: the leader's words match less and it is
#'   passed by; `confidence` from how often both are clicked against the curve, a share of 0.3 of
#'   such leaders taken to be clicked about half as often as they should. Where the intended page is
#'   named (see [tide_rules()]), it is the one to keep, and another that leads is wrong for sure.
#' @section Formula: if done = clicks of the query at the better page's position with all searches,
#'   less today's, for 30 days. Where pages are shown together or take turns at one level, no day
#'   shows where one page would stand: merged they are taken to rise by a third of their
#'   position, and the interval reaches from nothing to a rise by half.
#' @section Not listed: links of one page, tracking copies, language versions, brand site links,
#'   pages far down, one-day blips, and two pages that do well at the top are counted in `excluded`.
#' @section Do not trust it when: there are no dates; close pages below the top are named then,
#'   in doubt. A contest counts as settled, and is left out, where the page to keep has had the lead
#'   for much longer than leads lasted before.
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `cannibalized`.
#' @references Rabiner (1989), Proceedings of the IEEE 77, 257-286.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = "cannibalized", min_gain = 0)
#' @seealso [tide_find()]
#' @name cannibalized
NULL

find_cannibalized <- function(summary, curve, pairs, options) {
  excluded <- brand_excluded(summary, pairs)
  if (is.null(summary$contested)) {
    return(undated_cannibalized(summary, curve, pairs, excluded, options))
  }
  contest <- summary$contested
  tested <- unique(pairs$query[pairs$tested])
  contest <- contest[contest$query %in% tested]
  if (!nrow(contest)) return(no_findings(excluded))
  pages <- weighty_pages(contest)
  set(pages, j = "reason", value = same_page_versions(pages, summary))
  weighty <- pages[pages$reason == ""]
  several <- weighty[, .N, by = "query"]
  queries <- several$query[several$N > 1]
  light <- pages[pages$reason != "" & !pages$query %in% queries]
  excluded <- c(excluded, contests_excluded(unique(light[, c("query", "reason")])))
  if (!length(queries)) return(no_findings(excluded))

  rivals <- rival_days(expect_days(
    contest[weighty[weighty$query %in% queries, c("query", "page")], on = c("query", "page")],
    summary, curve))
  course <- lead_probabilities(chances_ahead(rivals), rivals$dates)
  fits <- page_fits(summary, unique(rivals$totals[, c("query", "page")]),
    options$pages)
  judged <- test_contests(rivals, course, fits,
    spread_at(curve, rivals$first$position, summary$queries$segment[rivals$queries]),
    beneath_other(rivals$first$page, rivals$second$page, summary$pages$page),
    options$intended[rivals$queries])
  pages <- split(rivals$totals$page, rivals$totals$query)
  set(judged, j = "pages", value = unname(pages[as.character(judged$query)]))
  excluded <- c(excluded, contests_excluded(judged[judged$harm == "", c("query", "reason")]))
  judged <- judged[judged$harm != ""]
  if (!nrow(judged)) return(no_findings(excluded))
  cannibalized_findings(summary, curve, pairs, judged, excluded, options$page_one_views)
}

# How many queries each reason leaves out.
contests_excluded <- function(rows) {
  if (!NROW(rows)) return(NULL)
  counts <- rows[, .(queries = length(unique(query))), by = "reason"]
  new_facts("excluded", counts$reason, rep("cannibalized", nrow(counts)), queries = counts$queries)
}

# Brand searches show several pages of a site on purpose.
brand_excluded <- function(summary, pairs) {
  several <- pairs[pairs$segment == "brand", .N, by = "query"]
  many <- sum(several$N > 1)
  if (many) new_facts("excluded", "brand_on_purpose", "cannibalized", queries = many)
}

# Where pages are shown together or take turns at one level, no day shows where one page would
# stand: what a merge brings is assumed (merge_rise, merge_best, merge_chance).

cannibalized_findings <- function(summary, curve, pairs, judged, excluded, views) {
  # A page that earns more from other queries than one page would bring is not redirected.
  clicks <- sum_codes(pairs$clicks, pairs$page, nrow(summary$pages))
  gives_way <- data.table(query = judged$query, page = judged$other)
  of_query <- pairs$clicks[pairs[gives_way, on = c("query", "page"), which = TRUE]]
  set(judged, j = "other_clicks",
    value = (clicks[judged$other] - fcoalesce(of_query, 0)) * per_month(summary))
  worth <- setDT(contest_done(summary, curve, judged, views))
  set(judged, j = "redirect",
    value = judged$merged & judged$other_clicks < assumed("redirect_share") * worth$done)
  brings <- worth$done > 0
  set(judged, j = "reason", value = "one_brings_no_more")
  excluded <- c(excluded, contests_excluded(judged[!brings]))
  judged <- judged[brings]
  worth <- worth[brings]
  if (!nrow(judged)) return(no_findings(excluded))
  claims <- lapply(seq_len(nrow(judged)), function(i) {
    which(pairs$query == judged$query[i] & pairs$page %in% judged$pages[[i]])
  })
  shown <- function(code) summary$pages$page[code]
  total <- rbindlist(lapply(claims, function(rows) {
    list(clicks = sum(pairs$clicks[rows]), impressions = sum(pairs$impressions[rows]),
      weighted = sum(pairs$impressions[rows] * pairs$position[rows]),
      expected = sum(pairs$expected[rows]))
  }))
  found <- data.table(
    kind = "cannibalized",
    query = summary$queries$query[judged$query],
    page = shown(judged$keep),
    pages = mapply(function(keep, all) paste(shown(c(keep, setdiff(all, keep))), collapse = " "),
      judged$keep, judged$pages),
    clicks = total$clicks,
    impressions = total$impressions,
    ctr = total$clicks / total$impressions,
    position = total$weighted / total$impressions,
    expected_ctr = total$expected / total$impressions,
    if_done = worth$done,
    if_done_low = worth$low,
    if_done_high = worth$high,
    confidence = judged$confidence,
    chance = ifelse(judged$merged, assumed("merge_chance"), assumed("relink_chance")) *
      ifelse(judged$merged & !judged$redirect, assumed("relink_merges"), 1),
    claims = claims,
    identity = paste("cannibalized", summary$queries$key[judged$query]),
    work = paste("cannibalized", summary$pages$key[judged$keep], summary$pages$key[judged$other]))
  list(found = found, excluded = excluded, facts = c(contest_facts(summary, judged),
    contest_derivation(summary, judged, worth)))
}

# What one page alone would bring, per 30 days with the ends of the interval, and what that is made
# of. Both ends are on the curve and both with the query's own factor, so that its luck so far
# cancels out; where the wrong page leads, the right one has the usual factor instead. How many
# searches there are is known to a tenth or so, since pages shown together count one search twice.
contest_done <- function(summary, curve, judged, views) {
  segment <- summary$queries$segment[judged$query]
  nearest <- pmin(judged$stands, judged$held_other)
  spread <- spread_at(curve, nearest, segment)
  own <- mean_factor(judged$clicks, judged$expected, spread)
  wrong <- judged$harm == "wrong page leads"
  factor <- ifelse(wrong, 1, own)
  merged <- judged$merged
  # More people search on page one than on page two; what a day of swapping pages shows already
  # holds that.
  wider_at <- function(position) ifelse(
    merged & nearest > assumed("page_one_ends") & position <= assumed("page_one_ends"), views, 1)
  clicks_at <- function(position) {
    judged$searches * wider_at(position) * curve_ctr(curve, position, segment, 1, 100)
  }
  at_held <- clicks_at(judged$held)
  then <- at_held * factor
  sd <- sqrt(ifelse(wrong, then^2 * spread,
    ((at_held - judged$expected) * own)^2 / (1 / spread + judged$clicks)) +
    then^2 * (curve_log_se(curve, judged$held, segment)^2 + assumed("contest_sd")^2))
  done <- done_interval(then - own * judged$expected, sd)
  # Nobody knows where one page would stand: from where the better one is, to the best of rises.
  at_best <- clicks_at(judged$held * assumed("merge_best") / assumed("merge_rise"))
  done$low <- ifelse(merged, 0, done$low)
  done$high <- ifelse(merged, done$high + (at_best - at_held) * factor, done$high)
  c(lapply(done, `*`, per_month(summary)),
    list(spread = spread, own = own, factor = factor, wider = wider_at(judged$held),
      at_held = at_held, at_best = at_best))
}
