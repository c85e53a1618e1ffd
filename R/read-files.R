# From what a person names (files, folders, globs, archives, workbooks) to parts: one table each, as
# UTF-8 text on disk. A part is list(label, path, file, unit, lines, scratch): what to call it in
# messages, where its text is, which file it came from, what its records are called ("line", "row",
# "object") and the lines on which they begin, where the text on disk is not the person's own; the
# folder for what has to be unpacked or converted.

export_endings <- "\\.(csv|tsv|txt|tab|gz|zip|xlsx|json|ndjson|jsonl|parquet)$"

# Folders give the exports in them, globs what they match; everything else is taken as a file's
# name. Out: list(path, gathered: whether a person named the file itself or only where it lies).
expand_inputs <- function(inputs) {
  paths <- lapply(inputs, function(input) {
    if (dir.exists(input)) {
      found <- sort(list.files(input, export_endings, full.names = TRUE, ignore.case = TRUE))
      found <- found[!dir.exists(found)]
      if (!length(found)) {
        abort_tide("The folder holds no exports.", where = sprintf("'%s'.", input),
          fix = "Name a folder with CSV, TSV, XLSX, JSON, Parquet, gz or zip files.",
          class = "file", file = input)
      }
      return(data.table(path = found, gathered = TRUE))
    }
    if (!file.exists(input) && grepl("[*?]", input)) {
      found <- sort(Sys.glob(input))
      if (length(found)) return(data.table(path = found, gathered = TRUE))
    }
    data.table(path = input, gathered = FALSE)
  })
  unique(rbindlist(paths), by = "path")
}

# What a file is, by its first bytes and never by its name.
file_kind <- function(path) {
  bytes <- readBin(path, "raw", 4096)
  starts <- function(...) {
    length(bytes) >= ...length() && identical(bytes[seq_len(...length())], as.raw(c(...)))
  }
  if (starts(0x1f, 0x8b)) return("gz")
  if (starts(0x50, 0x4b, 0x03, 0x04) || starts(0x50, 0x4b, 0x05, 0x06)) return("zip")
  if (starts(0x50, 0x41, 0x52, 0x31)) return("parquet")
  if (starts(0xff, 0xfe, 0, 0)) return("UTF-32LE")
  if (starts(0, 0, 0xfe, 0xff)) return("UTF-32BE")
  if (starts(0xff, 0xfe)) return("UTF-16LE")
  if (starts(0xfe, 0xff)) return("UTF-16BE")
  if (length(bytes) > 262 && identical(bytes[258:262], charToRaw("ustar"))) return("tar")
  zero <- bytes == 0
  if (any(zero)) return(text_with_zeros(zero))
  text <- sub("^\xef\xbb\xbf", "", rawToChar(bytes), useBytes = TRUE)
  if (grepl("^[[:space:]]*(\\[[[:space:]]*\\{|\\{[[:space:]]*\")", text, useBytes = TRUE)) {
    "json"
  } else {
    "text"
  }
}

# Letters of two or four bytes leave zeros at every other place, or at three of four.
text_with_zeros <- function(zero) {
  share <- vapply(1:4, function(k) mean(zero[seq(k, length(zero), by = 4)]), 0)
  high <- which(share > 0.3)
  if (all(share > 0.9)) {
    "binary"
  } else if (identical(high, 2:4)) {
    "UTF-32LE"
  } else if (identical(high, 1:3)) {
    "UTF-32BE"
  } else if (identical(high, c(2L, 4L))) {
    "UTF-16LE"
  } else if (identical(high, c(1L, 3L))) {
    "UTF-16BE"
  } else {
    "binary"
  }
}

# The parts of one file. `scratch`: a folder for what has to be unpacked or converted.
open_parts <- function(path, scratch) {
  check_file(path)
  own <- function(ending = ".txt") tempfile("part", scratch, ending)
  kind <- path_facts(path)$kind
  from <- path
  # A pipe can be read once only, and a name that ends in .gz would be unpacked for what it says.
  if (kind != "file") from <- copy_source(path, own())
  if (file.size(from) == 0) abort_no_table("The file is empty.", path, "Export it again.")
  part <- list(label = shown_name(path), path = from, file = path, unit = "line", lines = NULL,
    scratch = scratch)
  unpack_part(part, own, new_meter(from, part$label), depth = 0)
}

# The one table of a file that can hold several: the first.
one_part <- function(path, scratch) {
  part <- Find(function(part) nzchar(part$path), open_parts(path, scratch))
  if (is.null(part)) abort_no_table("The file holds no table.", path, "Put one into it.")
  part
}

# A name is shown on one line.
shown_name <- function(path) gsub("[\r\n\t]+", " ", path)

copy_source <- function(path, target) {
  con <- tryCatch(base::file(path, "rb", raw = TRUE), error = function(e) abort_unpack(path, e))
  on.exit(close(con))
  meter <- new_meter(target, path)
  meter$packed <- Inf
  copy_stream(function() readBin(con, "raw", 2^20), target, path, meter)
  target
}

unpack_part <- function(part, own, meter, depth) {
  kind <- file_kind(part$path)
  with_path <- function(path, ...) utils::modifyList(part, list(path = path, ...))
  if (depth > 2) abort_unpack(part$label, "it is packed more than twice")
  switch(
    kind,
    gz = unpack_part(with_path(gunzip(part$path, own(), part$label, meter)), own, meter, depth + 1),
    zip = zip_parts(part, own, meter, depth),
    parquet = list(with_path(parquet_as_csv(part$path, own(".csv"), part$label, meter),
      unit = "row")),
    json = list(json_part(part, own(".csv"))),
    text = list(with_path(even_head(if (plain_name(part$path)) {
      part$path
    } else {
      copied(part$path, own())
    }, own))),
    tar = abort_tide("A tar archive cannot be read.", where = sprintf("'%s'.", part$label),
      fix = "Unpack it and name the folder, or give a zip.", class = "file", file = part$label),
    binary = abort_no_table("The file is of no kind that can be read.", part$label,
      "Give CSV, TSV, XLSX, JSON, Parquet, gz or zip."),
    list(with_path(decode_text(part, own(), kind))))
}

# Where line feeds end lines, a carriage return alone may still end those above the rows, as title
# lines have it: a file with line feeds there, or the same path where none is needed. The head ends
# with the first line that has a separator.
even_head <- function(path, own, looked_at = 2^16) {
  bytes <- readBin(path, "raw", looked_at)
  ends <- which(bytes == as.raw(0x0a))
  parts <- which(bytes %in% charToRaw(",;\t|"))
  if (!length(ends) || !length(parts)) return(path)
  last_at <- ends[ends > parts[1]][1]
  heading <- bytes[seq_len(if (is.na(last_at)) length(bytes) else last_at)]
  is_open <- cumsum(heading == charToRaw("\"")) %% 2 == 1
  lone <- which(heading == as.raw(0x0d) & c(heading[-1], as.raw(0x0a)) != as.raw(0x0a))
  if (!length(lone)) return(path)
  # Within quotes it is a blank.
  heading[lone] <- as.raw(ifelse(is_open[lone], 0x20, 0x0a))
  target <- own()
  writeBin(c(heading, bytes[-seq_along(heading)]), target)
  from <- file(path, "rb")
  to <- file(target, "ab")
  on.exit({
    close(from)
    close(to)
  })
  seek(from, length(bytes))
  while (length(piece <- readBin(from, "raw", 2^20))) writeBin(piece, to)
  target
}

# Whether a reader will take the file for what it is, whatever its name says.
plain_name <- function(path) !grepl("\\.(gz|bz2|zip|xz)$|[\r\n]", path, ignore.case = TRUE)

copied <- function(path, target) {
  if (!file.copy(path, target)) abort_unpack(path, "it cannot be copied")
  target
}

# The tables of a zip, each under a name of our own. A workbook is a zip, too.
zip_parts <- function(part, own, meter, depth) {
  members <- zip_members(part$path, part$label)
  check_members(members, part$label)
  if ("xl/workbook.xml" %in% members$name) {
    meter_add(meter, sum(members$unpacked))
    return(workbook_parts(part, own))
  }
  tables <- members[members$kind == "file" &
    grepl(export_endings, members$name, ignore.case = TRUE) &
    !startsWith(basename(members$name), ".") & !startsWith(members$name, "__MACOSX/")]
  if (!nrow(tables)) {
    abort_no_table("The archive holds no tables.", part$label, "Put CSV files into it.")
  }
  check_size(meter, sum(tables$unpacked))
  parts <- lapply(seq_len(nrow(tables)), function(i) {
    label <- sprintf("%s, %s", part$label, shown_name(basename(tables$name[i])))
    if (tables$unpacked[i] == 0) return(list(empty_part(part, label)))
    inner <- utils::modifyList(part,
      list(label = label, path = unzip_member(part$path, tables[i], own(), label, meter)))
    unpack_part(inner, own, meter, depth + 1)
  })
  unlist(parts, recursive = FALSE)
}

# A member that would leave its folder was made by somebody who means harm: nothing of such an
# archive is read.
check_members <- function(members, label) {
  parts <- strsplit(members$name, "[/\\\\]")
  outside <- startsWith(members$name, "/") | grepl("^[A-Za-z]:[/\\\\]|^\\\\", members$name) |
    vapply(parts, function(steps) ".." %in% steps, NA)
  odd <- members$kind %in% c("link", "other")
  if (!any(outside | odd)) return(invisible())
  first <- which(outside | odd)[1]
  abort_tide(if (outside[first]) {
    "The archive holds a file that would be put outside its folder."
  } else {
    "The archive holds a link or a device."
  },
    where = sprintf("'%s': '%s'.", label, shown_name(members$name[first])),
    fix = paste("Ask whoever made it for a plain zip of tables, or unpack it with care",
      "and name the tables."),
    class = "file", file = label, member = members$name[first])
}

empty_part <- function(part, label) utils::modifyList(part, list(label = label, path = ""))

# UTF-16 and UTF-32 to UTF-8.
decode_text <- function(part, target, encoding) {
  bytes <- readBin(part$path, "raw", file.size(part$path))
  text <- iconv(list(bytes), encoding, "UTF-8", toRaw = TRUE)[[1]]
  # What cannot be converted comes back as it was.
  if (is.null(text) || identical(text, bytes)) {
    abort_tide(sprintf("The text is damaged: it is not %s all through.", encoding),
      where = sprintf("'%s'.", part$label), fix = "Export it again, best as UTF-8.",
      class = "layout", file = part$label)
  }
  mark <- as.raw(c(0xef, 0xbb, 0xbf))
  send_bytes(target, if (identical(utils::head(text, 3), mark)) text[-(1:3)] else text)
  target
}
