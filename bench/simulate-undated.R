# Striking distance and demand in the tail in an export by query alone, whose positions are averages
# of 90 days and of several pages, beside the same of the daily rows, of the demo site.
#   R_LIBS=.build/library Rscript bench/simulate-undated.R [SEEDS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
seeds <- seq_len(c(as.integer(commandArgs(TRUE)), 6)[1])

listed <- function(rows, kind) {
  file <- tempfile(fileext = ".csv")
  on.exit(unlink(file))
  fwrite(rows, file)
  summary <- tide_summary(tide_read(file, lag = 0), brand = "fernmoor", undated_days = 90)
  as.data.table(tidy(tide_find(summary, min_gain = 0, kind = kind)))
}

one <- function(seed) {
  daily <- as.data.table(tide_demo(seed = seed)$daily)
  daily <- daily[date > max(date) - 90]
  by_query <- daily[, .(clicks = sum(clicks), position = sum(position * impressions) /
    sum(impressions), impressions = sum(impressions)), by = "query"]
  known <- listed(daily, "striking_distance")[, .(known = sum(if_done)), by = "query"]
  said <- listed(by_query, "striking_distance")
  set(said, j = "known", value = fcoalesce(known$known[match(said$query, known$query)], 0))
  first <- head(said[order(-said$if_done * said$confidence)], 50)
  tail <- listed(by_query, "tail_demand")$query
  data.table(`if done` = sum(first$if_done), `by days` = sum(first$known),
    error = mean(abs(first$if_done - first$known)),
    covered = mean(said$known >= said$if_done_low & said$known <= said$if_done_high),
    tail = length(tail), `tail by days` = sum(tail %in% listed(daily, "tail_demand")$query))
}

results <- rbindlist(lapply(seeds, one))
cat("Of the first 50 queries: clicks per 30 days if done, the same by days, mean absolute error\n")
print(results[, lapply(.SD, function(x) round(mean(x), 2))])
