# How far queries differ around the curve: the variance of the pairs' factors, where it stands at
# position 5, and how it grows or falls with the log of the position (`spread_slope`, 0 where the
# data do not say otherwise).

spread_place <- 5

# Positions beyond these count at the end and have the spread there.
spread_range <- c(1, 20)

# Belief before any data: a spread near 0.2, the same everywhere, each within a factor of about e.
# Rows of a cut table hardly tell a wide spread around a low curve from a narrow one around a high
# one, so that there the spread is held closer (bench/simulate-situations.R).
spread_prior <- list(spread = 0.2, slope_sd = 0.3, cut_sd = 0.3)

spread_distance <- function(position) {
  log(pmin(pmax(position, spread_range[1]), spread_range[2]) / spread_place)
}

fit_spread <- function(fit, position, distance = spread_distance(position)) {
  fit$spread * exp(fit$spread_slope * distance)
}

# The spread at these positions, each in its own segment of the curve.
spread_at <- function(curve, position, segment) {
  at <- function(name) unname(vapply(curve$fits, `[[`, 0, name)[segment])
  fit_spread(list(spread = at("spread"), spread_slope = at("spread_slope")), position)
}

# Maximum likelihood with the belief above, on the best-known pairs. least: where the export was
# cut, the clicks that every pair has. Out: the one spread of all.
estimate_spread <- function(clicks, expected, least = 0, impressions = rep(Inf, length(clicks)),
    most = 2000L) {
  best <- best_known(expected, most)
  spread_given(clicks[best], expected[best], 0, least, impressions[best])
}

# Out: list(spread, spread_slope), the one given the other, twice: the two are nearly independent.
estimate_spreads <- function(clicks, expected, distance, slope = 0, most = 2000L) {
  best <- best_known(expected, most)
  clicks <- clicks[best]
  expected <- expected[best]
  distance <- distance[best]
  for (turn in 1:2) {
    spread <- spread_given(clicks, expected, slope * distance)
    minus_log <- function(slope) {
      -factor_likelihood(clicks, expected, pmin(5, pmax(0.005, spread * exp(slope * distance)))) +
        0.5 * (slope / spread_prior$slope_sd)^2
    }
    slope <- stats::optimize(minus_log, c(-1.5, 1.5), tol = 0.01)$minimum
  }
  list(spread = spread, spread_slope = slope)
}

best_known <- function(expected, most) {
  if (length(expected) > most) order(-expected)[seq_len(most)] else seq_along(expected)
}

# The spread at the place it stands for, given by how much (in logs) it is another at each pair.
spread_given <- function(clicks, expected, apart, least = 0, impressions = Inf) {
  minus_log <- function(log_spread) {
    -truncated_loglik(clicks, expected, exp(pmin(pmax(log_spread + apart, log(0.005)), log(5))),
      least, impressions) +
      0.5 * ((log_spread - log(spread_prior$spread)) / if (least > 0) spread_prior$cut_sd else 1)^2
  }
  exp(stats::optimize(minus_log, log(c(0.005, 5)), tol = 0.01)$minimum)
}

# How far a pair is off, in units of what three standard deviations allow. Factors are skewed, so
# that limit is set where they are near normal: on the scale of cube roots (Wilson, Hilferty 1931);
# below the curve it is the plain one.
pair_distance <- function(residual, mean, spread) {
  mean <- pmax(mean, 1e-12)
  relative <- spread + 1 / mean
  out <- abs(residual) / mean / (3 * sqrt(relative))
  # The skewed limit is the wider one: it matters to those beyond the plain one.
  far <- which(out > 1 & residual > 0)
  # Where next to nothing is expected the cube root says nothing, and the plain limit stands.
  limit <- pmax(3 * sqrt(relative[far]), (1 - relative[far] / 9 + sqrt(relative[far]))^3 - 1)
  out[far] <- residual[far] / mean[far] / limit
  out
}
