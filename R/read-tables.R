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

# A small table of one's own, found by its header. spellings: of each column; needed: those it must
# have, once each; what: the table's name. Out: list(place, many: how many rows, text: a function of
# a column's name that gives its cells, "" where there are none); NULL for an empty file.
named_table <- function(file, scratch, spellings, needed, what, header) {
  part <- one_part(file, scratch)
  columns_of <- function(header) {
    lapply(spellings, function(known) which(squeeze_name(header) %in% squeeze_name(known)))
  }
  layout <- sniff_header(part$path, function(header) sum(lengths(columns_of(header)[needed]) == 1),
    length(needed))
  if (is.null(layout)) return(NULL)
  at <- columns_of(layout$header)
  lacks <- needed[lengths(at[needed]) != 1]
  if (length(lacks)) {
    abort_tide(sprintf("The table of %s needs one column `%s`.", what, lacks[1]),
      where = sprintf("The header of '%s' is: %s.", file, paste(layout$header, collapse = ", ")),
      fix = sprintf("Give a header such as: %s", header), class = "columns_missing", file = file,
      column = lacks[1])
  }
  place <- open_records(part, layout)
  if (!place$records) return(NULL)
  cells <- read_texts(place)
  list(place = place, many = nrow(cells), text = function(column) {
    if (!length(at[[column]])) return(rep("", nrow(cells)))
    fcoalesce(trimws(as_utf8(cells[[at[[column]][1]]])), "")
  })
}

# Which page should answer which query: a table with a column of either. Out: pages named by
# queries.
read_intended <- function(file) {
  read_named(file, column_spellings[c("query", "page")], "intended pages")
}

# Where addresses moved to. Out: new addresses named by the old ones.
read_moves <- function(file) {
  read_named(file, list(old = c("old", "oldaddress", "oldurl", "oldpage", "from", "source"),
    new = c("new", "newaddress", "newurl", "newpage", "to", "target")), "moves")
}

# A table of two columns, the second named by the first.
read_named <- function(file, spellings, what) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  of <- names(spellings)
  tbl <- named_table(file, scratch, spellings, of, what, paste(of, collapse = ","))
  if (is.null(tbl)) abort_no_table("The file holds no rows.", file, "Fill it in.")
  use <- which(nzchar(tbl$text(of[1])) & nzchar(tbl$text(of[2])))
  stats::setNames(tbl$text(of[2])[use], tbl$text(of[1])[use])
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
  tbl <- read_texts(place)
  setnames(tbl, seq_along(layout$header), tolower(layout$header))
  if (!all(c("id", "decision") %in% names(tbl))) {
    abort_tide("The sheet has no columns id and decision.",
      where = sprintf("'%s': %s.", file, paste(names(tbl), collapse = ", ")),
      fix = "Take the list as xlsx or csv, and fill in its column decision.",
      class = "columns_missing", file = file)
  }
  decided <- tolower(trimws(fcoalesce(tbl$decision, "")))
  bad <- which(nzchar(decided) & !decided %in% known)
  if (length(bad)) {
    abort_tide(sprintf("Unknown decision '%s'.", decided[bad[1]]),
      where = sprintf("'%s', %s %d.", file, place$unit, record_lines(place, bad[1])),
      fix = sprintf("Write %s, or leave the cell empty.", paste(known, collapse = ", ")),
      class = "sheet", file = file)
  }
  use <- which(nzchar(decided))
  if (!length(use)) {
    abort_tide("No decision is filled in.", where = sprintf("'%s'.", file),
      fix = "Write fix, later, harmless or done into the column decision.", class = "sheet",
      file = file)
  }
  data.table(id = tbl$id[use], decision = decided[use],
    note = if (is.null(tbl[["note"]])) "" else fcoalesce(tbl$note[use], ""))
}
