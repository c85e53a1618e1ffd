# Files are written whole or not at all: first beside the target, then renamed over it.
write_whole <- function(path, write) {
  part <- tempfile(".inktide-", dirname(path))
  on.exit(unlink(part))
  tryCatch({
    write(part)
    if (!file.rename(part, path)) stop("it cannot be replaced")
  }, tide_error = stop, error = function(e) {
    abort_tide("The file cannot be written.", where = sprintf("'%s': %s.", path,
      sub("[.\n ]+$", "", conditionMessage(e))),
      mend = "Name a folder that exists, that you may write to and that has room.", class = "write", file = path)
  }, warning = function(w) {
    abort_tide("The file cannot be written.", where = sprintf("'%s': %s.", path, conditionMessage(w)),
      mend = "Name a folder that exists, that you may write to and that has room.", class = "write", file = path)
  })
  invisible(path)
}

# Lines as UTF-8. A disk that ran full shows in the size alone.
write_lines <- function(lines, path) {
  bytes <- charToRaw(paste0(enc2utf8(lines), "\n", collapse = ""))
  con <- base::file(path, "wb")
  tryCatch(writeBin(bytes, con), finally = close(con))
  if (file.size(path) != length(bytes)) stop("there is no room left")
}

# Spreadsheets run cells that begin like a formula; a quote in front makes them text.
defuse_formulas <- function(rows) {
  rows <- copy(as.data.table(rows))
  for (column in names(rows)[vapply(rows, is.character, NA)]) {
    values <- rows[[column]]
    risky <- which(grepl("^[=+@\t\r-]", values))
    if (length(risky)) set(rows, risky, column, paste0("'", values[risky]))
  }
  rows
}
