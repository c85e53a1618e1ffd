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
  looked <- judge_contests(summary, curve, pairs, options)
  # Every query with several pages is listed or left out with a reason.
  several <- pairs$query[pairs$tested]
  several <- unique(several[duplicated(several)])
  named <- unlist(lapply(looked$excluded, function(batch) unlist(batch$rows$codes)))
  rest <- setdiff(several, c(named, chmatch(looked$found$query, summary$queries$query)))
  looked$excluded <- c(looked$excluded, contests_excluded(data.table(query = rest,
    reason = rep("second_with_few_impressions", length(rest)))))
  looked
}

judge_contests <- function(summary, curve, pairs, options) {
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
  by_reason <- split(rows$query, factor(rows$reason, unique(rows$reason)))
  new_excluded("cannibalized", names(by_reason), lapply(unname(by_reason), unique))
}

# Brand searches show several pages of a site on purpose.
brand_excluded <- function(summary, pairs) {
  several <- pairs[pairs$segment == "brand", .N, by = "query"]
  several <- several$query[several$N > 1]
  if (length(several)) new_excluded("cannibalized", "brand_on_purpose", list(several))
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
    finding_key = paste("cannibalized", summary$queries$key[judged$query]),
    task_key = paste("cannibalized", summary$pages$key[judged$keep],
      summary$pages$key[judged$other]))
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
  ratio_of <- ifelse(wrong, 1, own)
  merged <- judged$merged
  # More people search on page one than on page two; what a day of swapping pages shows already
  # holds that.
  wider_at <- function(position) ifelse(
    merged & nearest > assumed("page_one_ends") & position <= assumed("page_one_ends"), views, 1)
  clicks_at <- function(position) {
    judged$searches * wider_at(position) * curve_ctr(curve, position, segment, 1, 100)
  }
  at_held <- clicks_at(judged$held)
  then <- at_held * ratio_of
  spread_sd <- sqrt(ifelse(wrong, then^2 * spread,
    ((at_held - judged$expected) * own)^2 / (1 / spread + judged$clicks)) +
    then^2 * (curve_log_se(curve, judged$held, segment)^2 + assumed("contest_sd")^2))
  done <- done_interval(then - own * judged$expected, spread_sd)
  # Nobody knows where one page would stand: from where the better one is, to the best of rises.
  at_best <- clicks_at(judged$held * assumed("merge_best") / assumed("merge_rise"))
  done$low <- ifelse(merged, 0, done$low)
  done$high <- ifelse(merged, done$high + (at_best - at_held) * ratio_of, done$high)
  c(lapply(done, `*`, per_month(summary)),
    list(spread = spread, own = own, factor = ratio_of, wider = wider_at(judged$held),
      at_held = at_held, at_best = at_best))
}

# Contests of a table without dates, where nobody can know whether pages swap or are shown together:
# pages that are close to each other in position and in weight are named, with the doubt in the
# confidence (a judgement: surer where neither is near the top nor rightly ahead). Whether the page
# leads whose words match less can be seen all the same.

undated_cannibalized <- function(summary, curve, pairs, excluded, options) {
  if (!anyDuplicated(pairs$query[pairs$tested])) return(no_findings(excluded))
  pages <- undated_pages(summary, pairs)
  weighty <- pages[pages$reason == ""]
  setorderv(weighty, c("query", "expected", "page"), c(1L, -1L, 1L))
  set(weighty, j = "place", value = rowid(weighty$query))
  two <- weighty[weighty$place == 1][weighty[weighty$place == 2], on = "query"]
  light <- unique(pages[pages$reason != "" & !pages$query %in% two$query, c("query", "reason")])
  if (!nrow(two)) return(no_findings(c(excluded, contests_excluded(light))))
  fits <- page_fits(summary, weighty[weighty$place <= 2, c("query", "page")], options$pages)
  fit_of <- function(page) fits$fit[match(paste(two$query, page), paste(fits$query, fits$page))]
  contests <- prefer_intended(data.table(page_first = two$page, page_second = two$i.page,
    fit_first = fit_of(two$page), fit_second = fit_of(two$i.page)),
    options$intended[two$query])
  judged <- test_undated(two, contests$fit_first, contests$fit_second, contests$known,
    spread_at(curve, two$position, summary$queries$segment[two$query]),
    beneath_other(two$page, two$i.page, summary$pages$page))
  excluded <- c(excluded, contests_excluded(rbind(light,
    judged[judged$harm == "", c("query", "reason")])))
  judged <- judged[judged$harm != ""]
  if (!nrow(judged)) return(no_findings(excluded))
  set(judged, j = "pages",
    value = unname(split(weighty$page, weighty$query)[as.character(judged$query)]))
  cannibalized_findings(summary, curve, pairs, judged, excluded, options$page_one_views)
}

# Pages of queries that have several, with the reason why one is no rival ("" for none).
undated_pages <- function(summary, pairs) {
  pages <- pairs[pairs$tested, c("query", "page", "clicks", "impressions", "position", "expected")]
  pages <- pages[pages[, .N, by = "query"][N > 1, "query"], on = "query"]
  pages[, c("share", "best") := list(impressions / sum(impressions), min(position)), by = "query"]
  pages[, "far" := position > best + assumed("far_down_places") &
    position > assumed("far_down_from")]
  # Rivals count together: four of a tenth each take from the leader what one of four tenths does.
  pages[, "rivals" := sum(share[!far]) - max(share), by = "query"]
  few <- pages$share < assumed("undated_share") &
    !(pages$rivals >= assumed("undated_share") & pages$share >= assumed("weighty_share"))
  set(pages, j = "reason", value = fcase(pages$far, "second_far_down",
    few, "second_with_few_impressions", rep(TRUE, nrow(pages)), ""))
  set(pages, j = "reason", value = same_page_versions(pages, summary))
  pages[]
}

# In: the two pages of each query that are expected to earn most, side by side (the second's columns
# begin with i.), how well each fits, and which is `known` to be the one that should lead ("first",
# "second" or ""). Out: as test_contests().
test_undated <- function(two, fit_first, fit_second, known, spread, beneath) {
  nearest <- pmin(two$position, two$i.position)
  farthest <- pmax(two$position, two$i.position)
  places <- farthest - nearest
  likely <- nearest > assumed("together_position") & places < assumed("together_places") &
    !leader_fits(fit_first, fit_second, two$position, two$i.position)
  figures <- list(clicks_first = two$clicks, clicks_second = two$i.clicks,
    expected_first = two$expected, expected_second = two$i.expected, position_first = two$position,
    position_second = two$i.position)
  # Without dates the leader may have changed since.
  passed_by <- fcase(known == "first", 0, known == "second", 1, rep(TRUE, nrow(two)),
    passed_by_chance(figures, fit_first, fit_second, spread))
  wrong <- passed_by > assumed("mismatch_listed")
  passed_by <- ifelse(known == "", pmin(passed_by, assumed("undated_surest")), passed_by)
  any_pages <- rep(TRUE, nrow(two))
  reason <- fcase(wrong, "", beneath & farthest < assumed("page_one_ends"),
    "page_beneath", nearest < assumed("top_three_ends"),
    "one_at_top", places > assumed("undated_places"),
    "far_apart", any_pages, "")
  data.table(query = two$query, keep = ifelse(wrong, two$i.page, two$page),
    other = ifelse(wrong, two$page, two$i.page),
    held = ifelse(wrong, two$position, nearest * assumed("merge_rise")),
    stands = ifelse(wrong, two$i.position, two$position),
    held_other = ifelse(wrong, two$position, two$i.position),
    harm = fcase(reason != "", "", wrong, "wrong page leads", any_pages, "unknown"), reason,
    confidence = ifelse(wrong, passed_by,
      ifelse(likely, assumed("undated_likely"), assumed("undated_doubtful"))),
    # Between those of pages that take turns and of pages shown together.
    searches = two$impressions + two$i.impressions - 0.5 * pmin(two$impressions, two$i.impressions),
    clicks = two$clicks + two$i.clicks, expected = two$expected + two$i.expected,
    leader_clicks = two$clicks, leader_expected = two$expected, merged = !wrong, goes_on = 1,
    level = FALSE, intended = known == ifelse(wrong, "second", "first"))
}
