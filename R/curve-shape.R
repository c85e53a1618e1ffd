# The shape of a curve: log CTR, linear in log position between knots, a smooth part plus a step at
# each page break. The penalty on second differences of the smooth part, taken as its distance from
# the prior's centre, pulls thin data towards a power law (or the parent's shape); the steps are
# pulled towards none.

curve_knots <- c(1:21, 23, 26, 30, 35, 40, 50, 65, 80, 100)

curve_breaks <- c(10, 20)

# What is believed before any data: log CTR at the knots, and how far level, slope and steps may
# stray from it (standard deviations, wide enough to give way to a few dozen clicks). A curve with a
# parent leans on the parent's shape; without one, on a power law.
curve_prior <- function(segment, parent = NULL) {
  centre <- if (is.null(parent)) log(0.25) - 1.1 * log(curve_knots) else parent
  shift <- if (segment == "brand") log(0.45 / 0.25) else 0
  list(centre = pmin(centre + shift, log(0.95)), level_sd = 0.7, slope_sd = 0.25, step_sd = 0.5)
}

# A table of CTR by position from outside, as log CTR at the knots: straight between its positions
# and beyond them.
outside_curve <- function(table) {
  if (!is.data.frame(table) || !all(c("position", "ctr") %in% names(table)) || nrow(table) < 2 ||
      !is.numeric(table$position) || !is.numeric(table$ctr)) {
    abort_argument("prior", "a table with the columns position and ctr, of two rows or more",
      names(table))
  }
  if (anyNA(table$ctr) || any(table$ctr <= 0 | table$ctr >= 1) || anyNA(table$position) ||
      any(table$position < 1) || anyDuplicated(table$position)) {
    abort_argument("prior",
      "a table of positions from 1, each once, with CTR as fractions between 0 and 1",
      utils::head(table$ctr))
  }
  table <- as.data.frame(table)[order(table$position), ]
  x <- log(table$position)
  y <- log(table$ctr)
  n <- nrow(table)
  slope <- (y[n] - y[1]) / (x[n] - x[1])
  at <- log(curve_knots)
  inside <- stats::approx(x, y, at, rule = 2)$y
  out <- inside + ifelse(at > x[n], slope * (at - x[n]), ifelse(at < x[1], slope * (at - x[1]), 0))
  pool_violators(pmin(out, log(0.95)), rep(1, length(out)))
}

# Rows of weights on the knots for linear interpolation at log position.
knot_weights <- function(position) {
  x <- log(pmin(pmax(position, 1), 100))
  knot_at <- log(curve_knots)
  left <- pmin(findInterval(x, knot_at), length(knot_at) - 1)
  right_weight <- (x - knot_at[left]) / (knot_at[left + 1] - knot_at[left])
  weight_of <- matrix(0, length(x), length(knot_at))
  weight_of[cbind(seq_along(x), left)] <- 1 - right_weight
  weight_of[cbind(seq_along(x), left + 1)] <- right_weight
  weight_of
}

# From parameters (smooth part at the knots, then one step a break) to log CTR at the knots.
knot_design <- function() {
  cbind(diag(length(curve_knots)),
    vapply(curve_breaks, function(b) as.numeric(curve_knots > b), numeric(length(curve_knots))))
}

# Squared changes of slope of the smooth part over log position, weighed so that a kink of one
# height is hardly dearer at position 8, where knots stand close, than at 2: results pages have
# kinks anywhere.
roughness_penalty <- function() {
  x <- log(curve_knots)
  h <- diff(x)
  n <- length(x)
  second <- matrix(0, n - 2, n + length(curve_breaks))
  for (k in seq_len(n - 2)) {
    width <- (h[k] + h[k + 1]) / 2
    second[k, k:(k + 2)] <- c(1 / h[k], -1 / h[k] - 1 / h[k + 1], 1 / h[k + 1]) * sqrt(width)
  }
  crossprod(second)
}

# Prior on level, slope and steps as a precision matrix and the mean it pulls to.
prior_penalty <- function(prior) {
  n <- length(curve_knots)
  size <- n + length(curve_breaks)
  ten <- match(10, curve_knots)
  level <- replace(numeric(size), 1, 1)
  slope <- replace(numeric(size), c(1, ten), c(-1, 1) / log(10))
  steps_prior <- diag(c(rep(0, n), rep(1, length(curve_breaks)))) / prior$step_sd^2
  list(
    precision = tcrossprod(level) / prior$level_sd^2 + tcrossprod(slope) / prior$slope_sd^2 +
    steps_prior,
    mean = c(prior$centre, rep(0, length(curve_breaks))))
}
