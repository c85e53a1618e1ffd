# The spreadsheet's curve, for comparison: positions rounded, clicks summed over impressions.

# In: cells and each cell's segment. Out: per segment and rounded position the sums, the number of
# pairs with evidence there, and their pooled CTR.
position_evidence <- function(cells, segment) {
  segment <- as_levels(segment)
  rounded <- as.integer(pmin(floor(cells$position + 0.5), 100))
  code <- (as.integer(segment) - 1L) * 100L + rounded
  size <- max(1L, nlevels(segment)) * 100L
  # Cells come sorted by pair and bin: a pair's cells at one rounded position stand together.
  n <- length(code)
  new <- if (n) c(TRUE, code[-1] != code[-n] | cells$query[-1] != cells$query[-n] |
    cells$page[-1] != cells$page[-n]) else logical()
  pairs <- tabulate(code[new], size)
  used <- which(pairs > 0)
  out <- data.table(segment = levels(segment)[(used - 1L) %/% 100L + 1L],
    position = (used - 1) %% 100 + 1,
    clicks = sum_codes(cells$clicks, code, size)[used],
    impressions = sum_codes(cells$impressions, code, size)[used],
    pairs = pairs[used])
  out[, "pivot_ctr" := clicks / impressions]
  setkeyv(out, c("segment", "position"))
  out[]
}
