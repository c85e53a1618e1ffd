# Simulation study of the curve: kinds of site whose true curve is of no fitted family, the error
# and the coverage of the plain pivot, a power law and ours.
#   R_LIBS=.build/library Rscript bench/simulate-curves.R [SEEDS] [KIND,...]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/read-rows.R")
source("bench/simulate-site.R")
given <- commandArgs(TRUE)
seeds <- seq_len(if (length(given)) as.integer(given[1]) else 20)
kinds <- if (length(given) > 1) strsplit(given[2], ",")[[1]] else names(site_kinds)

one <- function(kind, seed) {
  site <- simulate_site(kind, seed)
  curve <- tide_curve(tide_summary(as_data(site$rows), brand = if (site$brand) "fernmoor"))
  segment <- if (site$brand) "non-brand" else "all"
  at <- predict(curve, 1:20, segment)
  of_segment <- curve$evidence$segment == segment & curve$evidence$position <= 20
  seen <- curve$evidence[of_segment]
  pivot <- seen$pivot_ctr[match(1:20, seen$position)]
  law <- stats::lm(log(pivot_ctr) ~ log(position), seen[seen$pivot_ctr > 0],
    weights = seen$impressions[seen$pivot_ctr > 0])
  power <- exp(stats::predict(law, data.frame(position = 1:20)))
  error <- function(ctr) mean(pmin(abs(log(pmax(ctr, 1e-5) / site$truth[1:20]))[1:10], 3),
    na.rm = TRUE)
  inside <- at$ctr_low < site$truth[1:20] & site$truth[1:20] < at$ctr_high
  bias <- function(places) mean(log(at$ctr / site$truth[1:20])[places])
  data.table(kind = kind, seed = seed, rows = nrow(site$rows), pivot = error(pivot),
    power = error(power), ours = error(at$ctr), bias_1_3 = bias(1:3), bias_4_10 = bias(4:10),
    bias_11_16 = bias(11:16), bias_17_20 = bias(17:20), held_1_3 = mean(inside[1:3]),
    held_4_10 = mean(inside[4:10]), held_11_20 = mean(inside[11:20]))
}
results <- rbindlist(parallel::mclapply(seq_len(length(kinds) * length(seeds)), function(i) {
  one(kinds[(i - 1) %/% length(seeds) + 1], seeds[(i - 1) %% length(seeds) + 1])
}, mc.cores = parallel::detectCores()))
print(results[, lapply(.SD, function(x) round(mean(x), 3)), by = "kind",
  .SDcols = setdiff(names(results), c("kind", "seed"))])
