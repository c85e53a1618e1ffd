# Texts repeat millions of times in a table: as a factor they are small integers, compared and
# searched once per distinct text. Unlike factor(), this sorts nothing.
as_levels <- function(x) {
  if (is.factor(x)) return(x)
  found <- .Call(distinct_codes, as.character(x))
  distinct <- found[[2]]
  distinct[is.na(distinct)] <- ""
  distinct <- as_utf8(distinct)
  code <- found[[1]]
  # Two encodings of one text are one.
  if (anyDuplicated(distinct)) {
    code <- match(distinct, unique(distinct))[code]
    distinct <- unique(distinct)
  }
  structure(code, levels = distinct, class = "factor")
}

# Levels with white space of other kinds than blanks become those without.
fold_levels <- function(x) {
  folded <- fold_blanks(levels(x))
  if (identical(folded, levels(x))) return(x)
  structure(match(folded, unique(folded))[as.integer(x)], levels = unique(folded), class = "factor")
}

# Which texts hold something that may have to be folded: bytes `beyond` ASCII, `capitals`, `blanks`
# other than single spaces between words.
text_holds <- function(x, what) .Call(text_holds_any, as.character(x),
  sum(c(beyond = 1L, capitals = 2L, blanks = 4L)[what]))

# Bytes that are not UTF-8 come from Windows programs: their 8-bit code page is read instead.
as_utf8 <- function(x) {
  bad <- !validUTF8(x)
  if (any(bad)) x[bad] <- iconv(x[bad], "windows-1252", "UTF-8", sub = "?")
  Encoding(x) <- "UTF-8"
  x
}

# Sums of x by whole-number codes from 1 to `size`: rowsum() without the search for the codes.
sum_codes <- function(x, code, size) .Call(sum_by, as.double(x), as.integer(code), as.integer(size))

# First day of the period a day lies in, counted back from the last day.
period_of <- function(date, to, length) to -
  length * ((as.integer(to) - as.integer(date)) %/% length) - (length - 1L)

# Which of several leads each week: the one with the most clicks, of equals with the most impressions. In: data.table with
# `week`, `clicks`, `impressions` and whose they are, `by`. Out: a row a week: week and leader.
week_leaders <- function(rows, by) {
  order <- order(rows$week, -rows$clicks, -rows$impressions, rows[[by]])
  first <- order[!duplicated(rows$week[order])]
  data.table(week = rows$week[first], leader = rows[[by]][first])
}
