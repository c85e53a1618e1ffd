# Tables of which rows are missing because they have too few clicks: exports cut at a row cap and
# sorted by clicks, rows only where there is a click (see summary-cut-rows.R). What such rows show
# is the clicks of those with at least `least` of them, so the likelihood is that of counts known to
# be at least that (left truncation of the negative binomial), row by row: which days of a pair are
# missing nobody knows.

# What the fit rests on where rows are missing by their clicks, else NULL: list(rows: cells of one
# row each; least: clicks that all have). Of a capped export rows at the very cut are there by
# chance of the sorting and are left out.
cut_rows <- function(summary) {
  if (identical(summary$missing$rule, "clicked")) return(summary$missing[c("rows", "least")])
  sources <-
    summary$sources[same_table(summary$sources$grain, summary$grain) & summary$sources$kept > 0]
  if (summary$window$dated || nrow(sources) != 1 || !isTRUE(sources$capped)) return(NULL)
  least <- min(summary$pairs$clicks) + 1
  list(rows = summary$cells[summary$cells$clicks >= least], least = least)
}

# Rows of one pair share its factor, so that together they weigh no more than the pair may.
row_weights <- function(mean, pair, spread) {
  if (!length(mean)) return(mean)
  (1 + spread * mean) / (1 + spread * sum_codes(mean, pair, max(pair))[pair])
}

# The row of each pair of which the most is expected: what tells the spread without counting a pair
# twice.
best_row <- function(mean, pair) {
  in_order <- order(pair, -mean)
  in_order[!duplicated(pair[in_order])]
}

# Log likelihood of clicks where rows with fewer than `least` are cut off.
truncated_loglik <- function(clicks, expected, spread, least = 0, impressions = Inf) {
  kept <- if (least > 0) sum(log(chance_kept(expected, spread, least, impressions))) else 0
  factor_likelihood(clicks, expected, spread) - kept
}

# Chance that a row has at least `least` clicks, where its factor has variance `spread`. Nobody
# clicks twice, so of few impressions none is clicked less often than of many with the same mean.
chance_kept <- function(mean, spread, least, impressions) {
  mean <- pmax(mean, 1e-12)
  if (least > 1) {
    return(stats::pnbinom(least - 1, size = 1 / spread, mu = mean, lower.tail = FALSE))
  }
  hits <- ifelse(is.finite(impressions), -impressions * log1p(-pmin(mean / impressions, 0.95)),
    mean)
  -expm1(-log1p(spread * hits) / spread)
}

# Mean clicks of rows that have at least `least`, and its derivative by the log of the mean.
kept_mean <- function(mean, spread, least, impressions, step = 0.05) {
  at <- function(mean) {
    above <- if (least == 1) 1 else {
      stats::pnbinom(least - 2, size = 1 / spread + 1, mu = mean * (1 + spread), lower.tail = FALSE)
    }
    mean * above / chance_kept(mean, spread, least, impressions)
  }
  list(mean = at(mean), slope = (at(mean * exp(step)) - at(mean * exp(-step))) / (2 * step))
}

# Rows that the spread is estimated from: those of which the most is expected. Of small ones a wide
# spread around a low curve and a narrow one around a high curve look alike.
spread_rows <- 300L
