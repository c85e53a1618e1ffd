# The spreadsheet's curve, for comparison: positions rounded, clicks summed over impressions.

# In: cells and each cell's segment. Out: per segment and rounded position the sums, the number of pairs
# with evidence there, and their pooled CTR.
position_evidence <- function(cells, segment) {
  at <- data.table(segment = segment, position = floor(cells$position + 0.5), query = cells$query, page = cells$page,
    clicks = cells$clicks, impressions = cells$impressions)
  # Cells come sorted by pair and bin: a pair's cells at one rounded position stand together.
  n <- nrow(at)
  new <- if (n) c(TRUE, diff(at$position) != 0 | diff(at$query) != 0 | diff(at$page) != 0 | at$segment[-1] != at$segment[-n]) else logical()
  pairs <- at[new, .(pairs = .N), by = c("segment", "position")]
  sums <- at[, .(clicks = sum(clicks), impressions = sum(impressions)), by = c("segment", "position")]
  out <- merge(sums, pairs, by = c("segment", "position"))
  out[, "pivot_ctr" := clicks / impressions]
  out[]
}
