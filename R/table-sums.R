# Sums of x by whole-number codes from 1 to `size`: rowsum() without the search for the codes.
sum_codes <- function(x, code, size) .Call(sum_by, as.double(x), as.integer(code), as.integer(size))

# First day of the period a day lies in, counted back from the last day.
period_start <- function(date, to, length) {
  to - length * ((as.integer(to) - as.integer(date)) %/% length) - (length - 1L)
}

# Which of several leads each week: the one with the most clicks, of equals with the most impressions. In: data.table with
# `week`, `clicks`, `impressions` and whose they are, `by`. Out: a row a week: week and leader.
week_leaders <- function(rows, by) {
  order <- order(rows$week, -rows$clicks, -rows$impressions, rows[[by]])
  first <- order[!duplicated(rows$week[order])]
  data.table(week = rows$week[first], leader = rows[[by]][first])
}

# Cells to pairs. `spread` is the standard deviation of the position between cells.
reduce_pairs <- function(cells) {
  squares <- cells$weighted * cells$position
  pairs <- cells[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted),
    rows = sum(rows)),
    by = c("query", "page")]
  pairs[, `:=`(ctr = clicks / impressions, position = weighted / impressions)]
  pair <- rep(seq_len(nrow(pairs)), cells[, .N, by = c("query", "page")]$N)
  second <- sum_codes(squares, pair, nrow(pairs))
  pairs[, "spread" := sqrt(pmax(0, second / pairs$impressions - pairs$position^2))]
  pairs[]
}

# Clicks, impressions and impressions x position by the columns in `by`.
reduce_by <- function(rows, by) {
  weighted <- NULL
  # Plain sums of columns made before are many times faster than sums of expressions.
  figures <- setDT(c(lapply(stats::setNames(by, by), function(column) rows[[column]]),
    list(clicks = as.numeric(rows$clicks), impressions = as.numeric(rows$impressions),
      weighted = rows$impressions * rows$position)))
  out <- figures[,
    .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted)), by = by]
  out[, `:=`(ctr = clicks / impressions, position = weighted / impressions, weighted = NULL)]
  setkeyv(out, by)
  out[]
}

among_pairs <- function(rows, pairs) {
  which(!is.na(pairs[rows, on = c("query", "page"), which = TRUE]))
}
