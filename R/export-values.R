# Cells to numbers and dates. What a file's figures mean (decimal point or comma, day or month first) is decided
# for the whole file by its own evidence, never row by row.

abort_cells <- function(bad, values, column, place, what, mend, class) {
  lines <- place$line + bad
  first <- as.character(values[bad[1]])
  abort_tide(
    sprintf("%s: %s in column `%s`.", what, format_plural(length(bad), "row"), column),
    where = sprintf("'%s', line %d has %s.", place$label, lines[1],
      if (is.na(first)) "nothing there" else sprintf("'%s'", first)),
    mend = mend, class = class, file = place$label, lines = lines, column = column
  )
}

blank_cells <- c("", "-", "--", "\u2013", "n/a", "na", "null", "none")

# Text to number under one convention; NA where the text is not a number in it.
read_number <- function(text, decimal) {
  group <- if (decimal == ".") "[, '\u2019\u00a0\u202f]" else "[. '\u2019\u00a0\u202f]"
  mark <- if (decimal == ".") "." else ","
  # Separators of thousands stand before groups of three.
  shape <- sprintf("^[+-]?(\\d+|\\d{1,3}(%s\\d{3})+)?(\\%s\\d*)?([eE][+-]?\\d+)?$", group, mark)
  number <- rep(NA_real_, length(text))
  fits <- grepl(shape, text, perl = TRUE) & grepl("\\d", text)
  plain <- gsub(group, "", text[fits], perl = TRUE)
  number[fits] <- as.numeric(if (decimal == ",") sub(",", ".", plain, fixed = TRUE) else plain)
  odd <- text %in% c("Inf", "-Inf", "inf", "-inf", "NaN")
  number[odd] <- as.numeric(text[odd])
  number
}

# In: figure columns as text. Out: list(columns of numbers, decimal). Of the two conventions the one that leaves no
# cell unread, keeps clicks and impressions whole and agrees with CTR; the point where both do equally well.
parse_figures <- function(columns, place) {
  texts <- lapply(columns, function(x) {
    text <- trimws(if (is.numeric(x)) format(x, digits = 15, trim = TRUE, scientific = FALSE) else as.character(x),
      whitespace = "[\\h\\v]")
    text <- sub("^=?\"?([^\"]*)\"?$", "\\1", text)
    text[tolower(text) %in% blank_cells | is.na(x)] <- NA
    text
  })
  read <- lapply(c(point = ".", comma = ","), function(decimal) {
    lapply(texts, function(text) {
      percent <- endsWith(text, "%") & !is.na(text)
      number <- rep(NA_real_, length(text))
      known <- which(!is.na(text))
      number[known] <- read_number(sub("\\s*%$", "", text[known]), decimal)
      ifelse(percent, number / 100, number)
    })
  })
  score <- vapply(read, score_convention, 0, texts = texts)
  best <- if (score[["comma"]] > score[["point"]]) "comma" else "point"
  numbers <- read[[best]]
  for (column in setdiff(names(numbers), "ctr")) {
    bad <- which(is.na(numbers[[column]]) & !is.na(texts[[column]]) & texts[[column]] != "NaN")
    if (length(bad)) {
      abort_cells(bad, columns[[column]], column, place, "Not a number",
        "Write numbers as 1234.5, 1,234.5 or 1.234,5, one way in the whole file.", "not_number")
    }
  }
  list(columns = numbers, decimal = best)
}

score_convention <- function(numbers, texts) {
  unread <- sum(mapply(function(number, text) sum(is.na(number) & !is.na(text)), numbers, texts))
  whole <- function(x) sum(x %% 1 != 0, na.rm = TRUE)
  agree <- if (is.null(numbers$ctr)) 0 else judge_ctr(numbers$ctr,
    numbers$clicks / numbers$impressions) %in% c("fraction", "percent")
  -unread - whole(numbers$clicks) - whole(numbers$impressions) + 0.5 * agree
}

# Dates in ISO order, or with day or month first, decided by the whole column. `order`: "dmy" or "mdy" settles what
# the column leaves open.
parse_date <- function(x, place, order = NULL) {
  if (inherits(x, c("Date", "POSIXct"))) {
    if (anyNA(x)) abort_cells(which(is.na(x)), x, "date", place, "No date", "Fill it in, or delete those rows.",
      "not_date")
    return(as.IDate(x))
  }
  text <- as.character(x)
  distinct <- unique(text)
  date <- distinct_dates(trimws(distinct), order)
  if (identical(date, "ambiguous")) {
    first <- which(!is.na(text))[1]
    abort_cells(first, text, "date", place, "Day and month cannot be told apart",
      "Say which comes first: --date-order dmy or --date-order mdy (in R: date_order).", "date_order")
  }
  bad <- which(text %in% distinct[is.na(date)] | is.na(text))
  if (length(bad)) {
    abort_cells(bad, text, "date", place, "Not a date",
      "Write dates as 2026-03-31, or all of them as 31.3.2026 or 3/31/2026.", "not_date")
  }
  date[match(text, distinct)]
}

distinct_dates <- function(text, order) {
  date <- rep(as.IDate(NA), length(text))
  iso <- grepl("^\\d{4}[-/.]?\\d{1,2}[-/.]?\\d{1,2}([ T].*)?$", text) & !grepl("^\\d{5}$", text)
  date[iso] <- checked_date(sub("^(\\d{4})[-/.]?(\\d{1,2})[-/.]?(\\d{1,2}).*$", "\\1-\\2-\\3", text[iso]), "%Y-%m-%d")
  # Workbooks count days from the end of 1899.
  serial <- grepl("^\\d{5}(\\.0*)?$", text)
  date[serial] <- as.IDate(as.integer(as.numeric(text[serial])) - 25569L, origin = "1970-01-01")
  part <- "^(\\d{1,2})([-/.])\\s?(\\d{1,2})[-/.]\\s?(\\d{4})( .*)?$"
  other <- which(grepl(part, text))
  if (!length(other)) return(date)
  first <- as.integer(sub(part, "\\1", text[other]))
  second <- as.integer(sub(part, "\\3", text[other]))
  year <- sub(part, "\\4", text[other])
  evidence <- c(dmy = any(first > 12), mdy = any(second > 12))
  chosen <- if (all(evidence)) return(date) else if (any(evidence)) names(which(evidence)) else if (!is.null(order)) order
    else if (all(sub(part, "\\2", text[other]) == ".")) "dmy" else return("ambiguous")
  date[other] <- checked_date(if (chosen == "dmy") paste(year, second, first, sep = "-") else paste(year, first, second,
    sep = "-"), "%Y-%m-%d")
  date
}

checked_date <- function(text, format) {
  date <- as.IDate(text, format = format)
  date[!is.na(date) & (date < as.IDate("2000-01-01") | date > as.IDate("2100-01-01"))] <- NA
  date
}

# In: CTR as written and as derived. Out: "fraction", "percent", "disagrees" or (nothing to judge by) "none".
judge_ctr <- function(written, derived) {
  ratio <- (written / derived)[which(derived > 0 & is.finite(written))]
  if (!length(ratio)) return("none")
  middle <- stats::median(ratio)
  if (abs(middle - 1) < 0.1) "fraction" else if (abs(middle - 100) < 10) "percent" else "disagrees"
}
