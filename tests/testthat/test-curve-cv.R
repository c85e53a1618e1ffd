test_that("the pivot is the plain ratio at the rounded position", {
  rows <- data.table(query = c("a", "b", "c"), clicks = c(1, 2, 4), impressions = c(10, 10, 10),
    position = c(1.6, 2.4, 2.5))
  evidence <- tide_curve(tide_summary(as_data(rows)))$evidence
  expect_equal(evidence$position, c(2, 3))
  expect_equal(evidence$pivot_ctr, c(0.15, 0.4))
  expect_equal(evidence$pairs, c(2, 1))
})

test_that("the method that predicts unseen queries is named, residuals are normal, intervals hold",
  {
    rows <- made_site(queries = 500, days = 40, seed = 3)
    summary <- tide_summary(as_data(rows))
    rivals <- inktide:::curve_rivals(summary)
    expect_equal(rivals$method[1], "fitted")
    expect_gt(rivals$behind[rivals$method == "power"],
      2 * rivals$behind_se[rivals$method == "power"])
    curve <- tide_curve(summary)
    check <- tide_curve_check(curve, summary)
    expect_lt(abs(mean(check$residuals$residual)), 0.15)
    expect_equal(stats::sd(check$residuals$residual), 1, tolerance = 0.15)
    expect_true(all(check$effective$effective <= check$effective$queries + 1e-9))
    expect_s3_class(ggplot2::autoplot(check), "ggplot")
    set.seed(9)
    at <- predict(curve, 3, impressions = 400)
    shown <- rbinom(4000, 400, pmin(0.95, made_curve[3] * exp(rnorm(4000, -0.045, 0.3)))) / 400
    expect_gt(mean(shown >= at$query_low & shown <= at$query_high), 0.85)
    expect_lt(mean(shown >= at$query_low & shown <= at$query_high), 0.96)
  })
