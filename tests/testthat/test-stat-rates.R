# The layer of statistics against published and analytically known numbers.

test_that("the posterior of a factor is the integral that it stands for", {
  clicks <- 7
  expected <- 11
  spread <- 0.25
  weight <- function(factor) {
    dpois(clicks, expected * factor) * dgamma(factor, 1 / spread, 1 / spread)
  }
  all <- integrate(weight, 0, Inf)$value
  mean <- integrate(function(f) f * weight(f), 0, Inf)$value / all
  expect_equal(inktide:::mean_factor(clicks, expected, spread), mean, tolerance = 1e-6)
  of <- inktide:::factor_posterior(clicks, expected, spread)
  variance <- integrate(function(f) (f - mean)^2 * weight(f), 0, Inf)$value / all
  expect_equal(of$shape / of$rate^2, variance, tolerance = 1e-6)
  # The integral itself is the negative binomial whose likelihood is used for the spread.
  constant <- clicks * log(expected) - lgamma(clicks + 1)
  expect_equal(inktide:::factor_likelihood(clicks, expected, spread) + constant, log(all),
    tolerance = 1e-6)
  expect_equal(inktide:::mean_factor(0, 0, 0.3), 1)
})

test_that("half a count takes off most of the bias of the log of few counts; its variance holds", {
  for (mean in c(4, 10, 40)) {
    count <- 0:400
    chance <- dpois(count, mean)
    log_mean <- sum(chance * inktide:::log_rate(count, 1))
    # Without it: over the counts that have a log at all.
    plain <- sum(chance[-1] * log(count[-1])) / sum(chance[-1])
    expect_lt(abs(log_mean - log(mean)), 0.5 * abs(plain - log(mean)))
    variance <- sum(chance * (inktide:::log_rate(count, 1) - log_mean)^2)
    expect_equal(sum(chance * inktide:::rate_noise(count)), variance, tolerance = 0.2)
  }
  change <- inktide:::log_change(c(0, 19.5), c(0, 39.5), 10, 20)
  expect_equal(change$change, c(-log(2), 0))
  expect_equal(change$noise, c(4, 1 / 20 + 1 / 40))
  expect_equal(inktide:::log_factor(0, 0), 0)
})

test_that("few_between is DerSimonian and Laird's: thirteen trials of BCG vaccine (Colditz 1994)", {
  ratio <- c(-0.8893, -1.5854, -1.3481, -1.4416, -0.2175, -0.7861, -1.6209, 0.0120, -0.4694,
    -1.3713, -0.3394, 0.4459, -0.0173)
  noise <- c(0.3256, 0.1946, 0.4154, 0.0200, 0.0512, 0.0069, 0.2230, 0.0040, 0.0564, 0.0730, 0.0124,
    0.5325, 0.0714)
  # Without the belief, and with the divisor that the belief brings taken off.
  expect_equal(inktide:::dl_between_variance(ratio, noise, belief = 0) * 13 / 12, 0.3088,
    tolerance = 0.002)
  expect_equal(inktide:::dl_between_variance(c(1, 1, 1), rep(0.1, 3)), 0.1^2 / 3)
})

test_that("what units differ by is found again, and nothing is found where they do not", {
  set.seed(3)
  noise <- rexp(2000, 1 / 0.05)
  alike <- rnorm(2000, 0.2, sqrt(noise))
  apart <- alike + rnorm(2000, 0, 0.3)
  expect_lt(inktide:::meta_mean(alike, noise)$between, 0.003)
  found <- inktide:::meta_mean(apart, noise)
  expect_equal(found$between, 0.09, tolerance = 0.12)
  expect_lt(abs(found$common - 0.2), 4 * sqrt(found$variance))
  # A tenth that truly moved widens the moments, not the middle.
  moved <- apart + rep(c(0, 3), c(1800, 200))
  expect_lt(inktide:::robust_between_variance(moved - 0.2, noise), 0.16)
  expect_gt(inktide:::meta_mean(moved, noise)$between, 0.5)
  trials <- rpois(400, 300)
  rate <- rbeta(400, 0.03 * 150, 0.97 * 150)
  expect_equal(inktide:::beta_weight(trials, rbinom(400, trials, rate), 0.03), 150,
    tolerance = 0.35)
})

test_that("a normal effect seen with noise keeps its share, and groups share out what is seen", {
  shrunk <- inktide:::shrink_to(2, 3, 0, 1)
  expect_equal(shrunk, list(mean = 0.5, variance = 0.75))
  groups <- list(weight = c(0.8, 0.1, 0.1), mean = c(0, -1, 1), sd = c(0.1, 0.1, 0.1))
  shares <- inktide:::group_shares(c(0, -1, 1), rep(0.01, 3), groups)
  expect_equal(rowSums(shares), rep(1, 3))
  expect_equal(apply(shares, 1, which.max), 1:3)
  expect_equal(inktide:::weighted_median(c(3, 1, 2), c(1, 1, 5)), 2)
})

test_that("how far things waver is told from the middle half, also of very many", {
  set.seed(5)
  noise <- runif(40000, 0.01, 0.05)
  x <- rnorm(40000, 0, sqrt(noise + 0.09))
  expect_equal(inktide:::robust_between_variance(x, noise), 0.09, tolerance = 0.08)
  # A tenth that truly moved does not widen it much.
  x[1:4000] <- x[1:4000] + 3
  expect_lt(inktide:::robust_between_variance(x, noise), 0.14)
  expect_equal(inktide:::robust_between_variance(rnorm(500, 0, 0.01), rep(0.05, 500)), 0)
})
