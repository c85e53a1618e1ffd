test_that(
  "grains are held apart, windows touch only their days, unfinished days are kept but left out",
  {
    store <- tide_store(withr::local_tempdir())
    tide_load(store, export(rows_of(0:59, 10)), exported = "2026-04-30")
    tide_load(store, csv("date,clicks,impressions,position",
      sprintf("%s,50,900,4", format(as.IDate("2026-03-01") + 0:59))),
      exported = "2026-04-30")
    data <- tide_stored(store)
    expect_setequal(names(data$tables), c("date x query x page", "date"))
    expect_equal(max(data$tables[["date"]]$rows$date), as.IDate("2026-04-26"))
    expect_match(data$left_out$reason, "unfinished", all = FALSE)
    window <- held(store, from = "2026-04-02", to = "2026-04-05")
    expect_equal(range(window$date), as.IDate(c("2026-04-02", "2026-04-05")))
    expect_equal(tide_stored(store, days = 7)$tables[["date"]]$days, 7)
    expect_setequal(names(tide_stored(store, dimensions = c("date", "query"))$tables),
      c("date x query", "date"))
    expect_error(tide_stored(store, from = "2030-01-01"), class = "tide_error_nothing_left")
    expect_error(tide_stored(tide_store(withr::local_tempdir())), "empty",
      class = "tide_error_nothing_left")
  })

test_that("month by month gives the same summary as all at once, filtered or not", {
  skip_unless_studies()
  store <- tide_store(withr::local_tempdir())
  dir <- withr::local_tempdir()
  site <- tide_demo(dir, seed = 6, days = 150, share = 0.2)
  files <- site$files
  tide_load(store, files)
  narrow <- tide_segment("phone", device = "mobile", not_query = "^best")
  for (segments in list(NULL, narrow)) {
    whole <- tide_summary(tide_filter(tide_stored(store), segments = segments), brand = "fernmoor")
    parts <- tide_summary(
      tide_filter(tide_stored(store, at_once = 1, by_month = TRUE), segments = segments),
      brand = "fernmoor")
    for (name in c("queries", "pages", "cells", "recent_cells", "pairs", "contested", "weekly",
        "by_day", "site_by_day", "window", "recent", "folded")) {
      expect_equal(parts[[name]], whole[[name]], info = name)
    }
    expect_equal(sum(parts$left_out$rows), sum(whole$left_out$rows))
  }
})

test_that(
  "dates that are weeks are the same weeks in the archive as in the file, and no days are missing",
  {
    days <- tide_demo(seed = 6, days = 126, share = 0.2)$daily
    weeks <- days[, .(clicks = sum(clicks),
      position = sum(impressions * position) / sum(impressions), impressions = sum(impressions)),
      by = .(query, page, date = date - (as.integer(date) - as.integer(min(date))) %% 7L)]
    file <- withr::local_tempfile(fileext = ".csv")
    fwrite(weeks, file)
    store <- tide_store(withr::local_tempdir())
    tide_load(store, file)
    held <- tide_summary(tide_stored(store, lag = 0, by_month = TRUE))
    expect_equal(held[c("window", "recent")],
      tide_summary(tide_read(file, lag = 0))[c("window", "recent")])
    expect_equal(held$window$days, 126)
    expect_false(any(tide_check(store)$problems$problem == "days missing"))
  })

test_that("an archive without pages has the weeks of its queries, month by month", {
  days <- tide_demo(seed = 6, days = 120, share = 0.1)$daily
  by_query <- days[, .(clicks = sum(clicks), position = sum(impressions * position) /
    sum(impressions), impressions = sum(impressions)), by = .(date, query)]
  file <- withr::local_tempfile(fileext = ".csv")
  fwrite(by_query, file)
  store <- tide_store(withr::local_tempdir())
  tide_load(store, file)
  months <- tide_summary(tide_stored(store, lag = 0, by_month = TRUE, at_once = 100))
  whole <- tide_summary(tide_read(file, lag = 0))
  expect_gt(nrow(whole$weekly), 0)
  expect_equal(months$weekly, whole$weekly)
})

test_that("each day rests on the finest table that has it, and the summary says on which", {
  days <- function(from, n) format(as.IDate(from) + seq_len(n) - 1L)
  device <- csv("date,query,page,device,clicks,impressions,position",
    sprintf("%s,kale,/a,%s,2,50,3", rep(days("2026-05-01", 61), each = 2), c("mobile", "desktop")))
  plain <- csv("date,query,page,clicks,impressions,position",
    sprintf("%s,kale,/a,10,100,3", days("2026-06-20", 73)))
  truth <- 61 * 4 + 62 * 10
  store <- tide_store(withr::local_tempdir())
  for (file in c(device, plain)) tide_load(store, file, exported = "2026-12-01")
  asked <- list(NULL, c("date", "query", "page"))
  for (dimensions in asked) {
    for (data in list(tide_read(c(device, plain), exported = "2026-12-01", dimensions = dimensions),
        tide_stored(store, dimensions = dimensions),
        tide_stored(store, dimensions = dimensions, by_month = TRUE))) {
      summary <- tide_summary(data)
      expect_equal(sum(summary$cells$clicks), truth)
      expect_equal(summary$window$days, 123L)
      expect_equal(summary$rests_on$days, c(61, 62))
      expect_match(format(summary),
        "2026-07-01 to 2026-08-31 (62 days) from the table by date x query x page", fixed = TRUE,
        all = FALSE)
    }
  }
})
