# Cells by one more dimension (device, country, month ...), for curves of each part.

split_dimensions <- c("device", "country", "vertical", "rich_result", "month")

split_labels <- function(rows, split) {
  if (split == "month") return(as_levels(month_of(as.integer(rows$date))))
  labels <- as_levels(rows[[split]])
  levels(labels) <- tolower(levels(labels))
  labels
}

# In: rows in codes, as reduce_cells() has them. Out: the same sums by `part` as well.
reduce_split <- function(work, labels) {
  rows <- setDT(list(query = work$query, page = work$page, bin = position_bin(work$position),
    part = as.character(labels),
    clicks = as.numeric(work$clicks), impressions = as.numeric(work$impressions),
    weighted = work$impressions * work$position))
  sum_split(rows[, "rows" := 1])
}

sum_split <- function(cells) {
  cells[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted),
    rows = sum(rows)),
    by = c("part", "query", "page", "bin")]
}
