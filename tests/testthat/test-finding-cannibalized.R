test_that("stable seconds, section links and one-day blips are not cannibalized", {
  set.seed(6)
  days <- as.IDate("2026-01-01") + 0:83
  row <- function(query, page, days, position, impressions = 20) {
    data.table(date = days, query = query, page = paste0("https://www.fernmoor.example", page),
      clicks = rbinom(length(days), impressions, 0.25 / position), impressions = impressions,
      position = pmax(1, position + rnorm(length(days), 0, 0.4)))
  }
  turn <- (as.integer(days - days[1]) %/% 21) %% 2 == 0
  rows <- rbind(row("sections", "/a/", days, 5), row("sections", "/a/#b", days, 5),
    row("blip", "/c/", days, 5), row("blip", "/d/", days[40:41], 4), row("far", "/e/", days, 5),
    row("far", "/f/", days, 48), row("stable", "/g/", days, 3), row("stable", "/h/", days, 6, 6),
    row("swap", "/i/", days[turn], 4), row("swap", "/i/", days[!turn], 18, 3),
    row("swap", "/j/", days[!turn], 8), row("swap", "/j/", days[turn], 19, 3))
  found <- lines_of(tide_find(tide_summary(as_data(rows)), min_gain = 0))
  rivals <- found[found$kind == "cannibalized", ]
  expect_equal(rivals$query, "swap")
  expect_equal(rivals$page, "https://www.fernmoor.example/i/")
  expect_match(rivals$reason, "/i/ led on 42 days, /j/ on 42 (3 changes)", fixed = TRUE)
})

test_that("a leader whose words match less, clicked too little, is found; languages are no rivals",
  {
    # Positions and CTR of the page that does not match the query and of the one that does.
    cases <- list(passed_by = c(3, 8, 0.02, 0.02), as_usual = c(3, 8, made_curve[3], made_curve[8]),
      rightly_behind = c(13, 8, made_curve[10], made_curve[8]))
    guide <- "https://www.fernmoor.example/guides/leek-spacing/"
    for (case in names(cases)) {
      of <- cases[[case]]
      dated <- by_day(function(rows) {
        own <- rows[query == "query 0004"]
        shown <- function(address, place, ctr) copy(own)[,
          c("query", "page", "position", "clicks") :=
            list("leek spacing", address, place, rbinom(.N, impressions, ctr))]
        german <- copy(own)[, c("page", "position", "clicks") :=
          list(sub("example/", "example/de/", page), position + 2, 0L)]
        rbind(rows, shown("https://www.fernmoor.example/shop/leek/", of[1], of[3]),
          shown(guide, of[2], of[4]), german)
      })
      undated <- dated[, .(clicks = sum(clicks),
        position = sum(impressions * position) / sum(impressions), impressions = sum(impressions)),
        by = c("query", "page")]
      for (rows in list(undated, dated)) {
        found <- tide_find(tide_summary(as_data(rows)), kind = "cannibalized")
        told <- lines_of(found)[grepl("are expected. Its address", found$reason)]
        expect_equal(told$query, if (case == "passed_by") "leek spacing" else character())
        expect_equal(told$page, if (case == "passed_by") guide else character())
        expect_true(
          "versions of one page for another language or country" %in% found$excluded$reason)
      }
      if (case == "rightly_behind") {
        expect_true(
          "two pages, of which the one that matches better leads" %in% found$excluded$reason)
      }
    }
  })

test_that("the chance that a page is passed by holds for any number of clicks", {
  pages <- data.table(clicks_first = c(0, 5, 60, 100, 2e3, 1e5),
    clicks_second = c(0, 10, 40, 40, 4e4, 2e4), expected_first = c(0.1, 10, 120, 100, 1e5, 1e5),
    expected_second = c(0.1, 10, 40, 40, 4e4, 2e4), position_first = 3, position_second = 8)
  chance <- inktide:::passed_by_chance(pages, 1, 2, 0.06)
  expect_equal(chance[1], 0.3, tolerance = 0.05)
  expect_gt(chance[3], 0.8)
  expect_lt(chance[4], 0.1)
  expect_equal(chance[5], 0.999)
  expect_lt(chance[6], 0.1)
  expect_equal(inktide:::passed_by_chance(pages, 2, 2, 0.06), rep(0, 6))
})

test_that("pages that are shown together split a query, pages that take turns swap it", {
  weeks <- function(day) day %/% 7L %% 2L
  # Positions and daily impressions of two pages of query 0004, a row each for the days of either
  # turn.
  apart <- rbind(c(9, 1), c(1, 9))
  both <- rbind(c(40, 35), c(35, 40))
  cases <- list(
    list(position = rbind(c(4, 16), c(16, 5)), seen = apart, turn = weeks,
      says = "led on \\d+ days.*Since \\d+ [A-Z][a-z]+ \\d{4}"),
    list(position = rbind(c(9, 20), c(20, 9)), seen = 4 * apart, turn = weeks,
    says = "One page with both answers"),
    list(position = rbind(c(4, 16), c(16, 8)), seen = rbind(c(9, 0), c(2, 9)),
    turn = function(day) (day * 7L) %% 5L %% 2L,
      says = "in front the position is"),
    list(position = rbind(c(8, 9), c(9, 8)), seen = both, turn = weeks,
    says = "are shown together"),
    # Both at the top; one page after the other; one beneath the other, both clicked as usual.
    list(position = rbind(c(2, 12), c(12, 2)), seen = apart, turn = weeks, says = ""),
    list(position = rbind(c(6, 14), c(14, 7)), seen = apart,
    turn = function(day) pmin(day %/% 30L, 1L), says = ""),
    list(position = rbind(c(8, 9), c(9, 8)), seen = both, turn = weeks, beneath = "rival1/",
    says = ""))
  for (case in cases) {
    found <- kind_of(by_day(function(rows) {
      days <- unique(rows$date)
      turn <- 1L + as.integer(case$turn(as.integer(days - min(days))))
      two <- rbindlist(lapply(1:2, function(page) data.table(
        date = days,
        query = "query 0004",
        page = paste0("https://www.fernmoor.example/",
          c("rival1/", paste0(case$beneath, "rival2/"))[page]),
        clicks = rbinom(length(days), case$seen[turn, page],
          made_curve[pmin(10, round(case$position[turn, page]))]),
        impressions = case$seen[turn, page],
        position = case$position[turn, page])))
      rbind(rows[query != "query 0004"], two[impressions > 0])
    }),
      "cannibalized")
    expect_equal(found$query, if (nzchar(case$says)) "query 0004" else character())
    if (nzchar(case$says)) expect_match(found$reason, case$says)
  }
})

test_that("without dates close pages below the top are named in doubt, look-alikes counted", {
  site <- made_site(queries = 150, days = 63, seed = 3, demand = rep(8, 150))
  rows <- site[, .(clicks = sum(clicks), position = sum(impressions * position) / sum(impressions),
    impressions = sum(impressions)),
    by = c("query", "page")]
  own <- "https://www.fernmoor.example/kale/"
  # Address and position of a second page beside one at `first`; what becomes of the query.
  cases <- data.table(
    first = c(8, 5, 8, 2, 6, 5, 4),
    position = c(10, 7, 9, 4, 7, 16, 40),
    query = sprintf("query %04d", 1:7),
    page = c(rep("https://www.fernmoor.example/other/", 2), "https://www.fernmoor.example/de/kale/",
      "https://www.fernmoor.example/other/", "https://www.fernmoor.example/kale/care/",
      rep("https://www.fernmoor.example/other/", 2)),
    aside = c("", "", "versions of one page for another language or country",
      "two pages, one of which is at the top", "a page and one beneath it that both do well",
      "two pages far apart", "a second page far down"))
  two <-
    cases[, .(query = rep(query, 2), page = c(rep(own, 7), page), position = c(first, position))]
  two[, c("clicks", "impressions") := list(round(600 * made_curve[pmin(10, position)]), 600L)]
  found <- tide_find(
    tide_summary(as_data(rbind(rows[!query %in% cases$query], two, use.names = TRUE))),
    kind = "cannibalized", min_gain = 0)
  lines <- lines_of(found)[order(query)]
  expect_equal(lines$query, cases$query[cases$aside == ""])
  expect_equal(lines$confidence, c(0.5, 0.35))
  expect_match(lines$reason, "without dates it cannot be known")
  expect_equal(lines$if_done_low, c(0, 0))
  expect_setequal(found$excluded$reason, cases$aside[cases$aside != ""])
})

test_that("pages whose lead lasts much longer than before have settled (by hand)", {
  dates <- as.IDate("2026-01-01") + 0:89
  # Ten changes in the first 70 days: stretches of a week; then 20 days without.
  of <- data.table(last_change = c(71L, 85L), changes = c(10L, 12L))
  lasts <- pgamma(c(20, 6), 2, 2 / c(7, 7), lower.tail = FALSE)
  expect_equal(inktide:::swapping_goes_on(of, dates), 0.85 * lasts / (0.85 * lasts + 0.15))
  expect_lt(inktide:::swapping_goes_on(of, dates)[1], 0.2)
  expect_gt(inktide:::swapping_goes_on(of, dates)[2], 0.7)
})

test_that("a page that earns more elsewhere than one page would bring is not redirected", {
  rows <- by_day(function(rows) {
    shown <- function(address, place) copy(rows[query == "query 0004"])[,
      c("page", "position", "clicks") := list(address, place, rbinom(.N, impressions, 0.012))]
    own <- shown(rows[query == "query 0004"]$page, 9)
    other <- shown("https://www.fernmoor.example/other/", 12)
    rich <- copy(rows[query == "query 0008"])[,
      c("page", "position", "clicks") :=
        list("https://www.fernmoor.example/other/", 1, impressions)]
    rbind(rows[!query %in% c("query 0004", "query 0008")], own, other, rich)
  })
  found <- lines_of(tide_find(tide_summary(as_data(rows)), kind = "cannibalized"))
  own <- found[found$query == "query 0004"]
  expect_match(own$action, "reword title and headings of /other/ .* clicks a month")
  expect_lt(own$chance, 0.5)
  alone <- rows[!(query == "query 0008" & page == "https://www.fernmoor.example/other/")]
  found <- lines_of(tide_find(tide_summary(as_data(alone)), kind = "cannibalized"))
  own <- found[found$query == "query 0004"]
  expect_equal(nrow(own), 1L)
  expect_match(own$action, "redirect it there")
  expect_gt(own$page_clicks, 0)
})

test_that("every contested query is listed or left out with a reason, and rivals count together", {
  found <- demo()$found
  tested <- found$pairs[found$pairs$tested]
  several <- tested[, .N, by = "query"][N > 1]$query
  listed <- uniqueN(found$findings$query[found$findings$kind == "cannibalized"])
  out <- found$excluded
  brand <- grepl("brand", out$reason)
  expect_equal(listed + sum(out$queries[out$kind == "cannibalized" & !brand]), length(several))
  # One page and four of less each, together as large, without dates.
  rows <- as.data.table(made_site(queries = 120, days = 30))[,
    list(clicks = sum(clicks), impressions = sum(impressions), position = mean(position)),
    by = c("query", "page")]
  five <- data.table(query = "leek soup", page = sprintf("https://www.fernmoor.example/%s/",
    c("main", "one", "two", "three", "four")), clicks = c(18L, 7L, 7L, 7L, 7L),
    impressions = c(900L, 360L, 360L, 360L, 360L), position = c(6, 7, 7.5, 7.2, 7.4))
  summary <- tide_summary(as_data(rbind(rows, five, use.names = TRUE)))
  contests <- tidy(tide_find(summary, kind = "cannibalized", min_gain = 0))
  expect_true("leek soup" %in% contests$query)
  expect_length(strsplit(contests$pages[contests$query == "leek soup"], " ")[[1]], 5)
})

test_that("of two pages of equal weight none is said to lead", {
  found <- tide_find(tide_summary(as_data(by_day(function(rows) {
    days <- unique(rows$date)
    half <- rbindlist(lapply(1:2, function(page) data.table(date = days, query = "query 0004",
      page = sprintf("https://www.fernmoor.example/half%d/", page),
      clicks = rbinom(length(days), 20, made_curve[6]), impressions = 20L,
      position = 6.2 + rnorm(length(days), 0, 0.5))))
    rbind(rows[query != "query 0004"], half)
  }))), kind = "cannibalized", min_gain = 0)
  expect_equal(found$excluded$reason,
    "two pages shown together near the top, where both may do well")
})
