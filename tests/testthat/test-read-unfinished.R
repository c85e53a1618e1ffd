# Daily rows of a page, written with a time of their own.
daily_file <- function(days, name, time, clicks = 10, dir = parent.frame()$dir) {
  file <- file.path(dir, name)
  fwrite(data.table(date = days, query = "kale", page = "https://www.fernmoor.example/kale/",
    clicks = clicks, impressions = 100, position = 3),
    file)
  Sys.setFileTime(file, as.POSIXct(paste(time, "12:00:00"), tz = "UTC"))
  file
}
days_of <- function(from, to) seq(as.Date(from), as.Date(to), by = "day")
dates_read <- function(data) range(data$tables[["date x query x page"]]$rows$date)

test_that("a file's time is no witness beyond its newest day, and what is stated is believed", {
  dir <- withr::local_tempdir()
  days <- days_of("2026-03-01", "2026-03-31")
  # Exported on 1 April, and a copy of it made months later: the same three days are unfinished.
  first <- daily_file(days, "a.csv", "2026-04-01")
  copied <- daily_file(days, "b.csv", "2026-07-09")
  last <- as.IDate("2026-03-28")
  expect_equal(dates_read(tide_read(first))[2], last)
  expect_equal(dates_read(tide_read(copied))[2], last)
  expect_equal(dates_read(tide_read(copied, exported = "2026-07-09"))[2], as.IDate("2026-03-31"))
  # Exported on the newest day itself, which is not over.
  expect_equal(dates_read(tide_read(daily_file(days, "c.csv", "2026-03-31")))[2], last - 1L)
  expect_equal(dates_read(tide_read(copied, lag = 0))[2], as.IDate("2026-03-31"))
})

test_that("of monthly exports dated the first only the newest days of all are unfinished", {
  skip_if_not_installed("nanoparquet")
  dir <- withr::local_tempdir()
  files <- c(
    daily_file(days_of("2026-01-01", "2026-01-31"), "jan.csv", "2026-02-01",
      c(rep(10, 28), 6, 5, 4)),
    daily_file(days_of("2026-02-01", "2026-02-28"), "feb.csv", "2026-03-01"),
    daily_file(days_of("2026-03-01", "2026-03-31"), "mar.csv", "2026-04-01"))
  whole <- c(as.IDate("2026-01-01"), as.IDate("2026-03-28"))
  expect_equal(dates_read(tide_read(files)), whole)
  store <- tide_store(file.path(dir, "project"))
  for (file in files) tide_load(store, file)
  expect_equal(dates_read(tide_stored(store)), whole)
  # The days that no later export holds are kept and named, with how low they look.
  found <- tide_check(store)$problems
  early <- found[found$problem == "days exported before they were finished"]
  expect_match(early$where, "2026-01-29 to 2026-01-31, 2026-02-26 to 2026-02-28 (75% of the usual",
    fixed = TRUE)
  expect_equal(early$weight, "problem")
  # Exported again since, they are finished.
  tide_load(store, daily_file(days_of("2026-01-20", "2026-03-31"), "again.csv", "2026-04-09"))
  expect_false("days exported before they were finished" %in% tide_check(store)$problems$problem)
})

test_that("rows kept are those that count in the end, file by file", {
  dir <- withr::local_tempdir()
  files <- c(daily_file(days_of("2026-01-01", "2026-01-20"), "a.csv", "2026-02-01"),
    daily_file(days_of("2026-01-11", "2026-01-31"), "b.csv", "2026-03-01"))
  read <- tide_read(files, lag = 0)
  expect_equal(read$sources$kept[match(files, read$sources$file)], c(10, 21))
  expect_equal(sum(read$sources$rows) - sum(read$left_out$rows), sum(read$sources$kept))
  skip_if_not_installed("nanoparquet")
  loaded <- tide_load(tide_store(file.path(dir, "project")), files)
  expect_equal(sum(loaded$sources$kept), 31)
})

test_that("totals by date beside a table without dates keep all their days", {
  dir <- withr::local_tempdir()
  to <- file.path(dir, "export")
  dir.create(to)
  fwrite(data.table(query = c("kale", "pea"), clicks = c(300, 10), impressions = 1000,
    position = 3),
    file.path(to, "queries.csv"))
  fwrite(data.table(date = days_of("2026-03-01", "2026-03-31"), clicks = 10, impressions = 100,
    position = 3),
    file.path(to, "dates.csv"))
  data <- tide_read(to)
  expect_equal(nrow(data$tables$date$rows), 31)
  expect_equal(tide_summary(data)$window$days, 31L)
  # What a file has and nobody asks for does not hide that it was cut.
  rows <- data.table(query = sprintf("kind%d", 1:1000), device = "mobile", clicks = 1000:1,
    impressions = 20000, position = 3)
  fwrite(rows, file.path(to, "queries.csv"))
  asked <- tide_read(to, dimensions = c("date", "query", "page"))
  expect_equal(names(asked$tables), c("date", "query"))
  expect_equal(inktide:::cut_rows(tide_summary(asked))$least, 2)
})
