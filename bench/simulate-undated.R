# Striking distance, demand in the tail and low CTR in exports by query alone (positions are
# averages of 90 days and of several pages) and by day and query, beside the same of rows by day,
# query and page, of the demo site.
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

one <- function(seed, by) {
  daily <- as.data.table(tide_demo(seed = seed)$daily)
  daily <- daily[date > max(date) - 90]
  rows <- daily[, .(clicks = sum(clicks), position = sum(position * impressions) /
    sum(impressions), impressions = sum(impressions)), by = by]
  known <- listed(daily, "striking_distance")[, .(known = sum(if_done)), by = "query"]
  said <- listed(rows, "striking_distance")
  set(said, j = "known", value = fcoalesce(known$known[match(said$query, known$query)], 0))
  first <- head(said[order(-said$if_done * said$confidence)], 50)
  tail <- listed(rows, "tail_demand")$query
  low <- listed(rows, "low_ctr")
  low <- low[low$if_done * low$confidence >= 1]$query
  # By page a whole page may be named for all of its queries.
  pages <- listed(daily, "low_ctr")$page
  low_known <- daily[daily$page %in% pages]$query
  data.table(by = paste(by, collapse = " x "), `if done` = sum(first$if_done),
    `by days` = sum(first$known), error = mean(abs(first$if_done - first$known)),
    covered = mean(said$known >= said$if_done_low & said$known <= said$if_done_high),
    tail = length(tail), `tail by days` = sum(tail %in% listed(daily, "tail_demand")$query),
    low = length(low), `low by days` = sum(low %in% low_known))
}

results <- rbindlist(lapply(list("query", c("date", "query")),
  function(by) rbindlist(lapply(seeds, one, by))))
cat("Of the first 50 queries: clicks per 30 days if done, the same by days, mean absolute error\n")
print(results[, lapply(.SD, function(x) round(mean(x), 2)), by = "by"])
