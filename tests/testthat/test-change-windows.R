test_that("the season is what the same weekdays did a year before, where they are held", {
  days <- data.table::data.table(date = as.IDate("2025-01-01") + 0:450)
  days[,
    "clicks" := ifelse(date >= as.IDate("2025-03-03") & date < as.IDate("2025-03-31"), 150, 100)]
  windows <- list(before = as.IDate(c("2026-02-02", "2026-03-01")),
    after = as.IDate(c("2026-03-02", "2026-03-29")))
  expect_equal(inktide:::last_season(days, windows)$ratio, 1.5)
  expect_null(inktide:::last_season(days[date > as.IDate("2025-02-20")], windows))
  expect_null(inktide:::last_season(NULL, windows))
  weeks <- inktide:::week_number(as.IDate("2026-02-02") + 0:55, windows)
  expect_equal(weeks, rep(1:8, each = 7))
  uneven <- list(before = as.IDate(c("2026-02-01", "2026-02-10")),
    after = as.IDate(c("2026-02-11", "2026-02-24")))
  expect_equal(sum(is.na(inktide:::week_number(as.IDate("2026-02-01") + 0:23, uneven))), 3)
})

test_that("the days that a comparison asks for are all that it needs", {
  data <- as_data(made_site(queries = 40, days = 500, demand = rep(20, 40)))
  ends <- function(from, to) format(as.IDate("2026-01-01") + c(from, to))
  cases <- list(list(), list(days = 60), list(before = "year"),
    list(after = ends(300, 319)), list(after = ends(300, 319), before = ends(100, 119)),
    list(after = ends(400, 450), before = "year"), list(before = ends(420, 430), days = 7))
  for (case in cases) {
    asked <- inktide:::compared_days(case$after, case$before, max(28, case$days))
    whole <- do.call(tide_compare, c(list(data), case))
    expect_equal(
      do.call(tide_compare, c(list(do.call(tide_filter, c(list(data), asked))), case,
        list(site_days = inktide:::site_days_table(data)))),
      whole, label = deparse(case))
    expect_lte(length(asked), 1)
  }
})
