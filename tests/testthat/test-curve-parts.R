test_that("parts lean on the whole by as much as they do not differ", {
  rows <- made_site(queries = 400, days = 30)
  rows[, device := ifelse(seq_len(.N) %% 2 == 0, "mobile", "desktop")]
  set.seed(1)
  low <- rows$device == "mobile"
  rows[low, clicks := rbinom(sum(low), clicks, 0.6)]
  few <- rows[query %in% unique(query)[1:3]][, device := "tablet"]
  curve <- tide_curve(tide_summary(as_data(rbind(rows, few)), split = "device"), by = "device")
  expect_gt(curve$fits$tablet$leans, 5 * curve$fits$mobile$leans)
  expect_lt(curve$fits$mobile$leans, 0.2)
  differ <- tide_compare(curve, "mobile", "desktop", 1:8)
  expect_equal(mean(log(differ$ratio)), log(0.6), tolerance = 0.15)
  expect_true(all(differ$ratio_high[1:5] < 1))
  expect_match(format(curve), "tablet: CTR .*; 3 queries", all = FALSE)
  # A part that has no data changes nothing; parts that do not differ share one curve.
  same <- made_site(queries = 300, days = 20)[,
    device := ifelse(as.integer(substr(query, 7, 10)) %% 2 == 0, "mobile", "desktop")]
  alike <- tide_curve(tide_summary(as_data(same), split = "device"), by = "device")
  apart <- abs(log(predict(alike, 1:10, "mobile")$ctr / predict(alike, 1:10, "desktop")$ctr))
  expect_lt(mean(apart), 0.12)
  expect_error(tide_curve(tide_summary(as_data(same)), by = "device"), class = "tide_error_grain")
})
