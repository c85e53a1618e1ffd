# Queries of which half of the searchers see the site near the top and half far down, beside others.
mixed_site <- function(mixed, size = 12, days = 60) {
  set.seed(7)
  rows <- CJ(q = 1:200, day = seq_len(days))
  home <- runif(200, 2, 14)
  rows[, position := vapply(q, function(k) {
    mean(if (k <= mixed) {
      ifelse(runif(size) < 0.5, 2, 17)
    } else {
      pmax(1, home[k] + rnorm(size, 0, 0.1 * home[k]))
    })
  }, 0)]
  rows[, .(date = as.IDate("2026-01-01") + day, query = sprintf("plant %03d", q),
    page = sprintf("https://www.fernmoor.example/p%d/", q %/% 4),
    clicks = rbinom(.N, size, ifelse(q <= mixed, 0.08, 0.25 / home[q])), impressions = size,
    position = round(position, 1))]
}

test_that("queries at very different places are told from those that stand between", {
  summary <- tide_summary(as_data(mixed_site(60)))
  found <- summary$queries$query[summary$apart$query[summary$apart$seen]]
  expect_gt(mean(sprintf("plant %03d", 1:60) %in% found), 0.9)
  expect_true(all(found %in% sprintf("plant %03d", 1:60)))
  expect_equal(nrow(tide_summary(as_data(mixed_site(0)))$apart), 0)
})

test_that("a move from one week to another is none, and days apart at whole places are none", {
  rows <- mixed_site(0)
  rows[query == "plant 010", position := ifelse(date > as.IDate("2026-02-01"), 15, 3)]
  rows[query == "plant 011", c("position", "impressions") :=
    list(ifelse(as.integer(date) %% 2 == 0, 3, 17), 80L)]
  expect_equal(nrow(tide_summary(as_data(rows))$apart), 0)
})

test_that("such queries leave the curve, and are left out of low CTR by name", {
  summary <- tide_summary(as_data(mixed_site(60)))
  curve <- tide_curve(summary)
  # The others alone give the same curve.
  alone <- tide_curve(tide_summary(as_data(mixed_site(60)[!query %in% sprintf("plant %03d",
    1:60)])))
  expect_equal(log(predict(curve, 3:10)$ctr), log(predict(alone, 3:10)$ctr), tolerance = 0.05)
  found <- tide_find(summary, kind = "low_ctr", min_gain = 0)
  expect_match(found$excluded$reason, "very different places", all = FALSE)
})
