# Who searched: sums by country, device and kind of result, where the table has them. One curve for
# all expects too much of some and too little of others.

part_dimensions <- c("country", "device", "vertical")

# In: the source and its reduction, the first recent day. Out: by dimension that has several parts,
# list(names, all, recent): cells with `part`, a code of the names; the largest parts stand alone,
# the others are one.
reduce_parts <- function(source, reduced, recent_from) {
  present <- intersect(part_dimensions, source$table$dimensions)
  out <- lapply(stats::setNames(present, present), function(dimension) {
    cells <- if (is.null(source$sum_parts)) {
      parts_of_chunks(source, dimension, reduced, recent_from)
    } else {
      source$sum_parts(dimension, reduced, recent_from)
    }
    shown <- sums_by(cells$all, "part", "impressions")
    largest <- utils::head(shown$part[order(-shown$impressions, shown$part)], assumed("parts_most"))
    if (length(largest) < 2) return(NULL)
    whole <- largest_parts(cells$all, largest)
    list(names = c(largest, "other"), all = whole,
      recent = if (is.null(cells$recent)) whole else largest_parts(cells$recent, largest))
  })
  Filter(Negate(is.null), out)
}

largest_parts <- function(cells, names) {
  set(cells, j = "part", value = match(cells$part, names, nomatch = length(names) + 1L))
  cells_with_places(sums_by(cells, c("query", "page", "bin", "part"),
    c("clicks", "impressions", "weighted", "rows")))
}

cells_with_places <- function(cells) {
  set(cells, j = "position", value = cells$weighted / cells$impressions)
  setkeyv(cells, c("query", "page", "bin", "part"))
  cells[]
}

# Cells by the texts of a dimension: list(all, recent), `part` a text. Bin and part are one code
# while rows are summed.
parts_of_chunks <- function(source, dimension, reduced, recent_from) {
  texts <- character()
  sums <- begin_cells(recent_from)
  for (chunk in source$chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    label <- as_levels(rows[[dimension]])
    own <- tolower(levels(label))
    texts <- unique(c(texts, own))
    part <- match(own, texts)[label]
    put_cells(sums, coded_figures(rows, seq_len(nrow(rows)), reduced), rows[["date"]], recent_from,
      bin = part * part_bins + position_bin(rows$position))
  }
  lapply(end_cells(sums), function(cells) {
    if (is.null(cells)) return(NULL)
    code <- cells$bin
    set(cells, j = c("bin", "part"), value = list(code %% part_bins, texts[code %/% part_bins]))
  })
}

# More than there are position bins.
part_bins <- 128L
