# Positions are averages: a row of 40 impressions at 8.4 was shown at 7, 8, 9 and 10, and what it
# earns is the mean of what those places earn, not what 8.4 earns. How far the places of one row lie
# apart is measured on the daily rows: two rows of one pair on neighbouring days differ by drift,
# whatever their size, and by the luck of few impressions, which falls with their number. The slope
# on one over the impressions is the variance within a row.

# Variance of the place within a row, by m = position - 1: linear + square x m^2. Where nothing
# tells it: the table of an unknown period, where a mild correction errs on the safe side. Measured
# in bench/simulate-curves.R (undated kinds): less leaves the curve too high from position 5 on,
# twice as much makes it too steep.
default_blend <- list(linear = 0.15, square = 0.03, source = "assumed", places = 1:100)

# Places of one impression are whole. Where single impressions stand between them, the export's
# positions are smoothed or modelled ones, and a row is a point on the curve: places as fine as the
# curve bends.
fine_places <- c(seq(1, 9.75, by = 0.25), seq(10, 20, by = 0.5), 21:100)

row_places <- function(cells, least = 30) {
  alone <- which(cells$rows == 1 & cells$impressions == 1)
  between <- abs(cells$position[alone] - round(cells$position[alone])) > 0.006
  if (length(alone) >= least && mean(between) > 0.5) fine_places else 1:100
}

# Classes of blending: one minus rows over impressions, which is 0 where every row is one
# impression. `degree` stands for the class.
blend_breaks <- c(0.1, 0.5, 0.88)

blend_degree <- c(0, 0.3, 0.7, 0.96)

blend_class <- function(rows, impressions) {
  .Call(blend_classes, as.double(rows), as.double(impressions), blend_breaks)
}

# In: a summary, with its sums by band of position, see blend_sums(). Out: list(linear, square,
# source, places).
position_mixing <- function(summary) {
  blend <- blend_slopes(summary$blend)
  blend$places <- row_places(summary$cells)
  # What no day and no page tells apart is averaged over them.
  blend$mixes <- blend$source == "assumed" || identical(summary$pages$page, "")
  blend
}

blend_slopes <- function(sums) {
  if (is.null(sums) || sum(sums$n) < 500) return(default_blend)
  sums <- sums[sums$n >= 50]
  # Weighted regression of half the squared difference on the mean of one over impressions, band by
  # band.
  mean_u <- sums$u / sums$w
  mean_y <- sums$y / sums$w
  var_u <- pmax(sums$uu / sums$w - mean_u^2, 1e-6)
  slope <- (sums$uy / sums$w - mean_u * mean_y) / var_u
  rest <- pmax(sums$yy / sums$w - mean_y^2, 1e-6)
  weight <- sums$n * var_u / rest
  m <- sums$m / sums$w
  if (!nrow(sums) || sum(weight) <= 0) return(default_blend)
  # Both parts of the variance are at least zero: where one is not, the other alone.
  x <- cbind(m, m^2)
  both <- tryCatch(solve(crossprod(x, weight * x) + diag(1e-9, 2), crossprod(x, weight * slope)),
    error = function(e) c(-1, -1))
  if (any(both < 0)) {
    one <- pmax(0,
      c(sum(weight * m * slope) / sum(weight * m^2), sum(weight * m^2 * slope) / sum(weight * m^4)))
    loss <- c(sum(weight * (slope - one[1] * m)^2), sum(weight * (slope - one[2] * m^2)^2))
    both <- if (loss[1] <= loss[2]) c(one[1], 0) else c(0, one[2])
  }
  list(linear = both[1], square = both[2], source = "data")
}

# Weights of the places for rows at an average position: a gamma distribution beyond the first place
# with the mean and variance of the row, shared out to the places on either side of each value,
# which keeps the mean.
place_weights <- function(position, variance, places) {
  at <- places - 1
  last <- length(at)
  gap <- diff(at)
  average <- pmin(pmax(position - 1, 0), at[last])
  left <- pmin(findInterval(average, at), last - 1L)
  # Sharing out adds about a sixth of the squared gap to the variance.
  variance <- pmax(variance - gap[left]^2 / 6, 0)
  weight_of <- matrix(0, length(position), last)
  sharp <- which(variance < 1e-4 | average < 1e-3)
  right <- (average[sharp] - at[left[sharp]]) / gap[left[sharp]]
  weight_of[cbind(sharp, left[sharp])] <- 1 - right
  weight_of[cbind(sharp, left[sharp] + 1L)] <- right
  blurred <- setdiff(seq_along(position), sharp)
  if (length(blurred)) {
    m <- average[blurred]
    v <- variance[blurred]
    shape <- m^2 / v
    # Mean distance below each place, of which the changes of slope are the weights. Far from the
    # mean nothing, or all, lies below: Chernoff's bound on either tail of a gamma distribution is
    # exp(-shape (u - 1 - log u)) at u times the mean.
    below <- vapply(at, function(x) {
      u <- x / m
      out <- pmax(x - m, 0)
      near <- which(shape * (u - 1 - log(u)) < 40)
      k <- shape[near]
      rate <- (m / v)[near]
      out[near] <- x * stats::pgamma(x, k, rate) - m[near] * stats::pgamma(x, k + 1, rate)
      out
    }, numeric(length(m)))
    below <- matrix(below, length(m))
    slope <- (below[, -1, drop = FALSE] - below[, -last, drop = FALSE]) / rep(gap, each = length(m))
    weight_of[blurred, ] <- cbind(slope, 1) - cbind(0, slope)
  }
  weight_of
}

blend_variance <- function(blend, position, degree) {
  m <- pmax(position - 1, 0)
  degree * (blend$linear * m + blend$square * m^2)
}

# Positions at which blended curves are tabulated, close enough to interpolate between.
blend_grid <- exp(seq(0, log(100), length.out = 160))

# Log CTR of blended rows over the grid, one column a class. log_ctr: of the curve at its knots;
# weights: of the places, by class.
blend_table <- function(log_ctr, weights, places) {
  ctr <- exp(drop(knot_weights(places) %*% log_ctr))
  log(vapply(weights, function(w) drop(w %*% ctr), numeric(length(blend_grid))))
}

grid_weights <- function(blend) {
  rests_on <- blend[grid_rests_on]
  if (!identical(last_grid$rests_on, rests_on)) {
    last_grid$weights <- weights_on_grid(blend)
    last_grid$rests_on <- rests_on
  }
  last_grid$weights
}

grid_rests_on <- c("linear", "square", "places")

weights_on_grid <- function(blend) {
  lapply(blend_degree, function(degree) {
    place_weights(blend_grid, blend_variance(blend, blend_grid, degree), blend$places)
  })
}

# One curve asks for the same weights several times.
last_grid <- new.env(parent = emptyenv())

# Clicks that cells are expected to have on a curve, its log CTR at the knots given.
expected_clicks <- function(cells, log_ctr, blend) {
  tbl <- blend_table(log_ctr, grid_weights(blend), blend$places)
  cells$impressions * read_ctr(tbl, cells$position, cells$rows, cells$impressions)
}

# CTR of lines from the table; rows: of each, or one figure for all.
read_ctr <- function(table, position, rows, impressions) {
  .Call(blended_ctr, table, as.double(position), as.double(rows), as.double(impressions),
    blend_breaks)
}

# The fit reads one table after another at the same cells. Where they stand in it: the entry to the
# left, as an index into the whole table, and how far to the right of it.
blend_spot <- function(position, class) {
  stats::setNames(.Call(blend_spots, as.double(position), class, length(blend_grid)),
    c("left", "share"))
}

read_blend_table <- function(table, spot) .Call(read_spots, table, spot$left, spot$share)
