# Scores and information of the parameters. With D the diagonal of a pair's cell variances (mean +
# wobble mean^2), its covariance is D + spread m m', inverted by the Sherman-Morrison formula. A
# pair beyond three standard deviations (a bot, a tracking fault, a giant of another kind) pulls no
# harder than one at three (Huber 1964).
score_equations <- function(cells, mean, evidence, state, design, least = 0) {
  kept <- .Call(kept_sums, cells$clicks, mean, state$wobble, evidence$ends)
  pair_mean <- kept$mean
  pair_residual <- kept$residual
  spread <- fit_spread(state, distance = evidence$distance)
  huber_weight <- pmin(1, 1 / pair_distance(pair_residual, pair_mean, spread))
  # Near the cut, pairs are in the table because they are far above the curve.
  if (least > 0) huber_weight[pair_mean < 2 * least] <- 1
  shared <- spread / (1 + spread * pair_mean)

  # Where the covariance is not used in full, the weight of the whole pair stands for it.
  each <- .Call(cell_scores, cells$clicks, mean, state$wobble, evidence$ends, huber_weight,
    spread * pair_mean, shared * pair_residual, evidence$full)
  own <- each$own
  diagonal <- each$diagonal
  if (least > 0) {
    # Rows that were kept have more clicks than the mean; each stands for itself, so its own
    # information is all.
    kept <- kept_mean(mean, spread, least, cells$impressions)
    weight <- row_weights(mean, evidence$of_pair, spread) / (1 + spread * mean)
    # Of days that were cut above one click, rows that hardly had a chance to be there say nothing
    # that a heavier tail would not say as well.
    if (least > 1 && anyDuplicated(evidence$of_pair)) {
      weight <- weight * chance_kept(mean, spread, least, cells$impressions)
    }
    own <- weight * huber_weight * (cells$clicks - kept$mean)
    diagonal <- weight * pmax(kept$slope, 0.02 * mean)
  }
  # By column first: from there on everything is small.
  sums <- vapply(list(own, diagonal), sum_codes, numeric(nrow(design)), code = evidence$column,
    size = nrow(design))
  dim(sums) <- c(nrow(design), 2)
  between <- pair_means(if (least > 0) 0 * mean else mean / (1 + state$wobble * mean), evidence,
    design)
  ratio_of <- (huber_weight * shared)[evidence$full]
  list(cell_score = own, diagonal = diagonal, between = between, factor = ratio_of,
    score = drop(crossprod(design, sums[, 1])),
    information = crossprod(design, sums[, 2] * design) - crossprod(between, ratio_of * between))
}

# For each pair in full, the sum of its cells' means times how they move with the parameters.
pair_means <- function(mean, evidence, design) {
  if (!evidence$size) return(matrix(0, 0, ncol(design)))
  cells <- which(evidence$in_full)
  rowsum(mean[cells] * design[evidence$column[cells], , drop = FALSE], evidence$row[cells],
    reorder = TRUE)
}

# One penalised scoring step, and one of the smoothness by the update of Fellner and Schall as in
# Wood and Fasiolo (2017).
newton_step <- function(state, equations, penalty, hold) {
  information <- equations$information
  prior <- state$smooth * penalty$rough + penalty$precision
  from_prior <- state$theta - penalty$mean
  inverse <- solve(information + prior)
  move <- drop(inverse %*% (equations$score - prior %*% from_prior))
  state$theta <- state$theta + move * min(1, 1 / max(abs(move)))
  if (!hold) state$smooth <- next_smooth(state, inverse, penalty)
  c(state[c("theta", state_names)],
    list(information = information, inverse = inverse, prior = prior))
}

# Two more knots' worth of belief in a roughness of a fifth, so that thin data never look certain of
# a straight line.
next_smooth <- function(state, inverse, penalty) {
  from_prior <- state$theta - penalty$mean
  rough <- drop(crossprod(from_prior, penalty$rough %*% from_prior))
  proposed <- (length(curve_knots) - state$smooth * sum(inverse * penalty$rough)) / (rough + 0.4)
  min(max(proposed, state$smooth / 5, 0.05), state$smooth * 5)
}

# Covariance of log CTR at the knots: how far the curve moves when a group of queries is left out
# (one Newton step each: the delete-a-group jackknife, which a few dominant queries cannot make look
# sure), plus what the penalty may bias (Nychka 1988). Queries are coded by name, so groups are as
# good as random. Degrees of freedom: as many as groups that matter at a knot (Bell, McCaffrey 2002,
# in its simplest form).
score_covariance <- function(equations, evidence, design, state) {
  bias <- state$inverse %*% state$prior %*% state$inverse
  groups <- sort(unique(evidence$group))
  to_knots <- knot_design()
  if (length(groups) < 5) {
    knot_at <-
      to_knots %*% (state$inverse %*% state$information %*% state$inverse + bias) %*% t(to_knots)
    return(list(knots = knot_at, groups = length(groups), df = rep(5, nrow(to_knots))))
  }
  whole <- state$information + state$prior
  # Sums by group and column; a group's share in the information follows from them and from its
  # pairs in full.
  code <- match(evidence$group, groups) * 1000L + evidence$column
  size <- (length(groups) + 1L) * 1000L
  sums <-
    cbind(sum_codes(equations$cell_score, code, size), sum_codes(equations$diagonal, code, size))
  code <- which(tabulate(code, size) > 0)
  sums <- sums[code, , drop = FALSE]
  rows <- split(seq_along(code), code %/% 1000L)
  pairs <- split(seq_along(evidence$full_group), factor(evidence$full_group, groups))
  move <- vapply(seq_along(groups), function(g) {
    at <- rows[[g]]
    own <- design[code[at] %% 1000L, , drop = FALSE]
    between <- equations$between[pairs[[g]], , drop = FALSE]
    information <-
      crossprod(own, sums[at, 2] * own) - crossprod(between, equations$factor[pairs[[g]]] * between)
    score <- crossprod(own, sums[at, 1])
    # Singular without this group: use the full matrix.
    drop(to_knots %*%
      tryCatch(solve(whole - information, score), error = function(e) solve(whole, score)))
  }, numeric(nrow(to_knots)))
  move <- t(move) - rep(rowMeans(move), each = length(groups))
  squares <- colSums(move^2)
  list(
    knots = crossprod(move) * (length(groups) - 1) / length(groups) +
      to_knots %*% bias %*% t(to_knots),
    groups = length(groups),
    # Where no group moves it there is nothing to divide.
    df = pmax(4, squares^2 / pmax(colSums(move^4), .Machine$double.xmin)))
}

# The last cell of each pair, of cells sorted by pair.
pair_ends <- function(cells) {
  if (nrow(cells)) which(c(diff(cells$query) != 0 | diff(cells$page) != 0, TRUE)) else integer()
}

sum_runs <- function(x, ends) .Call(sums_of_pairs, as.numeric(x), ends)
