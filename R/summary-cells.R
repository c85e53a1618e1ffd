# Additive cells: clicks, impressions and impressions x position by query, page and position bin.
# Bins are half a position wide down to 20, where the curve is steep, and wider below. A cell keeps
# its own mean position, so a bin is only a bucket and never a value. Half-open bins [1, 1.5), [1.5,
# 2), ... make the bins of a rounded position whole: position 2 is [1.5, 2.5).

position_breaks <- c(seq(1, 20.5, by = 0.5), seq(21.5, 30.5, by = 1), seq(35.5, 100.5, by = 5))

# Bin of each position. All breaks are multiples of a half, so a table by half positions tells it.
bin_of_half <- findInterval(seq_len(201) / 2, position_breaks)
position_bin <- function(position) bin_of_half[pmin.int(as.integer(position * 2), 201L)]

# In: `work`, a list of query, page (codes), clicks, impressions, position, and (where not all are)
# for each row whether it is recent. Out: sums, and the count of rows, by query, page, bin and,
# where only some rows are recent, `recent`.
reduce_cells <- function(work, recent = NULL) {
  rows <- setDT(list(query = work$query, page = work$page, bin = position_bin(work$position),
    clicks = work$clicks, impressions = work$impressions,
    weighted = work$impressions * work$position))
  if (!is.null(recent)) set(rows, j = "recent", value = recent)
  by <- c("query", "page", "bin", if (!is.null(recent)) "recent")
  cells <- rows[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted),
    rows = .N), by = by]
  for (column in c("clicks", "impressions", "rows")) set(cells, j = column,
    value = as.numeric(cells[[column]]))
  cells
}

# Out: list(all, recent) of cells with their own mean position.
finish_cells <- function(cells, some_recent) {
  if (!some_recent) return(list(all = key_cells(cells), recent = cells))
  all <- cells[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted),
    rows = sum(rows)),
    by = c("query", "page", "bin")]
  list(all = key_cells(all), recent = key_cells(cells[cells$recent, !"recent"]))
}

key_cells <- function(cells) {
  set(cells, j = "position", value = cells$weighted / cells$impressions)
  setkeyv(cells, c("query", "page", "bin"))
  cells[]
}

# Cells to pairs. `spread` is the standard deviation of the position between cells.
reduce_pairs <- function(cells) {
  squares <- cells$weighted * cells$position
  pairs <- cells[, .(clicks = sum(clicks), impressions = sum(impressions),
    weighted = sum(weighted), rows = sum(rows)),
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
  out <- figures[, .(clicks = sum(clicks), impressions = sum(impressions),
    weighted = sum(weighted)), by = by]
  out[, `:=`(ctr = clicks / impressions, position = weighted / impressions, weighted = NULL)]
  setkeyv(out, by)
  out[]
}

# Totals by page, with the spellings of one page folded.
reduce_pages <- function(rows) {
  pages <- code_pages(rows$page, rows$impressions)
  out <- reduce_by(data.table(page = pages$code, rows[, c("clicks", "impressions", "position")]),
    "page")
  out[, c("page", "key") := list(pages$names[out$page], pages$keys[out$page])]
  out[]
}
