# From what a person names (files, folders, globs, archives, workbooks) to parts: one table each, as UTF-8 text on
# disk. A part is list(label, path, file): what to call it in messages, where its text is, which file it came from.

export_endings <- "\\.(csv|tsv|txt|tab|gz|zip|xlsx|json|ndjson|jsonl|parquet)$"

# Folders give the exports in them, globs what they match; everything else is taken as a file's name.
expand_inputs <- function(inputs) {
  paths <- unlist(lapply(inputs, function(input) {
    if (dir.exists(input)) {
      found <- sort(list.files(input, export_endings, full.names = TRUE, ignore.case = TRUE))
      if (!length(found)) {
        abort_tide("The folder holds no exports.", where = sprintf("'%s'.", input),
          mend = "Name a folder with CSV, TSV, XLSX, JSON, Parquet, gz or zip files.", class = "file", file = input)
      }
      return(found)
    }
    if (!file.exists(input) && grepl("[*?]", input)) {
      found <- sort(Sys.glob(input))
      if (length(found)) return(found)
    }
    input
  }))
  unique(paths)
}

# What a file is, by its first bytes and never by its name.
file_kind <- function(path) {
  bytes <- readBin(path, "raw", 4096)
  starts <- function(...) length(bytes) >= ...length() && identical(bytes[seq_len(...length())], as.raw(c(...)))
  if (starts(0x1f, 0x8b)) return("gz")
  if (starts(0x50, 0x4b, 0x03, 0x04)) {
    members <- tryCatch(utils::unzip(path, list = TRUE)$Name, error = function(e) character())
    return(if ("xl/workbook.xml" %in% members) "xlsx" else "zip")
  }
  if (starts(0x50, 0x41, 0x52, 0x31)) return("parquet")
  if (starts(0xff, 0xfe)) return("utf16le")
  if (starts(0xfe, 0xff)) return("utf16be")
  zero <- bytes == 0
  if (any(zero)) return(if (mean(zero[c(FALSE, TRUE)]) > 0.3) "utf16le" else if (mean(zero[c(TRUE,
    FALSE)]) > 0.3) "utf16be" else "binary")
  text <- sub("^\xef\xbb\xbf", "", rawToChar(bytes), useBytes = TRUE)
  if (grepl("^[[:space:]]*(\\[[[:space:]]*\\{|\\{[[:space:]]*\")", text, useBytes = TRUE)) "json" else "text"
}

# The parts of one file. `scratch`: a folder for what has to be unpacked or converted.
open_parts <- function(path, scratch, label = path, file = path, depth = 0) {
  check_file(path)
  target <- function(ending) tempfile("part", scratch, ending)
  unreadable <- function(e) {
    abort_tide("The file cannot be unpacked.", where = sprintf("'%s': %s.", label,
      sub("[.\n ]+$", "", conditionMessage(e))),
      mend = "It may be damaged or half downloaded: export it again.", class = "file", file = label)
  }
  kind <- file_kind(path)
  if (kind == "binary" || (kind == "zip" && depth > 1)) {
    abort_tide("The file is of no kind that can be read.", where = sprintf("'%s'.", label),
      mend = "Give CSV, TSV, XLSX, JSON, Parquet, gz or zip.", class = "file", file = label)
  }
  again <- function(path, label) open_parts(path, scratch, label, file, depth + 1)
  switch(kind,
    gz = again(tryCatch(gunzip(path, target(".txt")), error = unreadable, warning = unreadable), label),
    zip = {
      into <- tempfile("zip", scratch)
      members <- tryCatch(utils::unzip(path, exdir = into), error = unreadable, warning = unreadable)
      members <- members[grepl(export_endings, members, ignore.case = TRUE) & !startsWith(basename(members), ".")]
      if (!length(members)) {
        abort_tide("The archive holds no tables.", where = sprintf("'%s'.", label), mend = "Put CSV files into it.",
          class = "file", file = label)
      }
      unlist(lapply(members, function(member) again(member, sprintf("%s, %s", label, basename(member)))),
        recursive = FALSE)
    },
    xlsx = workbook_parts(path, target, label, file, unreadable),
    parquet = list(list(label = label, path = parquet_as_csv(path, target(".csv"), label, unreadable), file = file)),
    json = list(list(label = label, path = json_as_csv(path, target(".csv"), label), file = file)),
    utf16le = , utf16be = list(list(label = label, path = utf16_as_utf8(path, target(".txt"), kind), file = file)),
    text = list(list(label = label, path = path, file = file))
  )
}

gunzip <- function(path, target) {
  from <- gzfile(path, "rb")
  to <- base::file(target, "wb")
  on.exit({ close(from); close(to) })
  while (length(bytes <- readBin(from, "raw", 2^24))) writeBin(bytes, to)
  target
}

utf16_as_utf8 <- function(path, target, kind) {
  bytes <- readBin(path, "raw", file.size(path))
  text <- iconv(list(bytes), if (kind == "utf16le") "UTF-16LE" else "UTF-16BE", "UTF-8")
  con <- base::file(target, "wb")
  on.exit(close(con))
  writeBin(charToRaw(sub("^\ufeff", "", enc2utf8(text))), con)
  target
}

# One part a sheet, written as it stands, so that a row's line number is its row in the sheet.
workbook_parts <- function(path, target, label, file, unreadable) {
  tryCatch({
    sheets <- readxl::excel_sheets(path)
    parts <- lapply(sheets, function(sheet) {
      cells <- suppressMessages(readxl::read_excel(path, sheet, col_names = FALSE, col_types = "text", trim_ws = FALSE,
        .name_repair = "minimal", range = readxl::cell_limits(c(1, 1), c(NA, NA))))
      if (!nrow(cells)) return(NULL)
      out <- target(".csv")
      fwrite(setDT(unclass(cells), check.names = TRUE), out, col.names = FALSE, na = "", quote = TRUE)
      list(label = sprintf("%s, sheet '%s'", label, sheet), path = out, file = file)
    })
  }, error = unreadable)
  Filter(Negate(is.null), parts)
}

parquet_as_csv <- function(path, target, label, unreadable) {
  if (!requireNamespace("nanoparquet", quietly = TRUE)) {
    abort_tide("Reading Parquet needs the R package nanoparquet, which is not installed.",
      where = sprintf("'%s'.", label),
      mend = "In R: install.packages(\"nanoparquet\"), or give the table as CSV.", class = "file", file = label)
  }
  rows <- tryCatch(nanoparquet::read_parquet(path), error = unreadable)
  fwrite(setDT(as.list(rows)), target, na = "")
  target
}

# An array of objects, or one object a line.
json_as_csv <- function(path, target, label) {
  rows <- tryCatch({
    text <- readLines(path, encoding = "UTF-8", warn = FALSE)
    if (grepl("^[[:space:]\ufeff]*\\[", text[1])) jsonlite::fromJSON(text, flatten = TRUE)
    else jsonlite::stream_in(textConnection(text[nzchar(trimws(text))]), verbose = FALSE)
  }, error = function(e) {
    abort_tide("The JSON cannot be read.", where = sprintf("'%s': %s.", label, gsub("\\s+", " ", conditionMessage(e))),
      mend = "Give an array of objects, or one object on each line.", class = "layout", file = label)
  })
  if (!is.data.frame(rows)) {
    abort_tide("The JSON holds no table.", where = sprintf("'%s'.", label),
      mend = "Give an array of objects, or one object on each line.",
      class = "layout", file = label)
  }
  flat <- lapply(rows, function(x) if (is.list(x)) vapply(x, function(v) paste(unlist(v), collapse = " "), "") else x)
  fwrite(setDT(flat), target, na = "")
  target
}
