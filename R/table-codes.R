# Texts repeat millions of times in a table: as a factor they are small integers, compared and
# searched once per distinct text. Unlike factor(), this sorts nothing.
as_levels <- function(x) {
  if (is.factor(x)) return(x)
  found <- .Call(distinct_codes, as.character(x))
  coded_levels(found[[1]], found[[2]])
}

# Two encodings of one text are one.
coded_levels <- function(code, distinct) {
  distinct[is.na(distinct)] <- ""
  distinct <- as_utf8(distinct)
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

# Each text once, in the order of its bytes, which is the same everywhere.
sorted_texts <- function(texts) {
  once <- unique(as.character(texts))
  once <- once[!is.na(once)]
  once[.Call(order_of_texts, once)]
}
