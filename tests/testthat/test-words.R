# What is told of findings: each case of the sentences, from figures made by hand.

made_summary <- function(pages, queries, weekly = NULL) {
  # `key` is an argument of data.table().
  named <- function(column, texts) setDT(stats::setNames(list(texts, texts), c(column, "key")))
  pages <- named("page", pages)
  list(pages = pages, queries = named("query", queries),
    recent = list(days = 84L, with_data = 84L, to = as.IDate("2026-10-28")),
    window = list(assumed = FALSE), weekly = weekly,
    pairs = data.table(query = seq_along(queries), page = seq_along(pages$page)[1]))
}

pair <- function(...) {
  own <- list(query = 1L, page = 1L, clicks = 10, impressions = 100, position = 2, expected = 20,
    days = 84, since = as.IDate(NA), shift = "", before = NA_real_, ratio = 1)
  own <- setDT(utils::modifyList(own, list(...)))
  set(own, j = "expected_ctr", value = own$expected / own$impressions)
  set(own, j = "ctr", value = own$clicks / own$impressions)
}

judged_as <- function(confidence = 0.9, by_topic = 0, unseen_topic = 0) {
  data.table(confidence, by_topic, unseen_topic)
}

siblings_of <- function(tested = 1L, low = 1L, whole = FALSE, missed = 25) {
  data.table(tested, low, whole, missed)
}

test_that(
  "a low CTR is told in one order: figures, what is expected, what else points there, doubt",
  {
    summary <- made_summary("https://www.fernmoor.example/shop/kale/", "kale")
    told <- function(at = pair(), siblings = siblings_of(), judged = judged_as()) {
      told_of(inktide:::low_ctr_facts(summary, data.table(page = 0L, own = 0, clicks = 0), at,
        siblings,
        judged))
    }
    begins <- paste(
      "CTR 10% at position 2.0 (10 clicks of 100 impressions, 84 days); expected 20%,",
      "so 10 clicks are missed.")
    cases <- list(
      list(told(), begins),
      list(told(pair(clicks = 0, expected = 1)),
        paste("CTR 0% at position 2.0 (0 clicks of 100",
          "impressions, 84 days); expected 1.0%, so 1 click is missed.")),
      list(told(siblings = siblings_of(11L, 11L, TRUE, 156)),
        paste(begins, "All 11 tested queries of",
          "the page are below the curve (156 clicks missed in all), which points to its title and",
          "description.")),
      list(told(siblings = siblings_of(2L, 2L, TRUE)),
        paste(begins, "Both tested queries of the page are below the curve",
          "(25 clicks missed in all), which points to its title and description.")),
      list(told(siblings = siblings_of(5L, 4L, TRUE)), "4 of 5 tested queries of the page"),
      list(told(siblings = siblings_of(7L, 1L)),
        paste(begins, "The page's 6 other tested queries are",
          "as expected, so the page may not answer this query.")),
      list(told(siblings = siblings_of(2L, 1L)), "The page's 1 other tested query is as expected"),
      list(told(siblings = siblings_of(9L, 3L)), "3 of 9 tested queries of the page are below the"),
      list(told(pair(since = as.IDate("2026-09-12"), shift = "page", before = 1.1, ratio = 0.4)),
        paste("(10 clicks of 100 impressions, since 12 Sep 2026); expected 20%, so 10 clicks are",
          "missed. Before 12 Sep 2026 the CTR was 110% of what is expected, since then 44%.")),
      list(told(judged = judged_as(unseen_topic = 0.3)),
        "Doubt: the results page may take the clicks of this topic."),
      list(told(pair(clicks = 2, expected = 5), judged = judged_as(0.6)), "Doubt: few clicks"),
      list(told(judged = judged_as(0.6)), "Doubt: queries of this site differ by nearly as much"))
    for (case in cases) expect_match(case[[1]], case[[2]], fixed = TRUE)
  })

test_that(
  "words that the title lacks are named where titles are known, unless all queries have them",
  {
    queries <- c("kale taste", "how to grow kale", sprintf("kale seeds %s", letters))
    summary <-
      made_summary(rep("https://www.fernmoor.example/shop/kale/", length(queries)), queries)
    summary$pairs <- data.table(query = seq_along(queries), page = 1L)
    at <- data.table(query = 1:3, page = 1L)
    told <- function() told_of(inktide:::title_lacks_facts(summary, at, 1:3), lines = 1:3)
    expect_equal(told(), c("", "", ""))
    summary$pages[, title := "Kale: seeds a"]
    expect_equal(told(),
      c("The title does not mention \"taste\".", "The title does not mention \"grow\".", ""))
  })

test_that("a rewrite keeps what earns: the best query of the page that does well", {
  summary <- made_summary("https://www.fernmoor.example/", c("kale", "kale seeds"))
  pairs <- data.table(query = 1:2, page = 1L, own = c(0.4, 1.1), clicks = c(10, 84))
  keep <- function(...) {
    told_of(inktide:::low_step(summary, pairs, pair(...), siblings_of(whole = TRUE), 1L), "step")
  }
  expect_match(keep(), "; keep \"kale seeds\" in the title, it earns 30 clicks a month.",
    fixed = TRUE)
  expect_false(grepl("keep", keep(query = 2L)))
})

test_that("striking distance tells where it stands, what the step could bring, why, and doubt", {
  summary <- made_summary("https://www.fernmoor.example/", c("buy kale", "kale"))
  at <- data.table(query = c(1L, 2L), page = 1L, own = c(1.8, 1), position = c(14, 4.2),
    clicks = c(20, 9), impressions = 500, ctr = c(20, 9) / 500)
  step <- list(wider = c(1.6, 1), there = rep(0.05, 2), reach = rep(0.2, 2), learnt = NULL)
  # The second query is shown on two more pages.
  summary$pages <- summary$pages[c(1, 1, 1)]
  pairs <- data.table(query = c(1L, 2L, 2L, 2L), page = c(1L, 1:3), impressions = 500, clicks = 9)
  told <- told_of(inktide:::striking_facts(summary, pairs, at, c(8, 3), step), lines = 1:2)
  expect_equal(told, c(paste(
    "Position 14.0, 500 impressions, 20 clicks in 84 days. At position 8 about 72 clicks could",
    "be expected: page one is seen 1.6 times as often. CTR is 1.8 times what is expected, which",
    "suggests that searchers want this page."),
    paste(
      "Position 4.2, 500 impressions, 9 clicks in 84 days. At position 3 about 25 clicks could be",
      "expected. Doubt: 2 other pages of the site are shown for it too.")))
})

test_that("links come from pages that earn clicks for the same telling words, not from rivals", {
  pages <-
    sprintf("https://www.fernmoor.example/%s/", c("kale", "kale-pests", "leek", "beet", "pea"))
  queries <- c("kale spacing", "kale pests", "kale care", "leek pests", "beet", "pea care")
  summary <- made_summary(pages, queries)
  pairs <- data.table(query = c(1L, 1L, 2L, 3L, 4L, 5L, 6L), page = c(1L, 4L, 2L, 1L, 3L, 4L, 5L),
    clicks = c(5, 1, 9, 7, 3, 8, 2))
  at <- pairs[1]
  expect_equal(inktide:::link_sources(summary, pairs, at), list(pages[2]))
})

test_that("who led, how the two compare and who has it now is told as it is", {
  summary <- made_summary(c("/a/", "/b/"), "kale")
  case <- function(...) setDT(utils::modifyList(list(query = 1L, keep = 1L, other = 2L,
    led_keep = 40, led_other = 44, changes = 3L, stands = 4, held_other = 8, level = FALSE,
    since = as.IDate("2026-10-02"), keep_leads = TRUE, together = 0.9, leader_clicks = 3,
    leader_expected = 12, redirect = FALSE, other_clicks = 49, intended = FALSE),
    list(...)))
  facts <- function(harm, ...) inktide:::contest_facts(summary, case(harm = harm, ...))
  reason <- function(...) told_of(facts(...))
  action <- function(...) told_of(facts(...), "step")
  expect_equal(reason("swapping"), paste(
    "Two pages take turns: /a/ led on 40 days, /b/ on 44 (3 changes). With /a/ in front the",
    "position is 4.0, with /b/ 8.0. Since 2 Oct 2026 /a/ leads."))
  expect_match(reason("swapping", level = TRUE, keep_leads = FALSE),
    "One page with both answers may stand higher. Since 2 Oct 2026 /b/ leads.", fixed = TRUE)
  expect_match(reason("splitting"),
    "shown together in 90% of the weeks: /a/ at position 4.0, /b/ at 8.0.", fixed = TRUE)
  expect_match(reason("wrong page leads"),
    "^/b/ leads at position 8.0 with 3 clicks; 12 are expected")
  # A page that earns much from other queries is not redirected.
  expect_match(action("splitting"), "towards its other queries, which earn 49 clicks a month.",
    fixed = TRUE)
  expect_match(action("splitting", redirect = TRUE), "redirect it there.", fixed = TRUE)
})

test_that("rising and falling are told by what made them, the largest first", {
  of <- data.table(query = 1L, page = 1L, clicks_1 = 57, clicks_2 = 31, position = -20, ctr = -0.2,
    position_1 = 3.1, position_2 = 5.4)
  facts <- inktide:::moving_facts(made_summary("/a/", "kale"), of, 0.99, as.IDate("2026-09-12"),
    "falling")
  expect_equal(told_of(facts),
    paste("Clicks fell from 57 in four weeks to 31 in the four since 12 Sep 2026: -20 by position",
      "(3.1 to 5.4), -5.8 by demand."))
})
