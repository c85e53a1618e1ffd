# Texts repeat millions of times in a table: as a factor they are small integers, compared and searched once per
# distinct text. Unlike factor(), this sorts nothing. Most distinct texts stand in the first rows already, and
# matching against few is many times faster than hashing all.
as_levels <- function(x) {
  if (is.factor(x)) return(x)
  distinct <- unique(utils::head(x, 200000L))
  code <- chmatch(x, distinct)
  rest <- which(is.na(code))
  if (length(rest)) {
    more <- unique(x[rest])
    code[rest] <- chmatch(x[rest], more) + length(distinct)
    distinct <- c(distinct, more)
  }
  distinct[is.na(distinct)] <- ""
  distinct <- as_utf8(distinct)
  structure(code, levels = distinct, class = "factor")
}

# Bytes that are not UTF-8 come from Windows programs: their 8-bit code page is read instead.
as_utf8 <- function(x) {
  bad <- !validUTF8(x)
  if (any(bad)) x[bad] <- iconv(x[bad], "windows-1252", "UTF-8", sub = "?")
  Encoding(x) <- "UTF-8"
  x
}
