# Tables in formats of their own (workbooks, Parquet, JSON) become CSV text.

# One part a sheet, written as it stands, so that a row's number is its row in the sheet.
workbook_parts <- function(part, own) {
  unreadable <- function(e) abort_unpack(part$label, e)
  sheets <- tryCatch(readxl::excel_sheets(part$path), error = unreadable)
  part$from_1904 <- counts_from_1904(part$path)
  check_far_cells(part)
  parts <- lapply(sheets, function(sheet) {
    label <- sprintf("%s, sheet '%s'", part$label, shown_name(sheet))
    cells <- tryCatch(suppressMessages(readxl::read_excel(part$path, sheet, col_names = FALSE,
      col_types = "text", trim_ws = FALSE, .name_repair = "minimal",
      range = readxl::cell_limits(c(1, 1), c(NA, NA)))),
      error = unreadable)
    if (!nrow(cells) || !ncol(cells)) return(empty_part(part, label))
    out <- own(".csv")
    write_cells(unname(as.list(cells)), out)
    utils::modifyList(part, list(label = label, path = out, unit = "row"))
  })
  if (all(vapply(parts, function(one) one$path == "", NA))) {
    abort_no_table("The workbook is empty.", part$label, "Export it again.")
  }
  parts
}

# Whether a workbook counts its days from 1904, as those of one family of machines once did.
counts_from_1904 <- function(path) {
  folder <- tempfile("book")
  on.exit(unlink(folder, recursive = TRUE))
  inside <- suppressWarnings(tryCatch(utils::unzip(path, "xl/workbook.xml", exdir = folder),
    error = function(e) character()))
  if (!length(inside)) return(FALSE)
  # The property stands at the beginning; the rest may be of any length.
  text <- rawToChar(Filter(function(byte) byte != 0, readBin(inside, "raw", 2^16)))
  grepl("<([a-z]+:)?workbookPr[^>]*\\bdate1904\\s*=\\s*[\"'](1|true)[\"']", text, useBytes = TRUE)
}

# A cell far from all others would make a table of its distance. Sheets that are large have many
# cells, and are read as they are.
check_far_cells <- function(part, most = 5e6) {
  folder <- tempfile("sheets")
  on.exit(unlink(folder, recursive = TRUE))
  listed <- suppressWarnings(null_if_it_fails(utils::unzip(part$path, list = TRUE)))
  small <- listed$Name[grepl("^xl/worksheets/[^/]+[.]xml$", listed$Name) & listed$Length < most]
  for (name in small) {
    suppressWarnings(utils::unzip(part$path, name, exdir = folder))
    text <- file_text(file.path(folder, name))
    shape <- "<c [^>]*?\\br=\"[A-Z]{1,3}[0-9]{1,7}\""
    cells <- regmatches(text, gregexpr(shape, text, perl = TRUE))[[1]]
    if (!length(cells)) next
    place <- sub("^.*r=\"([A-Z]+[0-9]+)\"$", "\\1", cells)
    at_row <- as.numeric(sub("^[A-Z]+", "", place))
    letters <- column_numbers(sub("[0-9]+$", "", place))
    if (max(at_row) * max(letters) <= 1000 * length(cells) + 1e5) next
    abort_tide("A cell stands far from all others.",
      where = sprintf("'%s', cell %s.", part$label, place[which.max(at_row * letters)]),
      fix = "Delete what stands outside the table, and save it again.", class = c("layout", "file"),
      file = part$label)
  }
}

# "A" is 1, "AA" 27.
column_numbers <- function(names) {
  vapply(names, function(name) {
    Reduce(function(sum, digit) 26 * sum + digit, utf8ToInt(name) - 64L, 0)
  }, 0, USE.NAMES = FALSE)
}

# Columns of text as CSV, without names.
write_cells <- function(columns, path) {
  names(columns) <- sprintf("V%d", seq_along(columns))
  fwrite(setDT(columns), path, col.names = FALSE, na = "", quote = TRUE)
}

parquet_as_csv <- function(path, target, label, meter) {
  if (!requireNamespace("nanoparquet", quietly = TRUE)) {
    abort_tide("Reading Parquet needs the R package nanoparquet, which is not installed.",
      where = sprintf("'%s'.", label),
      fix = "In R: install.packages(\"nanoparquet\"), or give the table as CSV.", class = "file",
      file = label)
  }
  # Its name is made here: what a child makes up stays with the child.
  force(target)
  done <- in_child(function() {
    rows <- suppressWarnings(nanoparquet::read_parquet(path))
    fwrite(setDT(lapply(as.list(rows), plain_column)), target, na = "")
    nrow(rows)
  })
  if (!is.numeric(done)) abort_unpack(label, if (is.null(done)) "its pages are damaged" else done)
  if (!file.exists(target)) abort_no_table("The file holds no columns.", label, "Export it again.")
  target
}

# What a damaged file may bring down is done in a process of its own, where there are such. Out:
# what `work` gives, the text of its error, or NULL where the process died.
in_child <- function(work) {
  if (.Platform$OS.type != "unix") return(tryCatch(work(), error = conditionMessage))
  job <- parallel::mcparallel({
    .Call(default_faults)
    tryCatch(work(), error = conditionMessage)
  }, silent = TRUE)
  suppressWarnings(parallel::mccollect(job))[[1]]
}

# Lists of texts in one cell are written after each other.
plain_column <- function(x) {
  if (is.list(x)) vapply(x, function(v) paste(unlist(v), collapse = " "), "") else x
}

# An array of objects, or one object a line. Objects are counted as a person would find them: by the
# line where each stands alone on its line, by number in an array.
json_part <- function(part, target) {
  lines <- readLines(part$path, encoding = "UTF-8", warn = FALSE, skipNul = TRUE)
  lines <- as_utf8(lines)
  if (length(lines)) lines[1] <- sub("^\ufeff", "", lines[1])
  filled <- which(nzchar(trimws(lines)))
  values <- grepl("^[[:space:]]*\\[", lines[filled[1]])
  damaged <- function(cause) {
    abort_tide("The JSON cannot be read.",
      where = sprintf("'%s': %s.", part$label, plain_cause(cause)),
      fix = "Give an array of objects, or one object on each line.", class = "layout",
      file = part$label)
  }
  rows <- if (values) {
    parse_json(paste(lines, collapse = "\n"), simplify = TRUE, flatten = TRUE, none = damaged)
  } else {
    tryCatch(jsonlite::stream_in(textConnection(json_without_nul(lines[filled])), verbose = FALSE),
      error = damaged)
  }
  if (!is.data.frame(rows)) {
    abort_tide("The JSON holds no table.", where = sprintf("'%s'.", part$label),
      fix = "Give an array of objects, or one object on each line.", class = "layout",
      file = part$label)
  }
  texts <- lapply(as.list(jsonlite::flatten(rows)), json_cells)
  write_cells(c(Map(function(name, x) c(name, x), names(texts), texts)), target)
  utils::modifyList(part, list(path = target, unit = if (values) "object" else "line",
    lines = if (values) seq_len(nrow(rows)) else filled))
}

# Cells as text: numbers in full, quotes and all as they are.
json_cells <- function(x) {
  x <- plain_column(x)
  text <- if (is.numeric(x)) {
    format(x, digits = 15, trim = TRUE, scientific = FALSE)
  } else {
    as.character(x)
  }
  text[is.na(x)] <- NA
  text
}
