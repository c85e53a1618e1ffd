# Additive cells: clicks, impressions and impressions x position by query, page and position bin. Bins are
# half a position wide down to 20, where the curve is steep, and wider below. A cell keeps its own mean
# position, so a bin is only a bucket and never a value. Half-open bins [1, 1.5), [1.5, 2), ... make the
# bins of a rounded position whole: position 2 is [1.5, 2.5).

position_breaks <- c(seq(1, 20.5, by = 0.5), seq(21.5, 30.5, by = 1), seq(35.5, 100.5, by = 5))

# In: `work`, a data.table of query, page (codes), clicks, impressions, position. Out: one row per cell.
reduce_cells <- function(work) {
  bin <- findInterval(work$position, position_breaks)
  cells <- data.table(query = work$query, page = work$page, bin = bin, clicks = work$clicks,
    impressions = work$impressions, weighted = work$impressions * work$position)
  cells <- cells[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted)),
    by = c("query", "page", "bin")]
  cells[, `:=`(clicks = as.numeric(clicks), impressions = as.numeric(impressions), position = weighted / impressions)]
  setkeyv(cells, c("query", "page", "bin"))
  cells[]
}

# Cells to pairs. `spread` is the standard deviation of the position between cells.
reduce_pairs <- function(cells) {
  squares <- cells$weighted * cells$position
  pairs <- cells[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted)),
    by = c("query", "page")]
  pairs[, `:=`(ctr = clicks / impressions, position = weighted / impressions)]
  pair <- rep(seq_len(nrow(pairs)), cells[, .N, by = c("query", "page")]$N)
  second <- as.vector(rowsum(squares, pair, reorder = FALSE))
  pairs[, "spread" := sqrt(pmax(0, second / pairs$impressions - pairs$position^2))]
  pairs[]
}

# Clicks, impressions and impressions x position by the columns in `by`.
reduce_by <- function(rows, by) {
  weighted <- NULL
  out <- rows[, .(clicks = sum(as.numeric(clicks)), impressions = sum(as.numeric(impressions)),
    weighted = sum(impressions * position)), by = by]
  out[, `:=`(ctr = clicks / impressions, position = weighted / impressions, weighted = NULL)]
  setkeyv(out, by)
  out[]
}

# Totals by page, with the spellings of one page folded.
reduce_pages <- function(rows) {
  pages <- code_pages(rows$page, rows$impressions)
  out <- reduce_by(data.table(page = pages$code, rows[, c("clicks", "impressions", "position")]), "page")
  out[, c("page", "key") := list(pages$names[out$page], pages$keys[out$page])]
  out[]
}
