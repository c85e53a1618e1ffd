# What the simulation studies of the list share: sites by kind, seeds and kinds as given, and how
# well a ranking does.
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/read-rows.R")
source("bench/simulate-site.R")
source("bench/simulate-opportunities.R")
source("bench/simulate-otherwise.R")
given <- commandArgs(TRUE)
seeds <- seq_len(if (length(given)) as.integer(given[1]) else 20)
kinds <- if (length(given) > 1) {
  strsplit(given[2], "/")[[1]]
} else {
  c(names(opportunity_kinds), names(otherwise_kinds))
}

make_site <- function(kind, seed) {
  (if (kind %in% names(otherwise_kinds)) simulate_otherwise else simulate_opportunities)(kind, seed)
}

# Normalised discounted cumulative gain: what the first hundred lines are truly worth, in their
# order, of the best possible.
ndcg <- function(worth, all) {
  discount <- function(x) sum(head(x, 100) / log2(1 + seq_along(head(x, 100))))
  discount(worth) / discount(sort(all, decreasing = TRUE))
}

# The mean of each figure over all seeds.
means_by_kind <- function(one) {
  results <- rbindlist(parallel::mclapply(seq_len(length(kinds) * length(seeds)), function(i) {
    one(kinds[(i - 1) %/% length(seeds) + 1], seeds[(i - 1) %% length(seeds) + 1])
  }, mc.cores = parallel::detectCores()))
  print(results[, lapply(.SD, function(x) round(mean(x, na.rm = TRUE), 2)), by = "kind",
    .SDcols = setdiff(names(results), c("kind", "seed"))],
    nrows = 30)
}
