# JSON as text and nothing else: what reads it elsewhere fetches an address and opens a path.

# In: one text. Out: its value; where it is no JSON, what `none` makes of the cause. simplify:
# arrays of one kind become vectors, arrays of objects tables (`flatten`: without tables in cells).
parse_json <- function(text, simplify = FALSE, flatten = FALSE, none = function(cause) NULL) {
  if (!is.character(text) || length(text) != 1 || is.na(text)) return(none("it is no text"))
  text <- json_without_nul(as_utf8(sub("^\ufeff", "", text)))
  if (json_depth(text) > deepest_json) return(none("it is nested too deep"))
  tryCatch(jsonlite::parse_json(text, simplifyVector = simplify, flatten = flatten),
    error = function(e) none(conditionMessage(e)))
}

# Deeper than this is no answer of a service and no table, and may exhaust what reads it.
deepest_json <- 100L

# How deep brackets stand in each other; those within texts count, too, which only matters where
# there are very many.
json_depth <- function(text) {
  if (nchar(text) < 2 * deepest_json) return(0L)
  bare <- gsub("\"(\\\\.|[^\"\\\\])*+\"", "", text, perl = TRUE, useBytes = TRUE)
  signs <- utf8ToInt(gsub("[^][{}]+", "", bare, perl = TRUE, useBytes = TRUE))
  if (!length(signs)) return(0L)
  max(cumsum(ifelse(signs %in% c(91L, 123L), 1L, -1L)), 0L)
}

# R ends a text at its first NUL, so that different texts would become one: its picture instead.
json_without_nul <- function(text) {
  odd <- grepl("\\u0000", text, fixed = TRUE)
  text[odd] <- gsub("(?<!\\\\)((?:\\\\\\\\)*)\\\\u0000", "\\1\\\\u2400", text[odd], perl = TRUE)
  text
}
