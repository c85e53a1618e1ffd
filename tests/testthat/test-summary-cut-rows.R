whole <- function(seed = 1) {
  made_site(queries = 500, days = 56, seed = seed, demand = exp(rnorm(500, 1.6, 1)))
}
error_of <- function(rows) {
  curve <- tide_curve(tide_summary(as_data(rows)))
  mean(abs(log(predict(curve, 1:8)$ctr / made_curve[1:8])))
}

test_that("rows that are missing because they were not clicked are noticed, and the curve holds", {
  rows <- whole()
  set.seed(4)
  best <- rows[order(date, -clicks, -impressions), head(.SD, 180), by = "date"]
  clicked <- rows[rows$clicks > 0]
  rules <- vapply(list(rows, best, clicked), function(own) {
    rule <- tide_summary(as_data(own))$missing$rule
    if (is.null(rule)) "none" else rule
  }, "")
  expect_equal(rules, c("none", "best", "clicked"))
  expect_lt(error_of(best), 0.15)
  expect_lt(error_of(clicked), 0.2)
  # Days that are cut above one click.
  few <- rows[order(date, -clicks, -impressions), head(.SD, 60), by = "date"]
  expect_gt(tide_summary(as_data(few))$missing$least, 1)
  expect_lt(error_of(few), 0.4)
  # Taken as they are, their curves are far too high.
  pivot <- function(own) own[, .(ctr = sum(clicks) / sum(impressions)), keyby = "position"]$ctr[1:8]
  expect_gt(mean(abs(log(pivot(clicked) / made_curve[1:8]))), 0.4)
})

test_that("sorted by impressions, or a fixed set of queries, nothing is missing by its clicks", {
  rows <- whole()
  by_size <- rows[order(date, -impressions), head(.SD, 180), by = "date"]
  fixed <- made_site(queries = 100, days = 30, demand = rep(40, 100))
  for (own in list(by_size, fixed)) expect_null(tide_summary(as_data(own))$missing)
})

test_that("of rows that were clicked to be there none is called low, and every face says why", {
  clicked <- whole()[clicks > 0]
  summary <- tide_summary(as_data(clicked))
  found <- tide_find(summary, kind = "low_ctr", min_gain = 0)
  expect_equal(nrow(found$findings), 0)
  expect_match(found$excluded$reason, "rows with few clicks are missing", all = FALSE)
  for (said in list(format(summary), format(found$curve))) {
    expect_match(said, "no row is without a click", all = FALSE)
  }
  file <- withr::local_tempfile(fileext = ".csv")
  fwrite(clicked, file)
  expect_match(program("curve", file)$out, "rows without clicks are missing", all = FALSE)
  # A curve of such rows is not carried on by rows of other days.
  expect_error(update(found$curve, tide_summary(as_data(whole(2)[, date := date + 100L]))),
    class = "tide_error_argument")
})

test_that("a part of a summary whose rows are cut rests on its own rows alone", {
  summary <- tide_summary(as_data(whole()[clicks > 0]))
  half <- tide_filter(summary, query = "query 0[01]")
  expect_true(all(half$missing$rows$query %in% half$cells$query))
  expect_lt(nrow(half$missing$rows), nrow(summary$missing$rows))
})
