# A segment put into a project's settings under a name, without touching what else stands there.

# conditions: named list as tide_segment() takes them. Out: the segments as they are then.
keep_segment <- function(dir, name, conditions) {
  file <- file.path(dir, "inktide.yml")
  lines <- readLines(file, encoding = "UTF-8", warn = FALSE)
  settings <- tide_settings(dir)
  if (!nzchar(trimws(name)) || name %in% c(names(settings$segments), "brand", "non-brand", "all")) {
    abort_tide("A segment needs a name of its own.", where = sprintf("'%s'.", name),
      fix = "Give another name.", class = "argument", fault = "call")
  }
  written <- lapply(conditions, function(value) {
    if (is.numeric(value) && length(value) == 2) {
      return(paste(ifelse(is.finite(value), format(value, trim = TRUE), ""), collapse = ":"))
    }
    value
  })
  # JSON is YAML, too, and quotes what a person typed.
  line <- sprintf("  %s: %s", jsonlite::toJSON(name, auto_unbox = TRUE),
    jsonlite::toJSON(written, auto_unbox = TRUE))
  at <- grep("^segments:\\s*(#.*)?$", lines)
  if (length(at)) {
    lines <- append(lines, line, at[1])
  } else if (any(grepl("^segments:", lines))) {
    abort_tide("`segments` stands on one line.", where = sprintf("'%s'.", file),
      fix = "Write each segment on a line of its own below it.", class = "settings")
  } else {
    lines <- c(lines, "segments:", line)
  }
  # Tried aside first: what would not be read again is not written.
  aside <- tempfile("settings")
  dir.create(aside)
  on.exit(unlink(aside, recursive = TRUE))
  write_lines(lines, file.path(aside, "inktide.yml"))
  added <- tide_settings(aside)$segments
  write_whole(file, function(path) write_lines(lines, path))
  added
}
