# Figures add up; ratios are made last, from sums. Columns are named as text, so that no name of
# ours and no name of a table can be taken for one another.

# Sums of the columns `of` by those of `by`, a row per group in order of first appearance; `count`
# names a column for how many rows each has. No table has names that begin with a point.
sums_by <- function(rows, by, of, count = NULL) {
  .keys <- by
  .values <- of
  out <- rows[, lapply(.SD, sum), by = .keys, .SDcols = .values]
  if (!is.null(count)) set(out, j = count, value = rows[, .N, by = .keys]$N)
  out
}

# How many different values of a column each group has, in the order of sums_by().
distinct_by <- function(rows, by, of) {
  .keys <- by
  once <- unique(rows, by = c(by, of))
  groups <- unique(rows, by = by)
  once[, .N, by = .keys][groups, on = by]$N
}

# Of each group the row with the largest value of `of`, the first of equals.
last_by <- function(rows, by, of) {
  falling <- order(rows[[of]], decreasing = TRUE)
  first <- !duplicated(rows[, by, with = FALSE][falling])
  rows[sort(falling[first])]
}

# CTR and mean position of sums: clicks, impressions, `weighted` (impressions x position).
add_ratios <- function(sums) {
  set(sums, j = "ctr", value = sums$clicks / sums$impressions)
  set(sums, j = "position", value = sums$weighted / sums$impressions)
}

# The sum of all rows: clicks, impressions, ctr, position.
total_row <- function(rows) {
  sums <- data.table(clicks = sum(rows$clicks), impressions = sum(rows$impressions),
    weighted = sum(rows$impressions * rows$position))
  add_ratios(sums)[, c("clicks", "impressions", "ctr", "position")]
}

# Clicks that are expected less those had, never below zero.
missed_clicks <- function(clicks, expected) pmax(0, expected - clicks)

# Each row's share of the clicks; of the impressions where there are no clicks.
click_shares <- function(rows) {
  weight <- if (sum(rows$clicks) > 0) rows$clicks else rows$impressions
  weight / sum(weight)
}

# Sums of x by whole-number codes from 1 to `size`: rowsum() without the search for the codes.
sum_codes <- function(x, code, size) {
  .Call(sum_by, if (is.integer(x)) x else as.double(x), as.integer(code), as.integer(size))
}

# Some rows of a column, by number; NULL for all.
some_rows <- function(x, use) if (is.null(use)) x else x[use]

# Shares of a sum; of nothing there are none.
share_of <- function(x, sum) if (sum > 0) x / sum else rep(NA_real_, length(x))

# First day of the period a day lies in, counted back from the last day.
period_start <- function(date, to, length) {
  to - length * ((as.integer(to) - as.integer(date)) %/% length) - (length - 1L)
}

# Which of several leads each week: the one with the most clicks, of equals with the most
# impressions. In: data.table with `week`, `clicks`, `impressions` and whose they are, `by`. Out: a
# row a week: week and leader.
week_leaders <- function(rows, by) {
  best <- order(rows$week, -rows$clicks, -rows$impressions, rows[[by]])
  first <- best[!duplicated(rows$week[best])]
  data.table(week = rows$week[first], leader = rows[[by]][first])
}

# Cells to pairs. `spread` is the standard deviation of the position between cells.
reduce_pairs <- function(cells) {
  squares <- cells$weighted * cells$position
  pairs <- sums_by(cells, c("query", "page"), c("clicks", "impressions", "weighted", "rows"))
  add_ratios(pairs)
  pair <- rep(seq_len(nrow(pairs)), cells[, .N, by = c("query", "page")]$N)
  second <- sum_codes(squares, pair, nrow(pairs))
  set(pairs, j = "spread", value = sqrt(pmax(0, second / pairs$impressions - pairs$position^2)))
  pairs[]
}

# Clicks, impressions and impressions x position by the columns in `by`.
reduce_by <- function(rows, by) {
  if (identical(by, "date")) return(reduce_days(rows))
  # Plain sums of columns made before are many times faster than sums of expressions.
  figures <- setDT(c(lapply(stats::setNames(by, by), function(column) rows[[column]]),
    list(clicks = as.numeric(rows$clicks), impressions = as.numeric(rows$impressions),
      weighted = rows$impressions * rows$position)))
  out <- sums_by(figures, by, c("clicks", "impressions", "weighted"))
  add_ratios(out)
  set(out, j = "weighted", value = NULL)
  setkeyv(out, by)
  out[]
}

# The same by day, whose dates are codes already, with the number of rows (of sums by day those that
# they are made of).
reduce_days <- function(rows) {
  day <- as.integer(rows$date)
  first <- min(day)
  code <- day - first + 1L
  size <- max(code)
  known <- which(tabulate(code, size) > 0)
  impressions <- as.numeric(rows$impressions)
  sums <- lapply(
    list(clicks = rows$clicks, impressions = impressions, weighted = impressions * rows$position,
      rows = if (is.null(rows[["rows"]])) rep(1, length(code)) else rows$rows),
    function(x) sum_codes(x, code, size)[known])
  finish_days(setDT(c(list(date = as.IDate(known + first - 1L)), sums)))
}

# In: sums by day. They become ratios.
finish_days <- function(sums) {
  add_ratios(sums)
  set(sums, j = "weighted", value = NULL)
  setkeyv(sums, "date")
  sums[]
}

among_pairs <- function(rows, pairs) {
  which(!is.na(pairs[rows, on = c("query", "page"), which = TRUE]))
}

# Texts repeat millions of times in a table: as a factor they are small integers, compared and
# searched once per distinct text. Unlike factor(), this sorts nothing.
as_levels <- function(x) {
  if (is.factor(x)) return(x)
  found <- .Call(distinct_codes, as.character(x))
  coded_levels(found[[1]], found[[2]])
}

# Two encodings of one text are one.
coded_levels <- function(code, distinct) {
  distinct[is.na(distinct)] <- ""
  distinct <- as_utf8(distinct)
  if (anyDuplicated(distinct)) {
    code <- match(distinct, unique(distinct))[code]
    distinct <- unique(distinct)
  }
  structure(code, levels = distinct, class = "factor")
}

# Levels with white space of other kinds than blanks become those without.
fold_levels <- function(x) {
  folded <- fold_blanks(levels(x))
  if (identical(folded, levels(x))) return(x)
  structure(match(folded, unique(folded))[as.integer(x)], levels = unique(folded), class = "factor")
}

# Each text once, in the order of its bytes, which is the same everywhere.
sorted_texts <- function(texts) {
  once <- unique(as.character(texts))
  once <- once[!is.na(once)]
  once[.Call(order_of_texts, once)]
}
