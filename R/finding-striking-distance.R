# Striking distance: pairs close to the next worthwhile position. From page two the next step is
# page one (position 8), from the rest of page one the top three. The gain carries the pair's own
# factor along the curve and is multiplied by the chance of getting there; number one is promised to
# nobody.

#' Striking distance
#'
#' A kind of finding, `striking_distance`: a query x page pair close to the next worthwhile step,
#' which is page one from page two, else the top three, or the `target` that was asked for.
#'
#' @section Definition: the average position lies in `band`, by more than its uncertainty, and
#'   the query is not clicked far below the curve already, where a better position would bring
#'   little. `confidence` is the probability that the true position lies in the band.
#' @section Formula: if done = the query's own factor carried along the curve to the target, less
#'   what it earns today, for 30 days. Impressions grow where the step leads
#'   to page one: by what the site's own queries did that were on both pages, drawn to a default
#'   of 1.5; search volume, where known, is a ceiling. The chance is 0.35 x target / position;
#'   with four months of history or more it goes half of the way (in log odds) to the share of
#'   this site's queries that rose so far in three months by themselves, by position, trend and
#'   queries on the page (a logistic fit).
#'
#'   In a table without days or without pages an average position may mix near and far places.
#'   Beyond page one (and before, where the table does not tell what a place earns), and where a
#'   query has more clicks than one in a hundred would, clicks above the curve are taken to come
#'   from the near places: the factor is 1, and what the query earns today is its clicks.
#' @section Do not trust it when: nothing is done; the default chance is for queries that are
#'   worked on. Where several pages of the site answer the query, see [cannibalized] first.
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `striking_distance`.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = "striking_distance", band = c(4, 20))
#' tide_find(summary, kind = "striking_distance", target = "+3")
#' @seealso [tide_find()]
#' @name striking_distance
NULL

# Where else a step should lead can be named: one position for all, or so many places ("+3").
next_step <- function(position, target = "next") {
  if (identical(target, "next")) {
    beyond <- position > assumed("page_one_ends")
    return(ifelse(beyond, assumed("target_from_page_two"), assumed("target_from_page_one")))
  }
  if (is.numeric(target)) return(rep_len(target, length(position)))
  pmax(1, position - as.numeric(sub("^[+]", "", target)))
}

# "next", a position, or places such as "+3"; anything else is refused.
check_target <- function(target) {
  number <- suppressWarnings(as.numeric(target))
  if (length(target) != 1 || is.na(target) ||
      !(identical(target, "next") || !is.na(number) && number >= 1 && number <= 50)) {
    abort_argument("target",
      "\"next\", a position from 1 to 50, or a number of places such as \"+3\"", target)
  }
  if (is.character(target) && !is.na(number) && !startsWith(target, "+")) number else target
}

find_striking_distance <- function(summary, curve, pairs, options) {
  band <- options$band
  target <- next_step(pairs$position, options$target)
  rows <- which(pairs$tested & pairs$position >= band[1] & pairs$position <= band[2] &
    pairs$position >= target + 0.5)
  if (!length(rows)) return(no_findings())
  at <- pairs[rows]
  target <- target[rows]
  stride <- step_up(summary, curve, at, target, options$target, options$page_one_views)
  lasts <- in_band(at, band)
  clicked <- stats::pgamma(assumed("striking_factor"), at$shape, at$rate, lower.tail = FALSE)
  confidence <- lasts * clicked
  keep <- which(stride$more > 0 & stride$done$done >= options$least)
  if (!length(keep)) return(no_findings())
  stride <- subset_steps(stride, keep)
  at <- at[keep]
  list(found = pair_findings("striking_distance", summary, pairs, rows[keep], stride$done,
    confidence[keep], stride$reach),
    facts = c(striking_facts(summary, pairs, at, target[keep], stride),
      step_up_derivation(summary, at, target[keep], stride, new_facts("derivation",
        "striking_confidence", seq_along(keep), from_factor = assumed("striking_factor"),
        lasts = lasts[keep], clicked = clicked[keep], confidence = confidence[keep]))))
}

# What a step to `target` is worth: the pair's own factor carried along the curve, with the
# impressions that page one has beyond page two. Search volume, where known, is a ceiling on a
# month's impressions. Out: list(done (with low and high, per 30 days), more (clicks over the
# window), there, reach (the chance of it), wider, and how that chance came about).
step_up <- function(summary, curve, at, target, rule = "next", views = page_one_views(summary)) {
  # What the results page takes, it takes at any place.
  there <- curve_ctr(curve, target, at$segment, at$rows, at$impressions) * at$taken *
    at$audience
  chance <- reach_chance(summary, at, target, learn_reach(summary$course, rule))
  reach <- chance$chance
  page_one <- assumed("page_one_ends")
  wider <- ifelse(at$position > page_one & target <= page_one, views, 1)
  seen <- at$impressions * wider
  volume <- summary$queries[["volume"]]
  if (!is.null(volume)) {
    seen <- pmax(at$impressions,
      pmin(seen, fcoalesce(as.numeric(volume[at$query]), Inf) / per_month(summary)))
  }
  today <- ifelse(at$mixed, at$clicks, at$expected)
  more <- seen * there - today
  average <- at$own * more
  # Relative errors: own factor, both ends of the curve, by how much the query's own curve falls
  # otherwise than that of all, and how much more page one is seen.
  of_there <- 2 * at$curve_se^2 + assumed("step_slope_sd")^2 +
    ifelse(wider > 1, assumed("page_one_views_sd")^2, 0)
  relative <- pmin(50, sqrt(1 / at$shape + of_there * (seen * there / pmax(more, 1e-9))^2))
  # On a flat curve the relative error has no bound; nobody can be clicked more often than seen.
  most <- pmax(seen - at$clicks, average)
  ends <- list(low = average * exp(-stats::qnorm(0.95) * relative),
    high = pmin(average * exp(stats::qnorm(0.95) * relative), most))
  # Where today's clicks are taken as they are, only those of the step are in doubt.
  added <- done_interval(more, seen * there * sqrt(1 / at$shape + of_there))
  ends <- Map(function(own, of_mixed) ifelse(at$mixed, of_mixed, own), ends,
    added[c("low", "high")])
  done <- lapply(c(list(done = average), ends), `*`, per_month(summary))
  list(done = done, more = more, today = today, there = there, reach = reach,
    wider = seen / at$impressions, default = chance$default, features = chance$features,
    learnt = chance$learnt)
}

# The steps of some of the pairs.
subset_steps <- function(step, which) {
  c(list(done = lapply(step$done, `[`, which)),
    lapply(step[c("more", "today", "there", "reach", "wider", "default")], `[`, which),
    list(features = step$features[which, , drop = FALSE], learnt = step$learnt))
}

# Other pages of the site that hold a tenth of the query's impressions or more.
competing_pages <- function(pairs, at) {
  shares <- pairs[pairs$query %in% at$query, c("query", "page", "impressions")]
  shares[, "share" := impressions / sum(impressions), by = "query"]
  counts <- shares[shares$share >= 0.1, .N, by = "query"]
  fcoalesce(counts$N[match(at$query, counts$query)], 1L) - 1L
}

# The pair's position over the first and the last month of the recent weeks: NA where there are too
# few.
position_trend <- function(summary, at) {
  last <- summary$recent$days %/% 7L
  if (is.null(summary$weekly) || last < 8) {
    return(data.table(first = rep(NA_real_, nrow(at)), last = NA_real_))
  }
  data.table(first = pair_weeks(summary, at, 1:4)$position,
    last = pair_weeks(summary, at, last - 3:0)$position)
}

# Chance that the pair's lasting position lies in the band, from its spread between cells; a dozen
# looks at most count as independent.
in_band <- function(at, band) {
  looks <- pmin(at$impressions, assumed("lasting_looks"))
  se <- sqrt((at$spread^2 + 0.5^2) / looks)
  stats::pnorm((band[2] + 0.5 - at$position) / se) -
    stats::pnorm((max(band[1] - 0.5, 3) - at$position) / se)
}

# Striking distance: where it stands, what the step could bring, why, doubt, the step, and the
# arithmetic.

striking_facts <- function(summary, pairs, at, target, step) {
  one_line <- seq_len(nrow(at))
  rivals <- competing_pages(pairs, at)
  trend <- position_trend(summary, at)
  moved <- fcoalesce(trend$first / trend$last, 1)
  c(
    new_facts("evidence", "position_and_target", one_line, position = at$position,
      impressions = at$impressions, clicks = at$clicks, window = window_days(summary),
      target = target, clicks_then = at$impressions * step$wider * step$there * at$own,
      wider = ifelse(step$wider > 1.05, step$wider, NA)),
    new_facts("points_to", fcase(moved > 1.15, "position_improved", moved < 1 / 1.15,
      "position_fell", rep(TRUE, nrow(at)), ""),
      one_line, first = trend$first, last = trend$last, window = window_days(summary)),
    new_facts("points_to", ifelse(at$own > 1.2, "ctr_above", ""), one_line, times = at$own),
    new_facts("doubt", ifelse(rivals > 0, "doubt_other_pages", ""), one_line, rivals = rivals),
    step_up_step(summary, pairs, at, target, one_line))
}

step_up_step <- function(summary, pairs, at, target, line) {
  address <- summary$pages$page[at$page]
  if (isTRUE(summary$of_pages)) return(new_facts("step", "go_deeper_page", line, page = address))
  # Links with the exact words of the query can put the linking page in front, so they vary.
  new_facts("step", ifelse(target <= assumed("top_three_ends"), "go_deeper", "own_passage"), line,
    query = summary$queries$query[at$query], page = address,
    lacks = empty_unknown(words_title_lacks(summary, at)),
    sources = link_sources(summary, pairs, at))
}

# What a step up is made of; sure: what is told of its confidence (new_facts()).
step_up_derivation <- function(summary, at, target, step, sure) {
  one_line <- seq_len(nrow(at))
  tell <- function(code, ...) new_facts("derivation", code, one_line, ...)
  there <- at$impressions * step$wider * step$there
  c(tell("expected_on_curve", expected = at$expected), own_factor_facts(at),
    tell("step_there", target = target, impressions = at$impressions, wider = step$wider,
      curve = step$there, expected = there),
    tell("step_done", own = at$own, there = there, today_clicks = step$today,
      days = summary$recent$with_data, if_done = step$done$done),
    step_chance_facts(at, target, step), sure)
}

# Pages that get clicks from queries which share telling words with a query, as a list: up to two a
# query, not those that are shown for it themselves. looked: the pairs with most clicks are looked
# at.
link_sources <- function(summary, pairs, at, looked = 20000L) {
  none <- rep(list(character()), nrow(at))
  if (nrow(summary$pages) < 3 || !nrow(at)) return(none)
  asked <- word_table(summary$queries$key[at$query], function_words)
  known <- pairs[which(pairs$clicks > 0), c("query", "page", "clicks")]
  if (nrow(known) > looked) {
    known <- known[order(known$clicks, decreasing = TRUE)[seq_len(looked)]]
  }
  queries <- unique(known$query)
  words <- word_table(summary$queries$key[queries], function_words)
  words <- words[words$word %in% asked$word]
  set(words, j = "query", value = queries[words$query])
  matches <- known[words, on = "query", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(matches)) return(none)
  by_word <- sums_by(matches, c("word", "page"), "clicks")
  pages_of <- sums_by(by_word, "word", "clicks", count = "pages")
  pages <- pages_of$pages[match(by_word$word, pages_of$word)]
  # A word on many pages names no topic.
  by_word <- by_word[pages <= pmax(5, 0.1 * nrow(summary$pages)) & pages > 1]
  setorderv(by_word, c("word", "clicks"), c(1L, -1L))
  by_word <- by_word[rowid(by_word$word) <= 8]
  near <- by_word[asked, on = "word", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(near)) return(none)
  near <- sums_by(near, c("query", "page"), "clicks")
  setnames(near, "query", "row")
  competing <- data.table(query = at$query[near$row], page = near$page)
  shown <- pairs[competing, on = c("query", "page"), which = TRUE]
  near <- near[is.na(shown)]
  setorderv(near, c("row", "clicks", "page"), c(1L, -1L, 1L))
  near <- near[rowid(near$row) <= 2]
  by_row <- split(summary$pages$page[near$page], near$row)
  replace(none, as.integer(names(by_row)), unname(by_row))
}
