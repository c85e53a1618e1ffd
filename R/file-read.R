# A small file of ours, or of the package, as one text.
file_text <- function(path) {
  paste(readLines(path, encoding = "UTF-8", warn = FALSE, skipNul = TRUE), collapse = "\n")
}
