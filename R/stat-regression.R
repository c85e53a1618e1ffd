# Regressions with a normal prior on the coefficients. x: a matrix, a row a case; precision: the
# inverse of the prior's covariance; prior_mean: its mean.

# Logistic, with an offset: the mode of the posterior, by Newton's steps. weight: what a case
# counts.
logistic_mode <- function(x, y, offset, precision, prior_mean = numeric(ncol(x)), weight = 1) {
  b <- prior_mean
  for (k in 1:25) {
    p <- stats::plogis(offset + as.vector(x %*% b))
    slope <- weight * as.vector(crossprod(x, y - p)) - as.vector(precision %*% (b - prior_mean))
    curvature <- weight * crossprod(x, x * (p * (1 - p))) + precision
    change <- solve(curvature, slope)
    b <- b + change
    if (max(abs(change)) < 1e-8) break
  }
  b
}

# Linear, errors with the variance 1 / weight: list(mean, cover: covariance) of the posterior.
linear_posterior <- function(x, y, weight, precision, prior_mean = numeric(ncol(x))) {
  cover <- solve(crossprod(x, x * weight) + precision)
  list(mean = as.vector(cover %*% (crossprod(x, weight * y) + precision %*% prior_mean)),
    cover = cover)
}
