# Exports cut at a row cap and sorted by clicks: a pair is there because it had clicks enough. What
# such pairs show is the clicks of those with at least `least` of them, so the likelihood is that of
# counts known to be at least that (left truncation of the negative binomial). Rows at the very cut
# are there by chance of the sorting and are left out.

# The fewest clicks in the table where it is one export that was cut (one row a pair), else NULL.
cut_floor <- function(summary) {
  sources <- summary$sources[summary$sources$grain == summary$grain & summary$sources$kept > 0]
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
