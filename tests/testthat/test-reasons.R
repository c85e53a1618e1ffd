# Reasons and actions: each case of the texts, from figures made by hand.

made_summary <- function(pages, queries, weekly = NULL) {
  # `key` is an argument of data.table().
  named <- function(column, texts) setDT(stats::setNames(list(texts, texts), c(column, "key")))
  pages <- named("page", pages)
  list(pages = pages, queries = named("query", queries), recent = list(days = 84L),
    window = list(assumed = FALSE), weekly = weekly,
    pairs = data.table(query = seq_along(queries), page = seq_along(pages$page)[1]))
}

test_that("a low CTR opens with what decides the cure", {
  summary <- made_summary("https://www.fernmoor.example/shop/kale/", "kale")
  opening <- function(tested, low, whole, speaks = TRUE, clicks = 10, position = 2, missed = 25) {
    inktide:::low_opening(summary,
      data.table(page = 1L, query = 1L, clicks = clicks, expected = 20, position = position),
      data.table(tested = as.integer(tested), low = as.integer(low), missed = missed,
        whole = whole),
      speaks)
  }
  cases <- list(
    list(paste("^All 5 tested queries of /shop/kale/ .* 25 clicks missed in all and 40%",
      "of them .* title and description"),
      opening(5, 5, TRUE)),
    list("^4 of 5 tested queries of /shop/kale/", opening(5, 4, TRUE)),
    list("^/shop/kale/ puts .* both tested queries .* this one has 83% of the 12 clicks missed",
      opening(2, 2, TRUE, missed = 12)),
    list("^The shortfall runs through all 9 tested queries of /shop/kale/, 100 clicks",
      opening(9, 9, TRUE, missed = 100)),
    list("^One of 4 queries that /shop/kale/ loses, mended by the same rewrite",
      opening(5, 4, TRUE, speaks = FALSE)),
    list("^The other query that /shop/kale/ loses", opening(2, 2, TRUE, speaks = FALSE)),
    list("^Hardly clicked at all", opening(5, 4, TRUE, speaks = FALSE, clicks = 4)),
    list("does as usual for its 4 other tested queries, so it is the match", opening(5, 1, FALSE)),
    list("does as usual for its 1 other tested query,", opening(2, 1, FALSE)),
    list("^3 of 9 tested queries of /shop/kale/ fall short, each for reasons of its own",
      opening(9, 3, FALSE)),
    list("sees it first", opening(1, 1, FALSE, position = 1.2)),
    list("^Near the top", opening(1, 1, FALSE, position = 3)),
    list("^On page one", opening(1, 1, FALSE, position = 8)),
    list("^Far down", opening(1, 1, FALSE, position = 14)))
  for (case in cases) expect_match(case[[2]], case[[1]])
})

test_that("the figures of a low CTR are told as they stand, whatever they are", {
  summary <- made_summary("https://www.fernmoor.example/", "kale")
  figures <- function(clicks, impressions, expected, position) {
    inktide:::low_figures(summary, data.table(clicks = clicks, impressions = impressions,
      expected = expected, position = position, ctr = clicks / impressions,
      expected_ctr = expected / impressions))
  }
  cases <- list(
    list(paste("Not one of 200 impressions at position 4.0 was clicked, where 6.0% is",
      "usual: 12 clicks missed in 84 days"),
      figures(0, 200, 12, 4)),
    list("Of 100 impressions in first place 10 were clicked: 10%, where this site usually gets 25%",
      figures(10, 100, 25, 1.2)),
    list("1 was clicked", figures(1, 100, 25, 1.2)),
    list(
      "Not one of 14 impressions at position 4.0 was clicked, where 10% is usual: 1 click missed",
      figures(0, 14, 1.4, 4)),
    list("less than a click missed", figures(1, 11, 1.3, 2.5)),
    list("Less than a third of what position 5.0 brings", figures(2, 100, 9, 5)),
    list(paste("At position 2.5, 10 of 100 impressions were clicked (10%; usual: 18%),",
      "which makes 8 clicks missed"),
      figures(10, 100, 18, 2.5)),
    list("1 click for 90 impressions at position 7.0 are 1.1%", figures(1, 90, 2, 7)),
    list("where even that far down", figures(2, 400, 4, 15)))
  for (case in cases) expect_match(case[[2]], case[[1]], fixed = TRUE)
})

test_that("since when it is so is told where both halves can tell", {
  weeks <- function(first, last) data.table(query = 1L, page = 1L, week = 1:12, impressions = 100,
    position = 3, clicks = rep(c(first, last), each = 6))
  course <- function(first, last, expected_ctr = 0.1) {
    summary <- made_summary("https://www.fernmoor.example/", "kale", weekly = weeks(first, last))
    inktide:::low_ctr_since(summary, data.table(query = 1L, page = 1L, expected_ctr = expected_ctr))
  }
  expect_match(course(10, 2), "10% in the first 6 weeks and 2.0% since, at the same position")
  expect_match(course(2, 9), "begun to mend: 2.0% in the first 6 weeks, 9.0% since")
  expect_match(course(3, 3), "the same 3.0% in the first 6 weeks")
  expect_match(course(4, 3), "No passing dip: 4.0% in the first 6 weeks, 3.0% since")
  expect_match(course(3, 4), "no better in the first 6 weeks \\(3.0%, and 4.0% since\\)")
  expect_equal(course(9, 9), "")
  expect_equal(course(0, 0, expected_ctr = 0.001), "")
  # By hand: weeks 2 and 3 of a pair at positions 4 and 6.
  sums <- inktide:::pair_weeks(list(weekly = data.table(query = 1L, page = 1L, week = 1:3,
    clicks = 1:3, impressions = c(10, 20, 60), position = c(2, 4, 6))),
    data.table(query = 1:2, page = 1L), 2:3)
  expect_equal(sums,
    data.table(clicks = c(5L, NA), impressions = c(80, NA), position = c((80 + 360) / 80, NA)))
})

test_that("words that a page does not say are named, unless all queries have them", {
  queries <- c("kale taste", "how to grow kale", sprintf("kale seeds %s", letters))
  summary <- made_summary(rep("https://www.fernmoor.example/shop/kale/", length(queries)), queries)
  summary$pairs <- data.table(query = seq_along(queries), page = 1L)
  at <- data.table(query = 1:3, page = 1L)
  expect_match(inktide:::unsaid_words(summary, at)[1], "Its address does not say \"taste\".",
    fixed = TRUE)
  expect_equal(inktide:::unsaid_words(summary, at)[3], "")
  summary$pages[, title := "Kale: its taste"]
  expect_equal(inktide:::unsaid_words(summary, at)[1], "")
  expect_match(inktide:::unsaid_words(summary, at)[2], "Neither its title nor its address says")
})

test_that("striking distance opens with the strongest argument and keeps the others for the end", {
  summary <- made_summary("https://www.fernmoor.example/", c("buy kale", "kale"))
  at <- data.table(query = c(1L, 2L, 2L, 2L), page = 1L, own = c(1.8, 1.3, 1, 1),
    position = c(14, 9, 9, 4.2), clicks = c(20, 0, 5, 9), impressions = 500,
    ctr = c(20, 0, 5, 9) / 500)
  step <- list(wider = c(1.6, 1, 1, 1), there = rep(0.05, 4), reach = rep(0.2, 4), learnt = NULL)
  told <- inktide:::striking_reason(summary, at, c(8, 3, 3, 3), step, rivals = c(0, 0, 2, 0))
  expect_match(told[1],
    "^Clicked 1.8 times as often as usual.*words are those of a buyer. Page one is seen 1.6 times")
  expect_match(told[2],
    "^It is clicked 1.3 times.*500 impressions at position 9.0 brought no click")
  expect_match(told[3], "^2 other pages of the site are shown for it too")
  expect_match(told[4],
    "^One step from the top three. Clicked in 1.8% of its impressions at position 4.2 \\(9 of 500")
  expect_match(told, "Such a step comes off in 20%, as is assumed", fixed = TRUE)
  expect_match(inktide:::striking_chance(list(reach = c(0.08, 0.03), learnt = TRUE)),
    "get there, by this site's own history")
  expect_false(any(grepl("  |^ | $", told)))
})

test_that("who took the lead, how the two compare and who has it now is told as it is", {
  case <- function(...) utils::modifyList(data.table(led_keep = 40, led_other = 44, changes = 3L,
    stands = 4, held_other = 8, level = FALSE, since = as.IDate("2026-10-02"), keep_leads = TRUE,
    together = 0.9),
    list(...))
  swap <- function(...) inktide:::swapping_words(case(...), "/a/", "/b/")
  expect_match(swap(), paste(
    "^/a/ led on 40 days and /b/ on 44; the lead changed hands 3 times. While",
    "it leads, /a/ stands at position 4.0; the other at 8.0. Since 2026-10-02", "/a/ leads.$"))
  expect_match(swap(led_other = 80), "^The weaker page has it most of the time")
  expect_match(swap(led_keep = 80, changes = 2L), "changed hands twice, which costs it every time")
  expect_match(swap(changes = 6L, keep_leads = FALSE),
    "^Back and forth.*Since 2026-10-02 /b/ leads.$")
  expect_match(swap(held_other = 4.5, level = TRUE), "Neither is clearly better")
  expect_match(swap(stands = 12, held_other = 16, level = TRUE), "Neither gets off page two")
  expect_match(swap(stands = 3),
    "is in the top three \\(3.0\\); the other gets no further than 8.0")
  expect_match(swap(held_other = 12),
    "on page one \\(4.0\\), with the other it falls to page two \\(12.0\\)")
  split <- function(...) inktide:::splitting_words(case(...), "/a/", "/b/")
  expect_match(split(), "shown together in 90% of the weeks, at positions 4.0 and 8.0: they share")
  expect_match(split(held_other = 12), "drags behind on page two")
  expect_match(split(stands = 11, held_other = 12), "neither gets off page two")
})
