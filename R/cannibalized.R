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
#'   pages far down, one-day blips, and two pages that do well at the top are counted in `aside`.
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
  aside <- brand_left_out(summary, pairs)
  if (is.null(summary$contested)) {
    return(undated_cannibalized(summary, curve, pairs, aside, options))
  }
  contest <- summary$contested
  tested <- unique(pairs$query[pairs$tested])
  contest <- contest[contest$query %in% tested]
  if (!nrow(contest)) return(no_findings(aside))
  pages <- weighty_pages(contest)
  set(pages, j = "reason", value = same_page_versions(pages, summary))
  weighty <- pages[pages$reason == ""]
  several <- weighty[, .N, by = "query"]
  queries <- several$query[several$N > 1]
  light <- pages[pages$reason != "" & !pages$query %in% queries]
  aside <- rbind(aside, aside_lines(unique(light[, c("query", "reason")])))
  if (!length(queries)) return(no_findings(aside))

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
  aside <- rbind(aside, aside_lines(judged[judged$harm == "", c("query", "reason")]))
  judged <- judged[judged$harm != ""]
  if (!nrow(judged)) return(no_findings(aside))
  found <- cannibalized_findings(summary, curve, pairs, judged, options$page_one_views)
  none <- found$if_done <= 0
  set(judged, j = "reason", value = "two pages that compete, though one alone would bring no more")
  list(found = found[!none], aside = rbind(aside, aside_lines(judged[none])))
}

aside_lines <- function(rows) {
  if (!NROW(rows)) return(NULL)
  rows[, .(kind = "cannibalized", queries = length(unique(query))), by = "reason"][,
    c("kind", "reason", "queries")]
}

# Brand searches show several pages of a site on purpose.
brand_left_out <- function(summary, pairs) {
  several <- pairs[pairs$segment == "brand", .N, by = "query"]
  if (!any(several$N > 1)) return(NULL)
  data.table(kind = "cannibalized", reason = "brand queries that show several pages on purpose",
    queries = sum(several$N > 1))
}

# Where pages are shown together or take turns at one level, no day shows where one page would
# stand: what a merge brings is assumed (merge_rise, merge_best, merge_chance).

cannibalized_findings <- function(summary, curve, pairs, judged, views) {
  # A page that earns more from other queries than one page would bring is not redirected.
  clicks <- sum_codes(pairs$clicks, pairs$page, nrow(summary$pages))
  gives_way <- data.table(query = judged$query, page = judged$other)
  of_query <- pairs$clicks[pairs[gives_way, on = c("query", "page"), which = TRUE]]
  set(judged, j = "other_clicks",
    value = (clicks[judged$other] - fcoalesce(of_query, 0)) * per_month(summary))
  worth <- contest_done(summary, curve, judged, views)
  set(judged, j = "redirect",
    value = judged$merged & judged$other_clicks < assumed("redirect_share") * worth$done)
  claims <- lapply(seq_len(nrow(judged)), function(i) {
    which(pairs$query == judged$query[i] & pairs$page %in% judged$pages[[i]])
  })
  shown <- function(code) summary$pages$page[code]
  total <- rbindlist(lapply(claims, function(rows) {
    list(clicks = sum(pairs$clicks[rows]), impressions = sum(pairs$impressions[rows]),
      weighted = sum(pairs$impressions[rows] * pairs$position[rows]),
      expected = sum(pairs$expected[rows]))
  }))
  data.table(
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
    action = cannibalized_words(summary, judged, "action"),
    reason = cannibalized_words(summary, judged, "reason"),
    claims = claims,
    identity = paste("cannibalized", summary$queries$key[judged$query]),
    work = paste("cannibalized", summary$pages$key[judged$keep], summary$pages$key[judged$other]),
    how = contest_steps(summary, judged, worth))
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

contest_steps <- function(summary, judged, worth) {
  step_lines(sprintf(
    "searches in the window: %s; today the pages are expected to have %.2f clicks on the curve",
    format_count(judged$searches), judged$expected),
    sprintf(paste("own factor = (1/spread + clicks) / (1/spread + expected) = (%.2f + %s) /",
      "(%.2f + %.2f) = %.3f"),
      1 / worth$spread, format_count(judged$clicks), 1 / worth$spread, judged$expected, worth$own),
    sprintf("one page at position %.2f: %s searches x %s%.4f on the curve = %.2f clicks",
      judged$held, format_count(judged$searches),
      ifelse(worth$wider > 1, sprintf("%.2f (page one to page two) x ", worth$wider), ""),
      worth$at_held / judged$searches / worth$wider, worth$at_held),
    sprintf("if done = (%.2f x %.3f - %.2f x %.3f) x 30 / %d = %.2f", worth$at_held, worth$factor,
      judged$expected, worth$own, as.integer(summary$recent$with_data), worth$done),
    ifelse(judged$merged, sprintf(paste(
      "where one page would stand is assumed: from no rise to position %.2f, %.2f",
      "clicks, and what is unsure of those"),
      judged$held * assumed("merge_best") / assumed("merge_rise"), worth$at_best),
      ""),
    confidence_line(judged))
}

# How sure each kind of harm is. judged$confidence of a wrong leader: see passed_by_chance().
confidence_line <- function(judged) {
  before <- assumed("mismatch_share") / (1 - assumed("mismatch_share"))
  odds <- judged$confidence / (1 - judged$confidence)
  fcase(judged$harm == "swapping", sprintf(paste(
    "confidence: chance that the lead changes hands, by the course of its days, %.3f, times that",
    "it goes on to, %.3f: %.3f"),
    judged$confidence / judged$goes_on, judged$goes_on, judged$confidence),
    judged$harm == "wrong page leads" & judged$intended,
    "confidence: the page that should lead is named: 1", judged$harm == "wrong page leads",
    sprintf(paste("confidence: %s clicks of %.2f expected on the leading page and %s of",
      "%.2f on the other are %.3g times as likely where the leader is clicked",
      "%.2f times as often as it should be; odds %g / %g x %.3g = %.3g, a", "chance of %.3f"),
      format_count(judged$leader_clicks), judged$leader_expected,
      format_count(judged$clicks - judged$leader_clicks), judged$expected - judged$leader_expected,
      odds / before, assumed("mismatch_factor"), assumed("mismatch_share"),
      1 - assumed("mismatch_share"), odds / before, odds, judged$confidence),
    rep(TRUE, nrow(judged)), sprintf("confidence: taken as %.3f", judged$confidence))
}
