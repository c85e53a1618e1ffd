# Estimates one segment's curve. Clicks of a query x page pair in a cell have mean impressions x
# curve x the pair's own factor; factors have mean 1 and variance `spread` between pairs, which may
# grow or fall with the position (see curve-spread.R), and CTR varies by `wobble` from cell to cell
# of one pair. So a pair's weight grows with its evidence only up to a point: a query with a million
# impressions counts as one query. What a pair shows at several positions tells the shape of the
# curve free of its own factor, which the covariance of its cells makes use of. The mean curve
# solves generalised estimating equations (Liang, Zeger 1986), right whatever the factors'
# distribution; its covariance is taken between groups of queries.

curve_groups <- 200L

# Pairs whose cells' covariance is used in full; the rest have too little evidence for it to matter.
curve_full_pairs <- 1000L

# In: cells of one segment, sorted by pair (query, page). Out: list, see the end. least: where rows
# are missing by their clicks, those that every row has at least, cells being rows; 0 where none is.
# parent: the fit that the prior leans on, which is a good place to begin.
estimate_curve <- function(cells, prior, blend = default_blend, least = 0, parent = NULL) {
  evidence <- curve_evidence(cells, blend, least)
  penalty <- c(prior_penalty(prior), list(rough = roughness_penalty()))
  state <- list(theta = penalty$mean, smooth = 1, spread = 0.2, spread_slope = 0, wobble = 0.05)
  if (!is.null(parent)) state[state_names] <- parent[state_names]
  some <- if (is.null(parent)) sample_pairs(cells, evidence)
  # Many pairs: a share of them leads close to the answer, so that all are gone through a few times
  # only.
  if (!is.null(some)) {
    state <- resolve_curve(some, curve_evidence(some, blend, least), penalty, state, least)$state
  }
  settled <- resolve_curve(cells, evidence, penalty, state, least,
    free = if (is.null(some) && is.null(parent)) 5 else 3)
  state <- settled$state
  log_ctr <- drop(knot_design() %*% state$theta)
  information <- pmax(diag(knot_design() %*% state$information %*% t(knot_design())), 1e-6)
  covariance <- score_covariance(settled$equations, evidence, settled$design, state)
  falling <- falling_curve(log_ctr, information, blend)
  list(
    log_ctr = pmin(falling$log_ctr, log(0.98)),
    unclear_from = falling$unclear_from,
    covariance = covariance$knots + diag(falling$off^2) +
      parent_covariance(state, penalty, if (is.null(parent)) 0 else parent$covariance),
    groups = covariance$groups,
    df = covariance$df,
    spread = state$spread,
    spread_slope = state$spread_slope,
    wobble = state$wobble,
    smooth = state$smooth,
    rounds = settled$rounds,
    converged = settled$rounds < 40,
    pairs = length(evidence$ends),
    clicks = sum(cells$clicks),
    impressions = sum(cells$impressions))
}

# What a fit goes on from besides its parameters.
state_names <- c("smooth", "spread", "spread_slope", "wobble")

# A curve that never rises. Out: list(log_ctr, off: by how much the data are off from it,
# unclear_from). Where nothing tells how far the places of a row lie apart, a rise comes from rows
# that average near places with far ones, or several pages, and earn more than their average does:
# what stands before it is left as it is, and from there on the table does not tell what a position
# earns (`unclear_from`, NULL where it does).
falling_curve <- function(log_ctr, information, blend) {
  lowest <- cummin(log_ctr)
  off <- log_ctr - lowest
  seen <- which(off > unclear_rise & curve_knots <= 20)
  if (!isTRUE(blend$mixes) || !length(seen)) {
    return(list(log_ctr = pool_violators(log_ctr, information), off = 0 * log_ctr))
  }
  list(log_ctr = lowest, off = off, unclear_from = curve_knots[which(lowest == lowest[seen[1]])[1]])
}

# A rise of the log by so much is more than smoothing makes.
unclear_rise <- 0.2

# Sample every k-th pair on large sites; NULL where there are few.
sample_pairs <- function(cells, evidence, enough = 15000L) {
  share <- length(evidence$ends) %/% enough
  if (share > 1) cells[evidence$pair %% share == 0L]
}

# Rounds of estimating equations until the curve stands. Variances settle in the first `free` rounds
# and are then held, and so is the smoothness a while later; of a cut export they move with the
# curve to the end, since how many pairs were cut off hangs on both. Out: list(state, equations and
# design of the last round, rounds).
resolve_curve <- function(cells, evidence, penalty, state, least, free = 5) {
  for (turn in 1:40) {
    before <- state
    tbl <- blend_table(drop(knot_design() %*% state$theta), evidence$weights, evidence$at_places)
    average <- cells$impressions * exp(read_blend_table(tbl, evidence$spot))
    if (turn <= free || least > 0) {
      pair_mean <- sum_runs(average, evidence$ends)
      # Rows of a cut table do not tell a slope from what was cut off.
      state[c("spread", "spread_slope")] <- if (least > 0) {
        alone <- best_row(pair_mean, evidence$of_pair)
        list(estimate_spread(evidence$pair_clicks[alone], pair_mean[alone], least,
          cells$impressions[alone], most = spread_rows), 0)
      } else {
        estimate_spreads(evidence$pair_clicks, pair_mean, evidence$distance, state$spread_slope)
      }
      state$wobble <- if (least > 0) {
        0.001
      } else {
        within_pair_dispersion(cells$clicks, average, evidence,
          fit_spread(state, distance = evidence$distance))
      }
    }
    design <- blended_design(state$theta, evidence)
    equations <- score_equations(cells, average, evidence, state, design, least)
    state <- newton_step(state, equations, penalty, hold = turn > 12)
    still <- max(abs(knot_design() %*% (state$theta - before$theta))) < 1e-4 &&
      (least == 0 || abs(log(state$spread / before$spread)) < 1e-3)
    if (turn > free && still) break
  }
  list(state = state, equations = equations, design = design, rounds = turn)
}

# What a part takes from its parent is as uncertain as the parent: by the share that the prior has
# in each parameter.
parent_covariance <- function(state, penalty, parent_covariance) {
  if (identical(parent_covariance, 0)) return(0)
  smoothed <- seq_along(curve_knots)
  lent <- knot_design() %*% (state$inverse %*% state$prior)[, smoothed]
  lent %*% parent_covariance %*% t(lent)
}

# The cells' layout: runs of cells by pair, columns by used position bin and class of blending,
# which pairs are taken in full. Of a cut table each cell stands for itself; of_pair: its pair.
curve_evidence <- function(cells, blend = default_blend, least = 0) {
  ends <- if (least > 0) seq_len(nrow(cells)) else pair_ends(cells)
  day_counts <- diff(c(0L, ends))
  pair <- rep(seq_along(ends), day_counts)
  impressions <- sum_runs(cells$impressions, ends)
  full <- rank(-impressions, ties.method = "first") <= curve_full_pairs
  css_class <- blend_class(cells$rows, cells$impressions)
  code <- cells$bin * 10L + css_class
  codes <- which(tabulate(code) > 0)
  column <- match(code, codes)
  position <- sum_codes(cells$weighted, column, length(codes)) /
    sum_codes(cells$impressions, column, length(codes))
  group <- cells$query[ends] %% curve_groups
  list(
    ends = ends,
    pair = pair,
    of_pair = if (least > 0) rep(seq_along(pair_ends(cells)), diff(c(0L, pair_ends(cells)))),
    pair_clicks = sum_runs(cells$clicks, ends),
    distance = spread_distance(sum_runs(cells$weighted, ends) / impressions),
    column = column,
    full = full,
    in_full = full[pair],
    row = cumsum(full)[pair],
    size = sum(full),
    spot = blend_spot(cells$position, css_class),
    weights = grid_weights(blend),
    at_places = blend$places,
    places = place_weights(position, blend_variance(blend, position, blend_degree[codes %% 10L]),
      blend$places),
    group = group[pair],
    full_group = group[full])
}

# How log CTR of the columns moves with the parameters: each place's share in what the column earns.
blended_design <- function(theta, evidence) {
  at_places <- knot_weights(evidence$at_places) %*% knot_design()
  earned <- sweep(evidence$places, 2, exp(drop(at_places %*% theta)), `*`)
  (earned / rowSums(earned)) %*% at_places
}

# Variance of CTR from cell to cell of one pair, beyond chance, by moments. Each cell is compared
# with its pair's own rate. Correct for the cell's own leverage. Large cells weigh by what they can
# tell.
within_pair_dispersion <- function(clicks, mean, evidence, spread) {
  pair_mean <- sum_runs(mean, evidence$ends)
  own <- mean_factor(evidence$pair_clicks, pair_mean, spread)
  sums <- .Call(wobble_sums, as.numeric(clicks), mean, evidence$ends, own, pair_mean)
  # Worth ten cells of ten clicks at 0.02, for sites with too little to tell.
  min(max((sums[1] + 10 * 25 * 0.02) / (sums[2] + 10 * 25), 0.001), 1)
}
