# How far queries differ around the curve: the variance of the pairs' factors, where it stands at
# position 5, and how it grows or falls with the log of the position (`spread_slope`, 0 where the
# data do not say otherwise).

spread_place <- 5

# Positions beyond these count at the end and have the spread there.
spread_range <- c(1, 20)

# Belief before any data: a spread near 0.2, the same everywhere, each within a factor of about e.
spread_prior <- list(spread = 0.2, slope_sd = 0.3)

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

# Log likelihood of clicks where pairs with fewer than `least` are cut off.
truncated_loglik <- function(clicks, expected, spread, least = 0) {
  kept <- if (least > 0) sum(log_chance_kept(expected, spread, least)) else 0
  factor_likelihood(clicks, expected, spread) - kept
}

# Maximum likelihood with the belief above, on the best-known pairs. least: where the export was
# cut, the clicks that every pair has. Out: the one spread of all.
estimate_spread <- function(clicks, expected, least = 0, most = 2000L) {
  best <- best_known(expected, most)
  spread_given(clicks[best], expected[best], 0, least)
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
spread_given <- function(clicks, expected, apart, least = 0) {
  minus_log <- function(log_spread) {
    -truncated_loglik(clicks, expected, exp(pmin(pmax(log_spread + apart, log(0.005)), log(5))),
      least) + 0.5 * (log_spread - log(spread_prior$spread))^2
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

# Exports cut at a row cap and sorted by clicks: a pair is there because it had clicks enough. What
# such pairs show is the clicks of those with at least `least` of them, so the likelihood is that of
# counts known to be at least that (left truncation of the negative binomial). Rows at the very cut
# are there by chance of the sorting and are left out.

# The fewest clicks in the table where it is one export that was cut (one row a pair), else NULL.
cut_floor <- function(summary) {
  sources <-
    summary$sources[same_table(summary$sources$grain, summary$grain) & summary$sources$kept > 0]
  if (summary$window$dated || nrow(sources) != 1 || !isTRUE(sources$capped)) return(NULL)
  min(summary$pairs$clicks)
}

# In: cells of one segment, one a pair, and the least clicks in the file. Out: list(cells, least).
cut_cells <- function(cells, floor) list(cells = cells[cells$clicks > floor], least = floor + 1)

# Log chance that a pair has at least `least` clicks, where its factor has variance `spread`.
log_chance_kept <- function(mean, spread, least) {
  stats::pnbinom(least - 1, size = 1 / spread, mu = pmax(mean, 1e-12), lower.tail = FALSE,
    log.p = TRUE)
}

# First and second derivative of it by the log of the mean, which are taken off score and
# information.
kept_derivatives <- function(mean, spread, least, step = 0.05) {
  at <- log_chance_kept(mean, spread, least)
  up <- log_chance_kept(mean * exp(step), spread, least)
  down <- log_chance_kept(mean * exp(-step), spread, least)
  list(first = (up - down) / (2 * step), second = (up - 2 * at + down) / step^2)
}
