# Regressions with a prior, against R's own where the prior is flat or the data are none.

set.seed(8)
x <- cbind(1, rnorm(300), rnorm(300))
flat <- diag(1e-12, 3)

test_that("a logistic regression is glm()'s without a prior, and the prior's without data", {
  y <- runif(300) < plogis(0.3 + x %*% c(-0.5, 1, 0.4))
  offset <- rep(0.3, 300)
  expect_equal(inktide:::logistic_mode(x, y, offset, flat),
    unname(coef(glm(y ~ x - 1, binomial, offset = offset))), tolerance = 1e-6)
  expect_equal(inktide:::logistic_mode(x, y, offset, diag(1e9, 3), c(1, 2, 3)), c(1, 2, 3),
    tolerance = 1e-4)
  # A case that counts a third is a third of a case.
  expect_equal(inktide:::logistic_mode(x, y, offset, diag(1, 3), weight = 1 / 3),
    inktide:::logistic_mode(rbind(x, x), c(y, y), rep(offset, 2), diag(2, 3), weight = 1 / 3),
    tolerance = 1e-8)
})

test_that("a linear regression is lm()'s without a prior, with its covariance", {
  w <- runif(300, 0.5, 2)
  y <- as.vector(x %*% c(1, -2, 0.5)) + rnorm(300) / sqrt(w)
  fit <- inktide:::linear_posterior(x, y, w, flat)
  by_lm <- lm(y ~ x - 1, weights = w)
  expect_equal(fit$mean, unname(coef(by_lm)), tolerance = 1e-8)
  expect_equal(fit$cover, unname(vcov(by_lm)) / sigma(by_lm)^2, tolerance = 1e-8)
  # One case and a prior: means weighed by what each knows.
  one <- inktide:::linear_posterior(matrix(1), 5, 4, diag(1, 1), 1)
  expect_equal(one$mean, (4 * 5 + 1 * 1) / 5)
  expect_equal(one$cover[1], 1 / 5)
})
