test_that("the spread of gamma factors is recovered from negative binomial clicks", {
  set.seed(5)
  for (spread in c(0.05, 0.2, 0.6)) {
    expected <- exp(rnorm(3000, 2.5, 1))
    clicks <- rnbinom(3000, size = 1 / spread, mu = expected)
    expect_equal(inktide:::estimate_spread(clicks, expected), spread, tolerance = 0.12)
  }
})

test_that("the likelihood of gamma factors has the maximum of Bliss, Fisher (1953), Biometrics 9", {
  # Red mites on 150 apple leaves: mean 1.1467, k = 1.0246, the shape of the factors.
  mites <- rep(0:7, c(70, 38, 17, 10, 9, 3, 2, 1))
  best <- optimize(function(shape) {
    -inktide:::factor_likelihood(mites, rep(mean(mites), 150), 1 / shape)
  }, c(0.2, 5), tol = 1e-8)
  expect_equal(best$minimum, 1.0246, tolerance = 1e-4)
})

test_that("a spread that grows with the position is told, and none where there is none", {
  set.seed(6)
  slope_of <- function(slope) {
    position <- exp(runif(3000, 0, log(20)))
    spread <- 0.2 * (position / 5)^slope
    expected <- exp(rnorm(3000, 2.5, 1))
    inktide:::estimate_spreads(rnbinom(3000, size = 1 / spread, mu = expected), expected,
      inktide:::spread_distance(position))
  }
  expect_equal(slope_of(0.6)$spread_slope, 0.6, tolerance = 0.15)
  expect_equal(slope_of(0.6)$spread, 0.2, tolerance = 0.15)
  expect_lt(abs(slope_of(0)$spread_slope), 0.1)
  expect_equal(inktide:::fit_spread(list(spread = 0.2, spread_slope = 0.6), c(5, 20, 90)),
    0.2 * c(1, 4, 4)^0.6)
})

test_that("a pair is held down where its gamma factor would be three standard deviations out", {
  # Factors of variance 0.25: the cube root of a gamma of shape 4 is near normal (Wilson, Hilferty
  # 1931).
  limit <- qgamma(pnorm(3), 4, 4) - 1
  expect_equal(inktide:::pair_distance(limit * 1e6, 1e6, 0.25), 1, tolerance = 0.05)
  expect_equal(inktide:::pair_distance(-1.5e6, 1e6, 0.25), 1, tolerance = 1e-3)
  # One click where a thousandth was expected is far off, and on the right side.
  expect_equal(inktide:::pair_distance(0.999, 0.001, 0.2), 999 / (3 * sqrt(0.2 + 1000)),
    tolerance = 1e-9)
  expect_true(all(inktide:::pair_distance(1:50, 10^seq(-6, 6, length.out = 50), 0.2) > 0))
})

test_that("a table cut at a row cap is corrected by what is known of the cut", {
  errors <- vapply(1:6, function(seed) {
    set.seed(seed)
    n <- 8000
    home <- sample(10, n, TRUE)
    rows <- data.table(query = paste("q", 1:n),
      impressions = pmax(1, rpois(n, exp(rnorm(n, 3, 1.5)))), position = home)
    rows[, clicks := rbinom(n, impressions, pmin(0.95, made_curve[home] * rgamma(n, 5, 5)))]
    cut <- setorder(copy(rows), -clicks, -impressions)[1:1000]
    error <- function(s) mean(abs(log(predict(tide_curve(s), 1:10)$ctr / made_curve)))
    summary <- tide_summary(tide_read({
      file <- tempfile(fileext = ".csv")
      fwrite(cut, file)
      file
    }))
    expect_true(summary$sources$capped)
    blind <- summary
    blind$sources <- copy(blind$sources)[, capped := FALSE]
    c(error(summary), error(blind))
  }, numeric(2))
  expect_lt(mean(errors[1, ]), 0.5 * mean(errors[2, ]))
})
