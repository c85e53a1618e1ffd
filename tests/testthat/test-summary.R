test_that("sums add up, positions are weighted by impressions, ratios come last", {
  rows <- data.table(query = c("a", "A ", "b"), page = c("/x", "/x#top", "/x"), clicks = c(1, 4, 0),
    impressions = c(10, 30, 5), position = c(2, 6, 1))
  summary <- tide_summary(as_data(rows))
  pair <- summary$pairs[summary$queries$key[query] == "a"]
  expect_equal(nrow(pair), 1)
  expect_equal(c(pair$clicks, pair$impressions, pair$ctr, pair$position), c(5, 40, 0.125, 5))
  expect_equal(summary$queries$query[1], "A")
  expect_equal(summary$folded, 1)
})

test_that("row order and splitting rows change nothing", {
  rows <- made_site(queries = 40, days = 20)
  whole <- tide_summary(as_data(rows))
  shuffled <- tide_summary(as_data(rows[sample(.N)]))
  halves <- rbind(rows[, !"impressions"][, impressions := rows$impressions - 1][impressions > 0],
    rows[, !"impressions"][,
      c("impressions", "clicks") := list(ifelse(rows$impressions > 1, 1, rows$impressions), 0)])
  halves <- halves[clicks <= impressions]
  expect_equal(shuffled$pairs, whole$pairs)
  expect_equal(shuffled$cells, whole$cells)
  split <- tide_summary(as_data(halves))
  expect_equal(sum(split$pairs$impressions), sum(halves$impressions))
})

test_that("site totals come from the table without queries, and coverage is the share explained", {
  files <- tide_example()
  summary <- tide_summary(tide_read(files[c("pairs", "totals")]))
  covered <- inktide:::query_coverage(summary)
  expect_lt(covered$clicks, 1)
  expect_gt(covered$clicks, 0.5)
  expect_equal(covered$impressions,
    sum(summary$by_day$impressions) / sum(summary$site_by_day$impressions))
  expect_error(tide_summary(tide_read(files[["totals"]])), "queries", class = "tide_error_grain")
})

test_that("findings rest on the recent window, the curve on all of it", {
  rows <- made_site(queries = 30, days = 60)
  summary <- tide_summary(as_data(rows), recent_days = 10)
  expect_equal(sum(summary$cells$impressions), sum(rows$impressions))
  expect_equal(sum(summary$pairs$impressions), sum(rows[date > max(date) - 10]$impressions))
})

test_that("whole weeks are counted back from the last day, the days before the first are week 0", {
  rows <- made_site(queries = 40, days = 59)
  weekly <- tide_summary(as_data(rows))$weekly
  last <- max(rows$date)
  own <- rows[query == "query 0007"]
  own[, week := 8L - as.integer(last - date) %/% 7L]
  by_hand <- own[, .(clicks = sum(clicks)), keyby = "week"]
  code <- which(tide_summary(as_data(rows))$queries$query == "query 0007")
  expect_equal(weekly[weekly$query == code, c("week", "clicks")],
    by_hand[, .(week, clicks = as.numeric(clicks))], ignore_attr = TRUE)
  expect_equal(range(weekly$week), c(0L, 8L))
})

test_that("dates that are weeks or months stand for all of their days", {
  rows <- made_site(queries = 30, days = 119, seed = 2, demand = rep(4, 30))
  by <- function(first, exported = "2027-01-01") {
    sums <- rows[, .(clicks = sum(clicks),
      position = sum(impressions * position) / sum(impressions), impressions = sum(impressions)),
      by = .(query, page, date = as.IDate(first(date)))]
    file <- withr::local_tempfile(fileext = ".csv")
    fwrite(sums, file)
    tide_summary(tide_read(file, lag = 0, exported = exported))
  }
  weeks <- by(function(date) date - (as.integer(date) - as.integer(min(rows$date))) %% 7L)
  expect_equal(weeks$window$days, 119)
  # Thirteen whole weeks are nearest to ninety days.
  expect_equal(weeks$recent$days, 91)
  months <- by(function(date) format(date, "%Y-%m-01"))
  next_month <- seq(as.Date(format(max(rows$date), "%Y-%m-01")), by = "month", length.out = 2)[2]
  expect_equal(as.Date(months$window$to), next_month - 1)
  # Exported on the last day there is, the last month ends there.
  cut <- by(function(date) format(date, "%Y-%m-01"), exported = max(rows$date))
  expect_equal(cut$window$to, max(rows$date))
  expect_equal(sum(weeks$cells$clicks), sum(rows$clicks))
  daily <- tide_summary(as_data(rows))
  expect_equal(daily$recent$days, 90)
})

test_that(
  "a table without dates has the window of the totals by date that came with it in one archive",
  {
    rows <- made_site(queries = 60, days = 47)
    dir <- withr::local_tempdir()
    fwrite(rows[,
      .(clicks = sum(clicks), impressions = sum(impressions), position = round(mean(position), 1)),
      by = "query"],
      file.path(dir, "Queries.csv"))
    fwrite(rows[,
      .(clicks = sum(clicks), impressions = sum(impressions), position = round(mean(position), 1)),
      by = "date"],
      file.path(dir, "Dates.csv"))
    withr::with_dir(dir, utils::zip("all.zip", c("Queries.csv", "Dates.csv"), flags = "-q"))
    together <- tide_summary(tide_read(file.path(dir, "all.zip"), lag = 0))
    expect_equal(together$window$days, as.integer(diff(range(rows$date))) + 1L)
    expect_false(together$window$assumed)
    expect_equal(summary(together)$coverage, 1)
    expect_true(tide_summary(tide_read(file.path(dir, "Queries.csv")))$window$assumed)
  })
