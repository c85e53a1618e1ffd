# Where the table in a text file begins: the header's line and the separator, found by the header's
# words, so that title lines above it do not matter.

# Out: list(line, sep, header). Errors where no line reads as a header.
find_header <- function(path, label, columns = NULL) {
  lines <- tryCatch(readLines(path, n = 60, warn = FALSE, skipNul = TRUE),
    error = function(e) character())
  lines <- as_utf8(lines)
  if (length(lines)) lines[1] <- sub("^\ufeff", "", lines[1])
  filled <- which(nzchar(trimws(lines)))
  if (!length(filled)) {
    abort_no_table("The file is empty.", label, "Export it again.")
  }
  best <- list(found = 0)
  for (line in utils::head(filled, 40)) {
    for (sep in c(",", ";", "\t", "|")) {
      header <- split_cells(lines[line], sep)
      found <- sum(lengths(find_columns(header, columns)) > 0)
      if (found > best$found) best <- list(found = found, line = line, sep = sep, header = header)
    }
    # A header is the first line with several known words; data rows below never have more.
    if (best$found >= 3) break
  }
  if (best$found < 2) {
    guess <- split_cells(lines[filled[1]],
      names(which.max(vapply(c(`,` = ",", `;` = ";", `\t` = "\t"),
      function(s) lengths(strsplit(lines[filled[1]], s, fixed = TRUE)), 0L))))
    return(list(line = filled[1], sep = ",", header = guess))
  }
  best[c("line", "sep", "header")]
}

split_cells <- function(line, sep) {
  cells <- tryCatch(scan(text = line, what = "", sep = sep, quote = "\"", quiet = TRUE,
    strip.white = TRUE,
    na.strings = character()),
    error = function(e) strsplit(line, sep, fixed = TRUE)[[1]],
    warning = function(w) strsplit(line, sep, fixed = TRUE)[[1]])
  trimws(cells)
}
