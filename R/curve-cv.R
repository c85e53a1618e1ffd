# How well each way of fitting predicts queries it has not seen: the fitted curve, the plain pivot
# and a power law, each fitted to four fifths of the queries, predict the clicks of the others,
# five times over (Geisser 1975). Per pair held out the log likelihood of its clicks, negative
# binomial with the method's own spread. The pivot takes the nearest position with clicks where it
# has none; the power law is fitted by weighted least squares on the log of the pivot.

# Out: a row per method, the best first: see `rivals` on the page of tide_curve_check().
curve_rivals <- function(summary) {
  blend <- position_mixing(summary)
  segment_of <- summary$queries$segment[summary$cells$query]
  main <- if ("non-brand" %in% segment_of) "non-brand" else segment_of[1]
  cells <- summary$cells[segment_of == main]
  fold <- cells$query %% 5L
  if (length(unique(cells$query)) < 25) {
    abort_tide("There are too few queries to hold some out.",
      where = sprintf("%s.", format_plural(length(unique(cells$query)), "query", "queries")),
      fix = "Give a longer window, or loosen the filters.", class = "thin")
  }
  ends <- pair_ends(cells)
  clicks <- sum_runs(cells$clicks, ends)
  scores <- lapply(names(curve_methods), function(name) {
    method <- curve_methods[[name]]
    score <- numeric(length(ends))
    spreads <- numeric(5)
    for (k in 0:4) {
      train <- cells[fold != k]
      fit <- method(train, main, blend)
      expected <-
        sum_runs(expected_clicks(cells, fit, if (name == "fitted") blend else unblended), ends)
      left_out <- fold[ends] == k
      spreads[k + 1] <- estimate_spread(clicks[!left_out], expected[!left_out])
      score[left_out] <- stats::dnbinom(clicks[left_out], size = 1 / spreads[k + 1],
        mu = pmax(expected[left_out], 1e-9), log = TRUE)
    }
    list(score = score, spread = mean(spreads))
  })
  names(scores) <- names(curve_methods)
  means <- vapply(scores, function(s) mean(s$score), 0)
  best <- which.max(means)
  out <- rbindlist(lapply(names(scores), function(name) {
    gap <- scores[[best]]$score - scores[[name]]$score
    by_query <- rowsum(gap, cells$query[ends])
    data.table(segment = main, method = name, log_likelihood = means[[name]], behind = mean(gap),
      behind_se = stats::sd(by_query) * sqrt(nrow(by_query)) / length(gap),
      spread = scores[[name]]$spread, pairs = length(gap))
  }))
  out[order(-out$log_likelihood)]
}

# A plain method's fit, with its covariance from leaving out a twentieth of the queries at a time.
plain_fit <- function(cells, segment, method, blend) {
  log_ctr <- curve_methods[[method]](cells, segment, blend)
  without <- vapply(0:19,
    function(k) curve_methods[[method]](cells[cells$query %% 20L != k], segment, blend), log_ctr)
  move <- without - rowMeans(without)
  ends <- pair_ends(cells)
  expected <- sum_runs(expected_clicks(cells, log_ctr, unblended), ends)
  list(log_ctr = log_ctr, covariance = tcrossprod(move) * 19 / 20, groups = 20L,
    df = rep(19, length(log_ctr)), spread = estimate_spread(sum_runs(cells$clicks, ends), expected),
    spread_slope = 0, converged = TRUE, pairs = length(ends), clicks = sum(cells$clicks),
    impressions = sum(cells$impressions))
}

# Plain methods take average positions for places.
unblended <- list(linear = 0, square = 0, source = "none", places = 1:100)

# Ways to a curve: cells -> log CTR at the knots.
curve_methods <- list(
  fitted = function(cells, segment, blend) {
    estimate_curve(cells, curve_prior(segment), blend)$log_ctr
  },
  pivot = function(cells, segment, blend) {
    pivot <- rounded_pivot(cells)
    if (length(pivot$position) == 1) return(rep(log(pivot$ctr), length(curve_knots)))
    # The last filled place stands for those beyond it, the nearest for gaps.
    stats::approx(pivot$position, log(pivot$ctr), curve_knots, method = "constant", f = 0.5,
      rule = 2)$y
  },
  power = function(cells, segment, blend) {
    pivot <- rounded_pivot(cells)
    x <- cbind(1, log(pivot$position))
    one_line <- solve(crossprod(x, pivot$impressions * x) + diag(1e-9, 2),
      crossprod(x, pivot$impressions * log(pivot$ctr)))
    pmin(drop(cbind(1, log(curve_knots)) %*% one_line), log(0.98))
  })

# Positions rounded, with their pooled CTR, where there are clicks.
rounded_pivot <- function(cells) {
  at <- pmin(floor(cells$position + 0.5), 100)
  sums <- rowsum(cbind(cells$clicks, cells$impressions), at)
  used <- sums[, 1] > 0
  if (!any(used)) return(list(position = 1:2, ctr = c(1e-4, 1e-4), impressions = c(1, 1)))
  list(position = as.numeric(rownames(sums))[used], ctr = pmin(sums[used, 1] / sums[used, 2], 0.98),
    impressions = sums[used, 2])
}
