# Cells to numbers and dates. Each parser takes a whole column and refuses it by file line.

# Line of a data row in its file: the header is line 1.
file_line <- function(row) row + 1L

abort_cells <- function(bad, values, column, file, what, mend, class) {
  lines <- file_line(bad)
  abort_tide(
    sprintf("%s: %s in column `%s`.", what, if (length(bad) == 1) "1 row" else paste(format_count(length(bad)), "rows"), column),
    where = sprintf("'%s', line %d has '%s'.", file, lines[1], as.character(values[bad[1]])),
    mend = mend, class = class, file = file, lines = lines, column = column
  )
}

# Numbers as written by people: "1,234", "1 234", "3.4%". Percent signs divide by 100.
parse_number <- function(x, column, file) {
  if (is.numeric(x)) return(x)
  text <- trimws(as.character(x))
  text[text %in% c("", "-", "--")] <- NA
  percent <- endsWith(text, "%")
  plain <- gsub("[ \u00a0\u202f]|(?<=\\d),(?=\\d{3}(\\D|$))|%$", "", text, perl = TRUE)
  number <- suppressWarnings(as.numeric(plain))
  bad <- which(is.na(number) & !is.na(text))
  if (length(bad)) {
    abort_cells(bad, x, column, file, "Not a number",
      "Write numbers as 1234.5 or 1,234.5; decimal commas are not read yet.", "not_number")
  }
  number[which(percent)] <- number[which(percent)] / 100
  number
}

parse_date <- function(x, file) {
  if (inherits(x, "IDate")) return(x)
  if (inherits(x, c("Date", "POSIXct"))) return(as.IDate(x))
  distinct <- unique(as.character(x))
  date <- as.IDate(distinct, format = "%Y-%m-%d")
  bad <- which(as.character(x) %in% distinct[is.na(date)])
  if (length(bad)) {
    abort_cells(bad, x, "date", file, "Not a date", "Write dates as 2026-03-31 (year-month-day).", "not_date")
  }
  date[match(as.character(x), distinct)]
}

# In: CTR as written and as derived. Out: "fraction", "percent", "disagrees" or (nothing to judge by) "none".
judge_ctr <- function(written, derived) {
  ratio <- (written / derived)[which(derived > 0 & is.finite(written))]
  if (!length(ratio)) return("none")
  middle <- stats::median(ratio)
  if (abs(middle - 1) < 0.1) "fraction" else if (abs(middle - 100) < 10) "percent" else "disagrees"
}
