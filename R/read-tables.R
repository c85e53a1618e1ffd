# Small tables that are named in a call.

# A table of CTR by position: any of the file kinds, percent or fraction.
read_prior <- function(file) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  part <- one_part(file, scratch)
  layout <- find_header(part$path, part$label)
  found <- find_columns(layout$header)[c("position", "ctr")]
  if (any(lengths(found) != 1)) {
    abort_tide("The table has no columns for position and CTR.",
      where = sprintf("'%s': %s.", file, paste(layout$header, collapse = ", ")),
      fix = "Give a header with 'position' and 'ctr'.", class = "columns_missing", file = file)
  }
  place <- open_records(part, layout)
  if (!place$records) {
    abort_no_table("The file has a header but no rows.", part$label, "Fill it in.")
  }
  cells <- as.data.frame(
    parse_figures(as.list(read_cells(place, unlist(found), c("position", "ctr"))), place)$columns)
  if (any(cells$ctr > 1, na.rm = TRUE)) cells$ctr <- cells$ctr / 100
  cells
}

# Which page should answer which query: a table with a column of either. Out: pages named by
# queries.
read_intended <- function(file) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  part <- one_part(file, scratch)
  wanted <- c("query", "page")
  layout <-
    sniff_header(part$path, function(header) sum(lengths(find_columns(header)[wanted]) > 0), 2)
  if (is.null(layout)) abort_no_table("The file is empty.", part$label, "Fill it in.")
  found <- find_columns(layout$header)[wanted]
  if (any(lengths(found) != 1)) {
    abort_tide("The table has no columns query and page.",
      where = sprintf("'%s': %s.", file, paste(layout$header, collapse = ", ")),
      fix = "Give a header with 'query' and 'page': which page should answer which query.",
      class = "columns_missing", file = file)
  }
  place <- open_records(part, layout)
  if (!place$records) {
    abort_no_table("The file has a header but no rows.", part$label, "Fill it in.")
  }
  cells <- lapply(read_texts(place)[, unlist(found), with = FALSE], trimws)
  use <- which(nzchar(cells[[1]]) & nzchar(cells[[2]]))
  stats::setNames(cells[[2]][use], cells[[1]][use])
}

# The list as CSV or workbook, with the column `decision` filled in by hand.
read_decisions <- function(file, known) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  part <- one_part(file, scratch)
  layout <-
    sniff_header(part$path, function(header) sum(tolower(header) %in% c("id", "decision")), 2)
  place <- if (!is.null(layout)) open_records(part, layout)
  if (is.null(place) || !place$records) {
    abort_no_table("The sheet has no rows.", part$label, "Take the list as csv or xlsx.")
  }
  table <- read_texts(place)
  setnames(table, seq_along(layout$header), tolower(layout$header))
  if (!all(c("id", "decision") %in% names(table))) {
    abort_tide("The sheet has no columns id and decision.",
      where = sprintf("'%s': %s.", file, paste(names(table), collapse = ", ")),
      fix = "Take the list as xlsx or csv, and fill in its column decision.",
      class = "columns_missing", file = file)
  }
  said <- tolower(trimws(fcoalesce(table$decision, "")))
  bad <- which(nzchar(said) & !said %in% known)
  if (length(bad)) {
    abort_tide(sprintf("Unknown decision '%s'.", said[bad[1]]),
      where = sprintf("'%s', %s %d.", file, place$unit, record_lines(place, bad[1])),
      fix = sprintf("Write %s, or leave the cell empty.", paste(known, collapse = ", ")),
      class = "sheet", file = file)
  }
  use <- which(nzchar(said))
  if (!length(use)) {
    abort_tide("No decision is filled in.", where = sprintf("'%s'.", file),
      fix = "Write fix, later, harmless or done into the column decision.", class = "sheet",
      file = file)
  }
  data.table(id = table$id[use], decision = said[use],
    note = if (is.null(table[["note"]])) "" else fcoalesce(table$note[use], ""))
}
