test_that("a usual spread without a low part flags next to nothing; planted ones are found", {
  set.seed(2)
  expected <- exp(rnorm(800, 3, 1))
  factor <- exp(rnorm(800, 0, 0.25))
  page <- seq_along(expected) %/% 3 + 1
  words <- data.table(query = seq_len(800), word = paste("word", seq_len(800)))
  none <- inktide:::fit_low_ctr(rpois(800, expected * factor), expected, page, words)
  expect_lt(length(inktide:::within_fdr(none$judged$confidence, fdr = 0.1)), 10)
  weak <- page %% 15 == 0
  some <- inktide:::fit_low_ctr(rpois(800, expected * factor * ifelse(weak, 0.35, 1)), expected,
    page, words)
  listed <- inktide:::within_fdr(some$judged$confidence, fdr = 0.1)
  expect_gt(mean(weak[listed]), 0.8)
  expect_gt(mean(which(weak & expected > 10) %in% listed), 0.7)
})

test_that("clicks tell gamma factors from log-normal ones, and a high part only where there is one",
  {
  skip_unless_studies()
    fitted <- function(factor) {
      expected <- exp(rnorm(length(factor), 4, 1))
      inktide:::fit_query_groups(inktide:::clicks_over_factors(
        rpois(length(factor), expected * factor), expected))
    }
    set.seed(6)
    lognormal <- fitted(exp(rnorm(3000, 0, 0.5)))
    gamma <- fitted(rgamma(3000, 1 / 0.25) * 0.25)
    # A low part can take a tail for its own, so that this many queries leave some doubt, and more
    # of them less.
    expect_lt(lognormal$gamma, 0.2)
    expect_gt(gamma$gamma, 0.8)
    expect_equal(c(lognormal$sd[1], gamma$sd[1]), c(0.5, sqrt(trigamma(4))), tolerance = 0.05)
    expect_equal(c(lognormal$weight[["high"]], gamma$weight[["high"]]), c(0, 0))
    some_high <- fitted(exp(rnorm(3000, 0, 0.2) + rep(c(1, 0), c(150, 2850))))
    expect_equal(some_high$weight[["high"]], 0.05, tolerance = 0.2)
    expect_equal(some_high$mean[3], 1, tolerance = 0.15)
    set.seed(6)
    expect_lt(fitted(exp(rnorm(6000, 0, 0.5)))$gamma, 0.05)
    expect_gt(fitted(rgamma(6000, 1 / 0.25) * 0.25)$gamma, 0.95)
  })

test_that("two groups planted in log factors are told apart", {
  set.seed(3)
  low <- rep(c(TRUE, FALSE), c(150, 1350))
  noise <- rep(0.02, 1500)
  z <- rnorm(1500, ifelse(low, -0.9, 0), ifelse(low, 0.4, 0.25)) + rnorm(1500, 0, sqrt(noise))
  groups <- inktide:::fit_two_groups(inktide:::measured_over_factors(z, noise))
  expect_equal(groups$sd[1], 0.25, tolerance = 0.1)
  expect_equal(groups$mean[2], -0.9, tolerance = 0.25)
  expect_equal(groups$weight[[2]], 0.1, tolerance = 0.4)
})

# The arithmetic in plain R: weights of the effects `at` in each group, and the log prior.
plain_priors <- function(groups, at) {
  vapply(1:3, function(k) {
    own <- stats::dnorm(at, groups$mean[k], groups$sd[k])
    own <- own / sum(own)
    if (groups$gamma > 0) {
      size <- (1 + sqrt(1 + 2 * groups$sd[k]^2)) / (2 * groups$sd[k]^2)
      beside <- at - groups$mean[k] + digamma(size) - log(size)
      skewed <- exp(size * (beside - exp(beside) + 1))
      own <- (1 - groups$gamma) * own + groups$gamma * skewed / sum(skewed)
    }
    if (k > 1) {
      beyond <- 0.5 + (at - groups$mean[1]) * c(-1, 1)[k - 1] / diff(at[1:2])
      own <- own * pmin(pmax(beyond, 0), 1)
    }
    groups$weight[k] * own / sum(own)
  }, at)
}

plain_log_prior <- function(groups, size, sd, of) {
  anchor <- groups$mean[1] + c(-groups$mean[1], -0.8, 0.8)
  sum((size * log(groups$weight) - 5 * log(groups$sd) -
    2.5 * ((groups$mean - anchor)^2 + sd^2) / groups$sd^2)[of])
}

test_that("weights, priors and slopes of a mixture are those of plain R", {
  at <- inktide:::factor_grid
  sd <- c(0.25, 0.4, 0.4)
  for (high in c(FALSE, TRUE)) {
    for (gamma in c(0, 0.3, 1)) {
      x <- c(0.05, log(0.3), -2, log(0.5), log(0.2), if (high) c(-2.5, log(0.3), log(0.1)))
      size <- c(18, 1, if (high) 1 else 0)
      groups <- inktide:::groups_from(x, 0.05, gamma, high)
      expect_equal(inktide:::group_priors(groups, at), plain_priors(groups, at))
      of <- function(x, step = 0) {
        .Call(inktide:::mixture_of, x, at, 0.05, gamma, as.integer(high), size, sd, step)
      }
      expect_equal(of(x)[[1]], rowSums(plain_priors(groups, at)))
      expect_equal(of(x)[[2]], plain_log_prior(groups, size, sd, seq_len(2 + high)))
      slopes <- of(x, 1e-4)
      for (j in seq_along(x)) {
        by <- replace(numeric(length(x)), j, 1e-4)
        expect_equal(slopes[[1]][, j], (of(x + by)[[1]] - of(x - by)[[1]]) / 2e-4)
        expect_equal(slopes[[2]][j], (of(x + by)[[2]] - of(x - by)[[2]]) / 2e-4)
      }
    }
  }
  likely <- exp(outer(c(0, 3, 50), at) - outer(c(1, 2.5, 20), exp(at)))
  expect_equal(inktide:::clicks_over_factors(c(0, 3, 50), c(1, 2.5, 20)),
    likely / apply(likely, 1, max))
})
