test_that("a folder is predicted by the others: one clicked half as often is half of that", {
  rows <- made_site(queries = 500, days = 40, seed = 3)
  rows[, page := sub("example/",
    sprintf("example/%s/", ifelse(as.integer(sub(".* ", "", query)) <= 60, "deals", "guides")),
    page),
    by = "query"]
  own <- grepl("/deals/", rows$page, fixed = TRUE)
  set.seed(4)
  rows[own, clicks := rbinom(.N, clicks, 0.5)]
  summary <- tide_summary(as_data(rows))
  folders <- tide_curve_check(tide_curve(summary), summary)$folders
  expect_equal(folders$ratio[folders$folder == "/deals/"], 0.5, tolerance = 0.12)
  # What the folder itself pulls down is not held against it.
  expect_lt(folders$ratio_high[folders$folder == "/deals/"], 0.65)
  # A folder that nobody clicks is far off, not infinitely.
  rows[own, clicks := 0L]
  summary <- tide_summary(as_data(rows))
  check <- tide_curve_check(tide_curve(summary), summary)
  expect_equal(check$folders$ratio[check$folders$folder == "/deals/"], 0)
  expect_true(is.finite(check$folder_error) && check$folder_error > 0.5)
})

test_that("augment() gives the curve's own pairs, whose residuals are normal where the law holds", {
  set.seed(4)
  n <- 3000
  rows <- data.table(query = sprintf("q%04d", seq_len(n)),
    page = sprintf("/p%d/", seq_len(n) %% 50),
    position = sample(1:15, n, TRUE), impressions = 400)
  rows[, "clicks" := rpois(n, impressions * 0.3 / position * rgamma(n, 4, 4))]
  curve <- tide_curve(tide_summary(as_data(rows)))
  own <- augment(curve)
  expect_equal(nrow(own), n)
  expect_equal(sum(own$clicks), sum(rows$clicks))
  expect_equal(sum(own$.fitted), sum(own$clicks), tolerance = 0.03)
  expect_lt(abs(mean(own$.resid)), 0.06)
  expect_lt(abs(sd(own$.resid) - 1), 0.06)
  check <- tide_curve_check(curve, curve$summary)$residuals
  expect_equal(sort(check$residual), sort(own$.resid[own$.fitted >= 0.5]))
})
