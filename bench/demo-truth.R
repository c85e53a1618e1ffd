# The marks on the demo site against its known truth, for several seeds, beside the plain pivot and
# the habit of flagging whatever is below it.
#   R_LIBS=.build/library Rscript bench/demo-truth.R 1 2 3 4 5
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
seeds <- as.integer(commandArgs(TRUE))
if (!length(seeds)) seeds <- 1:5

one <- function(seed) {
  site <- tide_demo(tempfile("site"), seed = seed)
  files <- site$files
  summary <- tide_summary(tide_read(files[["daily"]]), brand = c("fernmoor", "fernmore", "fernmor"))
  found <- tide_find(summary)
  truth <- site$truth$queries
  typical <- mean(truth$factor[truth$segment == "non-brand"])
  curve <- site$truth$curve[segment == "non-brand" & position <= 10]$ctr
  pivot <- found$curve$evidence[segment == "non-brand"]$pivot_ctr
  at <- predict(found$curve, 1:10, "non-brand")

  really_low <- function(asked) {
    t <- truth[match(asked, truth$query)]
    t$weak < 1 | t$feature < 1 | t$factor < 0.8 * typical
  }
  list <- as.data.table(tidy(found))
  low <- list[kind == "low_ctr"]
  rivals <- truth[match(list[kind == "cannibalized"]$query, truth$query)]
  pairs <- found$pairs[tested & position <= 20 & impressions >= 100]
  habit <- pairs[ctr < pivot[pmax(1, round(position))]]
  several <- found$pairs[tested == TRUE, .N, by = query][N > 1]
  habit_rivals <- truth[match(summary$queries$key[several$query], truth$query)]
  harmful <- c("swap", "split")
  data.table(seed = seed, curve_error = mean(abs(log(at$ctr / curve))),
    pivot_error = mean(abs(log(pivot[1:10] / curve))),
    covered = mean(at$ctr_low < curve & curve < at$ctr_high), low_ctr = nrow(low),
    low_ctr_right = mean(really_low(low$query)), below_pivot = nrow(habit),
    below_pivot_right = mean(really_low(summary$queries$key[habit$query])),
    cannibalized = nrow(rivals), harmless_among = sum(!rivals$case %in% harmful),
    swaps_found = mean(truth[case == "swap"]$query %in% rivals$query),
    two_pages = nrow(habit_rivals), two_pages_harmless = sum(!habit_rivals$case %in% harmful))
}
print(rbindlist(lapply(seeds, one)), digits = 2)
