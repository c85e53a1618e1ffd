# Who searched: sums by country, device and kind of result, where the table has them. One curve for
# all expects too much of some and too little of others.

part_dimensions <- c("country", "device", "vertical")

# In: the source and its reduction, the first recent day. Out: by dimension that has several parts,
# list(names, all, recent): cells with `part`, a code of the names; the largest parts stand alone,
# the others are one.
reduce_parts <- function(source, reduced, recent_from) {
  # What sums rows up by itself gives none one by one.
  present <- if (is.null(source$sum_up)) intersect(part_dimensions, source$table$dimensions)
  out <- lapply(stats::setNames(present, present), function(dimension) {
    shown <- rbindlist(each_chunk(source, function(rows) {
      label <- as_levels(rows[[dimension]])
      data.table(part = tolower(levels(label)),
        impressions = sum_codes(rows$impressions, as.integer(label), nlevels(label)))
    }))
    if (!nrow(shown)) return(NULL)
    shown <- sums_by(shown, "part", "impressions")
    names <- utils::head(shown$part[order(-shown$impressions, shown$part)], assumed("parts_most"))
    if (length(names) < 2) return(NULL)
    sums <- begin_cells(recent_from)
    each_chunk(source, function(rows) {
      label <- as_levels(rows[[dimension]])
      part <- match(tolower(levels(label)), names, nomatch = length(names) + 1L)[label]
      put_cells(sums, coded_figures(rows, seq_len(nrow(rows)), reduced), rows[["date"]], recent_from,
        bin = position_bin(rows$position) * part_codes + part)
    })
    cells <- lapply(end_cells(sums), cells_of_parts)
    list(names = c(names, "other"), all = cells$all,
      recent = if (is.null(cells$recent)) cells$all else cells$recent)
  })
  Filter(Negate(is.null), out)
}

part_codes <- 64L

each_chunk <- function(source, of) {
  lapply(source$chunks, function(chunk) {
    rows <- chunk()
    if (!is.null(rows) && nrow(rows)) of(rows)
  })
}

cells_of_parts <- function(cells) {
  if (is.null(cells)) return(NULL)
  set(cells, j = "part", value = cells$bin %% part_codes)
  set(cells, j = "bin", value = cells$bin %/% part_codes)
  cells_with_places(cells)
}

cells_with_places <- function(cells) {
  set(cells, j = "position", value = cells$weighted / cells$impressions)
  setkeyv(cells, c("query", "page", "bin", "part"))
  cells[]
}
