# Texts that come from elsewhere, made harmless for what shows them.

# Signs that a terminal or a page would obey instead of showing: control signs and those that turn
# the direction of writing. The line feed is left to the caller.
obeyed <- function(code) {
  (code < 32 & code != 10) | (code >= 127 & code < 160) |
    code %in% c(0x61c, 0x200e, 0x200f, 0x2028:0x202e, 0x2066:0x206f, 0xfeff)
}

# The same as bytes of UTF-8, with some others: few texts hold any, and only those are looked at
# sign by sign.
maybe_obeyed <- function(x) {
  grepl(paste0("[\\x01-\\x09\\x0b-\\x1f\\x7f]|\\xc2[\\x80-\\x9f]|\\xd8\\x9c|",
    "\\xe2(\\x80[\\x8e\\x8f\\xa8-\\xae]|\\x81)|\\xef\\xbb\\xbf"),
    x, perl = TRUE, useBytes = TRUE)
}

# Each such sign is shown: control signs by their pictures (U+2400 and on), the others by their
# number.
visible_text <- function(x) {
  x <- as_utf8(as.character(x))
  odd <- which(maybe_obeyed(x))
  x[odd] <- vapply(x[odd], function(one) {
    code <- utf8ToInt(one)
    shown <- intToUtf8(code, multiple = TRUE)
    odd <- obeyed(code)
    shown[odd] <- ifelse(code[odd] < 32, intToUtf8(0x2400 + pmin(code[odd], 31), multiple = TRUE),
      ifelse(code[odd] == 127, "\u2421", sprintf("<U+%04X>", code[odd])))
    paste(shown, collapse = "")
  }, "", USE.NAMES = FALSE)
  x
}

# Columns of text as one line each.
visible_rows <- function(rows) {
  rows <- copy(as.data.table(rows))
  for (column in names(rows)[vapply(rows, function(x) is.character(x) || is.factor(x), NA)]) {
    values <- as.character(rows[[column]])
    known <- !is.na(values)
    values[known] <- gsub("\n", "\u240a", visible_text(values[known]), fixed = TRUE)
    set(rows, j = column, value = values)
  }
  rows
}

# White space of all kinds between words is one blank: a text in a table stands on one line.
fold_blanks <- function(x) {
  odd <- which(text_holds(x, "blanks"))
  odd <- odd[grepl("[\t\r\n\f\v]", x[odd])]
  x[odd] <- trimws(gsub("[ \t\r\n\f\v]+", " ", x[odd]))
  x
}

# JSON keeps every sign, written as its number where it would be obeyed.
escape_json <- function(text) {
  if (!maybe_obeyed(text)) return(text)
  code <- utf8ToInt(enc2utf8(text))
  signs <- intToUtf8(code, multiple = TRUE)
  odd <- code > 126 & obeyed(code)
  signs[odd] <- sprintf("\\u%04x", code[odd])
  paste(signs, collapse = "")
}

# Signs that Markdown would take for marks, links or HTML.
escape_markdown <- function(text) gsub("([\\\\`*<>|\\[\\]])", "\\\\\\1", text, perl = TRUE)

# Spreadsheets run cells that begin like a formula; a quote in front makes them text.
defuse_formulas <- function(rows) {
  rows <- copy(as.data.table(rows))
  for (column in names(rows)[vapply(rows, is.character, NA)]) {
    values <- rows[[column]]
    risky <- which(substr(values, 1, 1) %in% c("=", "+", "-", "@", "\t", "\r"))
    if (length(risky)) set(rows, risky, column, paste0("'", values[risky]))
  }
  rows
}

# Bytes that are not UTF-8 come from Windows programs: their 8-bit code page is read instead.
as_utf8 <- function(x) {
  bad <- !validUTF8(x)
  if (any(bad)) x[bad] <- iconv(x[bad], "windows-1252", "UTF-8", sub = "?")
  Encoding(x) <- "UTF-8"
  x
}

# Which texts hold something that may have to be folded: bytes `beyond` ASCII, `capitals`, `blanks`
# other than single spaces between words.
text_holds <- function(x, what) {
  .Call(text_holds_any, as.character(x), sum(c(beyond = 1L, capitals = 2L, blanks = 4L)[what]))
}

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
