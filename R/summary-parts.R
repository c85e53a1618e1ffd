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
    texts <- cells$texts
    if (length(texts) < 2) return(NULL)
    shown <- sum_codes(cells$all$impressions, cells$all$part, length(texts))
    largest <- utils::head(texts[order(-shown, texts)], data_limits$parts_most)
    code <- match(texts, largest, nomatch = length(largest) + 1L)
    whole <- largest_parts(cells$all, code)
    list(names = c(largest, "other"), all = whole,
      recent = if (is.null(cells$recent)) whole else largest_parts(cells$recent, code))
  })
  Filter(Negate(is.null), out)
}

largest_parts <- function(cells, code) {
  set(cells, j = "part", value = code[cells$part])
  if (anyDuplicated(code)) {
    cells <- sums_by(cells, c("query", "page", "bin", "part"),
      c("clicks", "impressions", "weighted", "rows"))
  }
  cells_with_places(cells)
}

cells_with_places <- function(cells) {
  set(cells, j = "position", value = cells$weighted / cells$impressions)
  setkeyv(cells, c("query", "page", "bin", "part"))
  cells[]
}

# Cells by parts of a dimension: list(all, recent; texts: what the codes in `part` stand for). Bin
# and part are one code while rows are summed.
parts_of_chunks <- function(source, dimension, reduced, recent_from) {
  texts <- character()
  sums <- begin_cells(recent_from)
  for (chunk in source$chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    label <- as_levels(rows[[dimension]])
    own <- tolower(levels(label))
    texts <- unique(c(texts, own))
    codes <- first_given(reduced$codes, codes_of(rows, reduced))
    put_cells(sums, c(codes, as.list(rows)[figure_names]), rows[["date"]], recent_from,
      bin = match(own, texts)[label] * part_bins + position_bin(rows$position))
  }
  cells <- lapply(end_cells(sums), function(cells) {
    if (is.null(cells)) return(NULL)
    code <- cells$bin
    set(cells, j = c("bin", "part"), value = list(code %% part_bins, code %/% part_bins))
  })
  c(cells, list(texts = texts))
}

# More than there are position bins.
part_bins <- 128L
