# The same clicks as rows of days, of weeks and of months: what is told of them is the same.

rows_by <- function(rows, begin) {
  set(rows <- copy(rows), j = "date", value = begin(rows$date))
  rows[, .(clicks = sum(clicks), position = sum(position * impressions) / sum(impressions),
    impressions = sum(impressions)), by = c("date", "query", "page")]
}
site <- made_site(queries = 400, days = 181, demand = exp(rnorm(400, 1, 1)))[,
  "date" := date + 30L][]
tables <- list(days = site,
  weeks = rows_by(site, function(date) date - (as.integer(date) + 3L) %% 7L),
  months = rows_by(site, function(date) as.IDate(format(date, "%Y-%m-01"))))
read <- lapply(tables, function(rows) {
  file <- tempfile(fileext = ".csv")
  fwrite(rows, file)
  tide_read(file, exported = "2026-08-01", lag = 0)
})

test_that("weeks and months have their days, and clicks of 30 days are of them", {
  from <- vapply(read, function(data) format(data$tables[[1]]$from), "")
  to <- vapply(read, function(data) format(data$tables[[1]]$to), "")
  expect_equal(from, c(days = "2026-02-01", weeks = "2026-01-26", months = "2026-02-01"))
  expect_equal(unname(to), c("2026-07-31", "2026-08-01", "2026-07-31"))
  found <- lapply(read, function(data) {
    tide_find(tide_summary(data), min_gain = 0, kind = "striking_distance")
  })
  days <- vapply(found, function(one) one$summary$recent$with_data, 0L)
  expect_true(all(abs(days - 90L) <= 4L))
  worth <- vapply(found, function(one) sum(one$findings$if_done), 0)
  expect_equal(unname(worth / worth["days"]), c(1, 1, 1), tolerance = 0.15)
  # The last weeks and months begin where one does.
  expect_equal(found$months$summary$recent$from, as.IDate("2026-05-01"))
  expect_equal(format(found$weeks$summary$recent$from, "%u"), "1")
})

test_that("whole months are compared, and what needs weeks says so", {
  change <- tide_compare(read$months, by = "page")
  own <- function(month) sum(site$clicks[format(site$date, "%m") == month])
  expect_equal(change$windows$clicks, c(own("06"), own("07")))
  expect_equal(change$windows$days, c(30L, 31L))
  expect_equal(sum(change$moves$change), 30 * own("07") / 31 - own("06"))
  two <- tide_compare(read$months, by = "site", days = 60)
  expect_equal(two$windows$days, c(61L, 61L))
  expect_error(tide_follow(read$months), "whole months", class = "tide_error_grain")
  expect_error(tide_inventory(read$months, windows = 28), "whole months",
    class = "tide_error_grain")
  expect_error(tide_follow(read$weeks, by = "day"), "whole weeks", class = "tide_error_grain")
  expect_equal(nrow(tide_follow(read$weeks)$changes), 0)
  # The first week has one day of data.
  expect_equal(as.character(tide_unusual(read$weeks)$from), "2026-01-26")
  for (data in read[c("days", "months")]) expect_equal(nrow(tide_unusual(data)), 0)
  months <- lapply(read[c("days", "months")], function(data) tidy(tide_history(data)))
  expect_equal(months$months[c("month", "days", "value")], months$days[c("month", "days", "value")])
})

test_that("a month that is far from its neighbours is unusual", {
  rows <- data.table(date = as.IDate(sprintf("2025-%02d-01", 1:12)), clicks = 1000 + 10 * 1:12,
    impressions = 20000)
  rows[7, "clicks" := 100]
  odd <- inktide:::unusual_runs(rows, 1L)
  expect_equal(list(odd$from, odd$to, odd$what),
    list(as.IDate("2025-07-01"), as.IDate("2025-07-31"), "clicks missing"))
})
