# Regular expressions against many texts, with an end: patterns that try every way of splitting a
# text never finish.

match_pattern <- function(texts, pattern, seconds = 20) {
  runaway <- function(...) {
    abort_tide("The regular expression takes too long.", where = sprintf("It is '%s'.", pattern),
      fix = "Avoid a repeat inside a repeat, such as '(a+)+'; plain words need no signs around them.", class = "regex",
      fault = "call")
  }
  end <- proc.time()[["elapsed"]] + seconds
  hit <- logical(length(texts))
  for (from in seq(1, length(texts), by = 5000L)[seq_len(ceiling(length(texts) / 5000))]) {
    part <- from:min(from + 4999L, length(texts))
    # Beyond its limit of steps the engine gives up on a text with a warning.
    hit[part] <- withCallingHandlers(grepl(pattern, texts[part], perl = TRUE, ignore.case = TRUE),
      warning = runaway)
    if (proc.time()[["elapsed"]] > end) runaway()
  }
  hit
}
