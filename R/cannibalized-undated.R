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
  of <- prefer_intended(data.table(page_first = two$page, page_second = two$i.page,
    fit_first = fit_of(two$page), fit_second = fit_of(two$i.page)),
    options$intended[two$query])
  judged <- test_undated(two, of$fit_first, of$fit_second, of$known,
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
  pages[, "reason" := fcase(
    position > best + assumed("far_down_places") & position > assumed("far_down_from"),
    "second_far_down", share < assumed("undated_share"),
    "second_with_few_impressions", rep(TRUE, .N), "")]
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
