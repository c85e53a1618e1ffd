# Estimates one segment's curve. Clicks of a query x page pair in a cell are Poisson with mean impressions x
# curve x the pair's own factor; factors are gamma with mean 1 and variance `spread`, so a pair's weight grows
# with its evidence only up to 1 / spread: a query with a million impressions counts as one query. Summed over
# a pair this is the negative binomial. The mean curve solves weighted estimating equations (Liang, Zeger
# 1986), which stay right when the spread is not gamma; their covariance is taken between groups of queries.

curve_groups <- 200L

# In: cells of one segment, sorted by pair (query, page). Out: list, see the end.
estimate_curve <- function(cells, prior) {
  data <- index_cells(cells)
  penalty <- c(prior_penalty(prior), list(rough = roughness_penalty()))
  theta <- penalty$mean
  smooth <- 1
  spread <- 0.2
  for (round in 1:12) {
    expected <- cells$impressions * exp(interpolate_knots(theta, cells$position))
    pair_expected <- sum_runs(expected, data$ends)
    spread <- estimate_spread(data$pair_clicks, pair_expected)
    weight <- rep(1 / (1 + spread * pair_expected), data$lengths)
    before <- theta
    fit <- fit_bins(bin_cells(cells, weight), theta, smooth, penalty)
    theta <- fit$theta
    smooth <- fit$smooth
    if (max(abs(knot_design() %*% (theta - before))) < 1e-4) break
  }
  log_ctr <- drop(knot_design() %*% theta)
  covariance <- score_covariance(cells, weight, theta, fit)
  information <- pmax(diag(knot_design() %*% fit$information %*% t(knot_design())), 1e-6)
  list(
    log_ctr = pmin(pool_violators(log_ctr, information), log(0.98)),
    covariance = covariance$knots, groups = covariance$groups, spread = spread, smooth = smooth,
    rounds = round, converged = round < 12, pairs = length(data$ends), clicks = sum(cells$clicks),
    impressions = sum(cells$impressions)
  )
}

# Where each pair's run of cells ends, and its clicks.
index_cells <- function(cells) {
  if (!nrow(cells)) return(list(ends = integer(), lengths = integer(), pair_clicks = numeric()))
  new <- c(diff(cells$query) != 0 | diff(cells$page) != 0, TRUE)
  ends <- which(new)
  list(ends = ends, lengths = diff(c(0L, ends)), pair_clicks = sum_runs(cells$clicks, ends))
}

sum_runs <- function(x, ends) diff(c(0, cumsum(x)[ends]))

interpolate_knots <- function(theta, position) {
  stats::approx(log(curve_knots), knot_design() %*% theta, log(pmin(pmax(position, 1), 100)))$y
}

# Variance of the pairs' factors by maximum likelihood of the negative binomial, on the best-known pairs.
estimate_spread <- function(clicks, expected, most = 5000L) {
  if (length(clicks) > most) {
    best <- order(-expected)[seq_len(most)]
    clicks <- clicks[best]
    expected <- expected[best]
  }
  # Half a pair's worth of belief in a spread near 0.2 keeps the estimate away from the edges.
  minus_log <- function(log_spread) {
    shape <- exp(-log_spread)
    -sum(lgamma(clicks + shape) - lgamma(shape) + shape * log(shape) - (clicks + shape) * log(shape + expected)) +
      0.5 * (log_spread - log(0.2))^2
  }
  exp(stats::optimize(minus_log, log(c(0.005, 5)), tol = 0.01)$minimum)
}

# Weighted sums by position bin: what the curve needs of millions of cells.
bin_cells <- function(cells, weight) {
  sums <- rowsum(cbind(clicks = weight * cells$clicks, exposure = weight * cells$impressions,
    weighted = weight * cells$weighted), cells$bin)
  list(clicks = sums[, "clicks"], exposure = sums[, "exposure"], position = sums[, "weighted"] / sums[, "exposure"])
}

# Penalised Poisson fit on bins by Newton steps, the smoothness by the update of Fellner and Schall as in
# Wood and Fasiolo (2017).
fit_bins <- function(bins, theta, smooth, penalty) {
  design <- knot_weights(bins$position) %*% knot_design()
  rank <- length(curve_knots) - 2
  for (step in 1:50) {
    mean <- bins$exposure * exp(pmin(drop(design %*% theta), 0))
    information <- crossprod(design, design * mean)
    total <- information + smooth * penalty$rough + penalty$precision
    gradient <- crossprod(design, bins$clicks - mean) -
      (smooth * penalty$rough + penalty$precision) %*% (theta - penalty$mean)
    move <- drop(solve(total, gradient))
    theta <- theta + move * min(1, 1 / max(abs(move)))
    inverse <- solve(total)
    rough <- drop(crossprod(theta - penalty$mean, penalty$rough %*% (theta - penalty$mean)))
    proposed <- (rank - smooth * sum(inverse * penalty$rough)) / max(rough, 1e-8)
    smooth <- min(max(proposed, smooth / 5, 0.05), smooth * 5, 1e4)
    if (max(abs(move)) < 1e-6) break
  }
  list(theta = theta, smooth = smooth, information = information, inverse = inverse,
    prior = smooth * penalty$rough + penalty$precision)
}

# Covariance of log CTR at the knots: the spread of the scores between groups of queries (queries are coded
# by size, so every group gets its share of large ones), plus what the penalty may bias (Nychka 1988).
score_covariance <- function(cells, weight, theta, fit) {
  groups <- min(curve_groups, length(unique(cells$query)))
  if (groups >= 20) {
    group <- cells$query %% curve_groups
    residual <- weight * (cells$clicks - cells$impressions * exp(interpolate_knots(theta, cells$position)))
    code <- group * 1000 + cells$bin
    by_bin <- rowsum(cbind(residual = residual, exposure = cells$impressions, weighted = cells$weighted), code)
    position <- by_bin[, "weighted"] / by_bin[, "exposure"]
    scores <- rowsum(by_bin[, "residual"] * (knot_weights(position) %*% knot_design()), as.numeric(rownames(by_bin)) %/% 1000)
    between <- crossprod(scores) * groups / (groups - 1)
  } else {
    between <- fit$information
  }
  parameters <- fit$inverse %*% (between + fit$prior) %*% fit$inverse
  list(knots = knot_design() %*% parameters %*% t(knot_design()), groups = groups)
}
