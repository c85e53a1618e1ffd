# The records of a text table, counted and placed before they are read, so that none is lost without
# a word and every message finds its line.

# What is no table at all: beside others it is skipped and named.
abort_no_table <- function(what, label, fix) {
  abort_tide(what, where = sprintf("'%s'.", label), fix = fix, class = c("no_table", "file"),
    file = label)
}

# In: a part and where its header is, as find_header() gives it. Out: a place: list(label, path,
# sep, skip (lines above the records), records, cells, escaped (a quoted cell holds ""), and what
# record_lines() needs). Blank records are none.
open_records <- function(part, layout) {
  scanned <- scan_table(part, layout)
  if (scanned$invalid) {
    # Lines that are not UTF-8 are read by their own encoding, once for all of their cells.
    part$path <- utf8_copy(part$path, tempfile("utf8", part$scratch))
    scanned <- scan_table(part, layout)
  }
  place <- list(label = part$label, path = part$path, sep = layout$sep, skip = layout$line,
    records = scanned$records - length(scanned$empty), cells = scanned$header_cells,
    escaped = scanned$escaped,
    unit = part$unit, from_1904 = isTRUE(part$from_1904), header = layout$line,
    lines = part$lines, all = scanned$records,
    empty = scanned$empty, jump_record = scanned$jump_record, jump_line = scanned$jump_line)
  check_records(scanned, place)
  # A reader that thinks otherwise about blank lines is given none.
  plain <- scanned$line_feed && !scanned$blank && !length(scanned$empty) &&
    (!scanned$records || scanned$jump_line[1] == layout$line + 1L)
  if (!plain) {
    place[c("path", "skip")] <- list(tempfile("records", part$scratch), 0L)
    scan_table(part, layout, place$path)
  }
  place
}

scan_table <- function(part, layout, copy = "") {
  tryCatch(.Call(scan_records, enc2native(part$path), layout$line - 1L, layout$sep, copy),
    error = function(e) {
      abort_tide("The file cannot be read.",
        where = sprintf("'%s': %s.", part$label, plain_cause(e)),
        fix = "Check that it is whole and that the temporary folder has room.", class = "file",
        file = part$label)
    })
}

check_records <- function(scan, place) {
  refuse <- function(what, lines, fix, more = 0) {
    abort_tide(what, where = sprintf("'%s', %s %d%s.", place$label, place$unit, lines[1],
      if (more > 0) sprintf(" (and %s more)", format_count(more)) else ""),
      fix = fix, class = "layout", file = place$label, lines = lines)
  }
  if (scan$nul) refuse("The text holds bytes of zero.", scan$nul, "Export it again, best as UTF-8.")
  if (scan$stray_quote) {
    refuse("Text stands behind a closing quote.", scan$stray_quote,
      "Put the whole cell into quotes, and double each quote inside it: \"\".")
  }
  if (scan$open_quote) {
    refuse("A quote is opened and never closed.", scan$open_quote,
      "Close it, or double it where it stands for itself: \"\".")
  }
  if (scan$ragged) {
    refuse(sprintf("The rows do not line up with the header: %s, the header has %d.",
      format_plural(scan$ragged_cells[1], "cell"), scan$header_cells),
      scan$ragged_line,
      "Put quotes around cells that hold the separator, and delete lines that belong to no table.",
      scan$ragged - 1)
  }
}

# The lines (rows of a sheet, objects) on which rows of the table begin.
record_lines <- function(place, rows) {
  record <- if (length(place$empty)) seq_len(place$all)[-place$empty][rows] else rows
  if (!is.null(place$lines)) return(place$lines[record])
  if (place$unit == "row") return(place$header + record)
  jump <- findInterval(record, place$jump_record)
  place$jump_line[jump] + record - place$jump_record[jump]
}

# Each line as UTF-8.
utf8_copy <- function(path, target) {
  bytes <- readBin(path, "raw", file.size(path))
  lines <- strsplit(rawToChar(bytes[bytes != 0]), "\n", fixed = TRUE, useBytes = TRUE)[[1]]
  send_bytes(target, charToRaw(paste0(as_utf8(lines), "\n", collapse = "")))
  target
}

# Columns by their number, `text` ones as text, under their names. As many rows as there are
# records, or it stops.
read_cells <- function(place, columns, text, nrows = Inf) {
  rows <- fread_strict(place, nrows = nrows, select = unname(columns),
    colClasses = list(character = unname(columns[text])))
  setnames(rows, names(columns))
  if (nrow(rows) != min(nrows, place$records)) {
    abort_tide("The rows of the file cannot be distinguished.",
      where = sprintf("'%s': %s of %s.", place$label, format_count(nrow(rows)),
        format_plural(place$records, "row")),
      fix = "Export it again, with quotes around every text.", class = "layout", file = place$label)
  }
  if (place$escaped) {
    for (column in names(rows)[vapply(rows, is.character, NA)]) {
      set(rows, j = column, value = gsub("\"\"", "\"", rows[[column]], fixed = TRUE))
    }
  }
  rows
}

# All cells as text.
read_texts <- function(place) {
  columns <- stats::setNames(seq_len(place$cells), sprintf("V%d", seq_len(place$cells)))
  read_cells(place, columns, names(columns))
}

# fread() with its warnings turned into our error, since a table that was read in part is wrong.
fread_strict <- function(place, ...) {
  fail <- function(condition) {
    abort_tide("The rows of the file do not line up.",
      where = sprintf("'%s': %s.", place$label, plain_cause(condition)),
      fix = paste("Open the file as text at that line; a separator or a quote inside a cell",
        "needs quotes around the cell."),
      class = "layout", file = place$label)
  }
  first <- NULL
  cells <- tryCatch(withCallingHandlers(fread(file = place$path, ..., skip = place$skip,
    sep = place$sep, na.strings = "", encoding = "UTF-8", integer64 = "double",
    showProgress = FALSE, header = FALSE, check.names = FALSE),
    warning = function(w) {
      if (is.null(first)) first <<- w
      invokeRestart("muffleWarning")
    }),
    error = fail)
  if (!is.null(first)) fail(first)
  cells
}
