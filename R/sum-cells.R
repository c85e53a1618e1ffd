# Additive cells: clicks, impressions and impressions x position by query, page and position bin.
# Bins are half a position wide down to 20, where the curve is steep, and wider below. A cell keeps
# its own mean position, so a bin is only a bucket and never a value. Half-open bins [1, 1.5), [1.5,
# 2), ... make the bins of a rounded position whole: position 2 is [1.5, 2.5).

position_breaks <- c(seq(1, 20.5, by = 0.5), seq(21.5, 30.5, by = 1), seq(35.5, 100.5, by = 5))

# Bin of each position. All breaks are multiples of a half, so a table by half positions tells it.
bin_of_half <- findInterval(seq_len(201) / 2, position_breaks)

position_bin <- function(position) bin_of_half[pmin.int(as.integer(position * 2), 201L)]

# In: `work`, a list of query, page (codes), clicks, impressions, position; the days of the rows and
# the first recent one, where not all are. Out: list(all, recent): sums, and the count of rows, by
# query, page and bin; `recent` is NULL where all are.
reduce_cells <- function(work, day = NULL, recent_from = NULL) {
  sums <- begin_cells(recent_from)
  put_cells(sums, work, day, recent_from)
  end_cells(sums)
}

# The same block by block: begin, put as often as there are blocks, end.
begin_cells <- function(recent_from) .Call(new_cells, as.integer(!is.null(recent_from)))

# bin: codes that stand for the position's bins.
put_cells <- function(sums, work, day = NULL, recent_from = NULL, bin = NULL) {
  .Call(add_cells, sums, as.integer(work$query), as.integer(work$page), bin, bin_of_half,
    work$clicks, work$impressions, work$position, as.integer(day), as.integer(recent_from))
}

end_cells <- function(sums) lapply(.Call(take_cells, sums), function(x) if (!is.null(x)) setDT(x))

# list(all, recent) of cells with their own mean position.
finish_cells <- function(cells) {
  whole_cells <- key_cells(cells$all)
  recent <- if (is.null(cells$recent)) whole_cells else key_cells(cells$recent)
  list(all = whole_cells, recent = recent)
}

# Sums of cells in the same codes.
sum_cells <- function(cells) {
  sums_by(cells, c("query", "page", "bin"), c("clicks", "impressions", "weighted", "rows"))
}

key_cells <- function(cells) {
  set(cells, j = "position", value = cells$weighted / cells$impressions)
  setkeyv(cells, c("query", "page", "bin"))
  cells[]
}

# Cells by one more dimension (device, country, month ...), for curves of each part.

split_dimensions <- c("device", "country", "vertical", "rich_result", "month")

split_labels <- function(rows, split) {
  if (split == "month") return(as_levels(month_start(as.integer(rows$date))))
  label_texts <- as_levels(rows[[split]])
  levels(label_texts) <- tolower(levels(label_texts))
  label_texts
}

# In: rows in codes, as reduce_cells() has them. Out: the same sums by `part` as well.
reduce_split <- function(work, labels) {
  rows <- setDT(list(query = work$query, page = work$page, bin = position_bin(work$position),
    part = as.character(labels), clicks = as.numeric(work$clicks),
    impressions = as.numeric(work$impressions), weighted = work$impressions * work$position))
  sum_split(rows[, "rows" := 1])
}

sum_split <- function(cells) {
  sums_by(cells, c("part", "query", "page", "bin"), c("clicks", "impressions", "weighted", "rows"))
}
