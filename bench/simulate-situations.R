# What becomes of curve and list where tables are cut, positions mixed and other things move than
# the snippet: one row a situation, means of the seeds.
#   R_LIBS=.build/library Rscript bench/simulate-situations.R [SEEDS] [SITUATION/...]
suppressPackageStartupMessages(library(inktide))
source("bench/read-rows.R")
source("bench/simulate-reader-site.R")
given <- commandArgs(TRUE)
seeds <- seq_len(if (length(given)) as.integer(given[1]) else 3)
wanted <- if (length(given) > 1) strsplit(given[2], "/")[[1]] else names(situations)

one_site <- function(situation, seed) {
  site <- reader_site(situation, seed)
  summary <- tide_summary(as_data(site$rows))
  curve <- tide_curve(summary)
  found <- tide_find(summary, curve = curve, min_gain = 0)
  list <- as.data.table(tidy(found))
  fitted <- predict(curve, position = 1:20)
  off <- abs(log(fitted$ctr[1:20] / site$curve[1:20]))
  low <- list[list$kind == "low_ctr"]
  at <- match(paste(low$query, low$page), paste(site$truth$query, site$truth$page))
  worth <- site$truth[site$truth$weak & site$truth$lost > 0]
  right <- site$truth$weak[at]
  sure <- low$confidence >= 0.9
  swaps <- site$queries$query[site$queries$case == "swap"]
  rivals <- unique(list$query[list$kind == "cannibalized"])
  last <- site$whole[, .(last = max(day)), by = "page"]
  dead <- last$page[last$last < 75]
  planted <- sum(!is.na(match(rivals, swaps)))
  data.table(situation = situation, seed = seed, near = mean(off[1:3]), middle = mean(off[4:10]),
    far = mean(off[11:20]), low = nrow(low), right = mean(right),
    found = sum(site$truth$lost[at[right]]) / sum(worth$lost),
    sure = sum(sure), sure_right = mean(right[sure]),
    said = sum(low$if_done * low$confidence) / sum(site$truth$lost[at[right]]),
    held = mean((low$if_done_low <= site$truth$lost[at] &
      low$if_done_high >= site$truth$lost[at])[right]),
    rivals = length(rivals), precision = planted / length(rivals), recall = planted / length(swaps),
    lines = nrow(list), dead = mean(list$page %in% dead))
}
all <- CJ(situation = wanted, seed = seeds, sorted = FALSE)
results <- rbindlist(parallel::mclapply(seq_len(nrow(all)), function(i) {
  tryCatch(one_site(all$situation[i], all$seed[i]),
    error = function(e) {
      message(all$situation[i], ": ", conditionMessage(e))
      NULL
    })
}, mc.cores = parallel::detectCores(), mc.preschedule = FALSE))
options(width = 200)
print(results[, lapply(.SD, function(x) round(mean(x, na.rm = TRUE), 2)), by = "situation",
  .SDcols = -"seed"])
