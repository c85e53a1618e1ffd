# The spreadsheet's version of the job, in data.table: read, round, pivot, join, flag what is below
# the pivot.
library(data.table)
rows <- fread(commandArgs(TRUE)[1], showProgress = FALSE)
pairs <- rows[, .(clicks = sum(clicks), impressions = sum(impressions),
  position = sum(position * impressions) / sum(impressions)),
  by = .(query, page)]
pairs[, rounded := round(position)]
pivot <- pairs[rounded <= 20, .(pivot = sum(clicks) / sum(impressions)), by = rounded]
flagged <- pivot[pairs, on = "rounded"][impressions >= 100 & clicks / impressions < pivot]
flagged[, gain := pivot * impressions - clicks]
fwrite(flagged[order(-gain)], commandArgs(TRUE)[2])
