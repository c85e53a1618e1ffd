# Cells to numbers and dates. What a file's figures mean (decimal point or comma, day or month
# first) is decided for the whole file by its own evidence, never row by row.

abort_cells <- function(bad, values, column, place, what, fix, class, ...) {
  lines <- record_lines(place, bad)
  first <- as.character(values[bad[1]])
  abort_tide(sprintf("%s: %s in column `%s`.", what, format_plural(length(bad), "row"), column),
    where = sprintf("'%s', %s %d has %s.", place$label, place$unit, lines[1],
      if (is.na(first)) "nothing there" else sprintf("'%s'", first)),
    fix = fix, class = class, file = place$label, lines = lines, column = column, ...)
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

# In: figure columns as text. Out: list(columns of numbers, decimal). Of the two conventions the one
# that leaves no cell unread, keeps clicks and impressions whole and agrees with CTR. Where both do
# equally well and mean other figures, as with 2.000, only `decimal` can say.
parse_figures <- function(columns, place, decimal = NULL) {
  texts <- lapply(columns, figure_texts)
  read <- lapply(c(point = ".", comma = ","), function(mark) lapply(texts, read_figures, mark))
  score <- vapply(read, score_convention, 0, texts = texts)
  best <- if (!is.null(decimal)) {
    decimal
  } else if (score[["comma"]] > score[["point"]]) {
    "comma"
  } else {
    "point"
  }
  if (is.null(decimal) && score[["comma"]] == score[["point"]]) check_decimal(read, columns, place)
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

figure_texts <- function(x) {
  text <- trimws(
    if (is.numeric(x)) format(x, digits = 15, trim = TRUE, scientific = FALSE) else as.character(x),
    whitespace = "[\\h\\v]")
  text <- sub("^=?\"?([^\"]*)\"?$", "\\1", text)
  text[tolower(text) %in% blank_cells | is.na(x)] <- NA
  text
}

read_figures <- function(text, mark) {
  percent <- endsWith(text, "%") & !is.na(text)
  number <- rep(NA_real_, length(text))
  known <- which(!is.na(text))
  number[known] <- read_number(sub("\\s*%$", "", text[known]), mark)
  ifelse(percent, number / 100, number)
}

# Clicks and impressions that are other figures under the other convention.
check_decimal <- function(read, columns, place) {
  for (column in intersect(c("clicks", "impressions"), names(columns))) {
    is_open <- which(read$point[[column]] != read$comma[[column]])
    if (length(is_open)) {
      abort_cells(is_open, columns[[column]], column, place,
        "Thousands and decimals cannot be distinguished",
        "Say which sign is for decimals by `decimal`: point or comma.", "decimal",
        argument = "decimal")
    }
  }
}

score_convention <- function(numbers, texts) {
  unread <- sum(mapply(function(number, text) sum(is.na(number) & !is.na(text)), numbers, texts))
  whole <- function(x) if (is.null(x)) 0 else sum(x != round(x), na.rm = TRUE)
  agree <- if (is.null(numbers$ctr)) {
    0
  } else {
    ctr_convention(numbers$ctr, numbers$clicks / numbers$impressions) %in% c("fraction", "percent")
  }
  -unread - whole(numbers$clicks) - whole(numbers$impressions) + 0.5 * agree
}

# The column of dates becomes dates, in place. Where all cells are spans of days, as 2026-08-01 -
# 2026-08-28, the first day stands for the span; one span for all rows is the window of a table
# without dates, and the column goes. aside: rows that are no data. Out: list(from, to), the window
# that spans tell, or NULL.
resolve_dates <- function(rows, place, order, aside) {
  if (!"date" %in% names(rows)) return(NULL)
  text <- rows$date
  if (!length(aside) && !is.character(text)) {
    set(rows, j = "date", value = parse_date(text, place, order))
    return(NULL)
  }
  input_data <- setdiff(seq_len(nrow(rows)), aside)
  spans <- if (is.character(text)) split_spans(text[input_data])
  if (is.null(spans)) {
    dates <- rep(as.IDate("2000-01-01"), nrow(rows))
    dates[input_data] <- parse_date(text[input_data], place, order, input_data)
    set(rows, j = "date", value = dates)
    return(NULL)
  }
  from <- parse_date(spans$from, place, order, input_data)
  to <- parse_date(spans$to, place, order, input_data)
  wrong <- which(to < from)
  if (length(wrong)) {
    abort_cells(input_data[wrong], text, "date", place, "A span that ends before it begins",
      "Write the first day first.", "not_date")
  }
  if (length(unique(from)) == 1 && length(unique(to)) == 1) {
    set(rows, j = "date", value = NULL)
  } else {
    dates <- rep(from[1], nrow(rows))
    dates[input_data] <- from
    set(rows, j = "date", value = dates)
  }
  list(from = min(from), to = max(to))
}

# "A - B", "A to B", "A/B" of two dates: list(from, to); NULL where any cell is none.
split_spans <- function(text) {
  one <- "(\\d{1,4}[-/.]\\s?\\d{1,2}[-/.]\\s?\\d{1,4})"
  between <- "(?:\\s+(?:-|\u2013|\u2014|to|bis|a|au|al|t/m|until)\\s+|\\s*\u2013\\s*|/|\\.\\.)"
  shape <- sprintf("^\\s*%s%s%s\\s*$", one, between, one)
  distinct <- unique(text)
  if (!length(distinct) || anyNA(distinct) ||
      !all(grepl(shape, distinct, perl = TRUE, ignore.case = TRUE))) {
    return(NULL)
  }
  at <- match(text, distinct)
  list(from = sub(shape, "\\1", distinct, perl = TRUE, ignore.case = TRUE)[at],
    to = sub(shape, "\\2", distinct, perl = TRUE, ignore.case = TRUE)[at])
}

# Dates in ISO order, or with day or month first, decided by the whole column. `order`: "dmy" or
# "mdy" settles what the column leaves open. rows: where in the table x stands.
parse_date <- function(x, place, order = NULL, rows = seq_along(x)) {
  refuse <- function(bad, what, fix, class, ...) {
    shown <- character(max(rows))
    shown[rows] <- as.character(x)
    abort_cells(rows[bad], shown, "date", place, what, fix, class, ...)
  }
  if (inherits(x, c("Date", "POSIXct"))) {
    if (!length(x)) return(as.IDate(x))
    if (anyNA(x)) {
      refuse(which(is.na(x)), "No date", "Fill it in, or delete those rows.", "not_date")
    }
    dates <- if (inherits(x, "IDate")) x else as.IDate(x)
    ends <- as.IDate(range(as.integer(dates)))
    far <- if (anyNA(in_range(ends))) which(is.na(in_range(dates)))
    if (length(far)) refuse(far, "No date of an export", date_fix, "not_date")
    return(dates)
  }
  text <- as.character(x)
  distinct <- unique(text)
  on_day <- distinct_dates(trimws(distinct), order, isTRUE(place$from_1904))
  if (identical(on_day, "ambiguous")) {
    refuse(which(!is.na(text))[1], "Day and month cannot be distinguished",
      "Say which comes first by `date_order`: dmy or mdy.", "date_order", argument = "date_order")
  }
  bad <- which(text %in% distinct[is.na(on_day)] | is.na(text))
  if (length(bad)) refuse(bad, "Not a date", date_fix, "not_date")
  on_day[match(text, distinct)]
}

date_fix <- paste("Write dates as 2026-03-31, or all of them as 31.3.2026 or 3/31/2026,",
  "from the year 2000 on.")

# from_1904: what a workbook counts its days from, else the end of 1899.
distinct_dates <- function(text, order, from_1904 = FALSE) {
  text <- spelled_months(text)
  on_day <- rep(as.IDate(NA), length(text))
  iso <-
    grepl("^\\d{4}[-/.]?\\d{1,2}[-/.]?\\d{1,2}([ T]\\d{1,2}:.*)?$", text) & !grepl("^\\d{5}$", text)
  on_day[iso] <-
    checked_date(sub("^(\\d{4})[-/.]?(\\d{1,2})[-/.]?(\\d{1,2}).*$", "\\1-\\2-\\3", text[iso]))
  # A month stands for its first day.
  month <- grepl("^\\d{4}[-/.]\\d{1,2}$", text)
  on_day[month] <- checked_date(sub("^(\\d{4})[-/.](\\d{1,2})$", "\\1-\\2-01", text[month]))
  # Workbooks count days.
  serial <- grepl("^\\d{5}(\\.0*)?$", text)
  first <- if (from_1904) 24107L else 25569L
  on_day[serial] <-
    in_range(as.IDate(as.integer(as.numeric(text[serial])) - first, origin = "1970-01-01"))
  part <- "^(\\d{1,2})([-/.])\\s?(\\d{1,2})[-/.]\\s?(\\d{4}|\\d{2})( \\d{1,2}:.*)?$"
  other <- which(grepl(part, text))
  if (!length(other)) return(on_day)
  first <- as.integer(sub(part, "\\1", text[other]))
  second <- as.integer(sub(part, "\\3", text[other]))
  year <- sub("^(..)$", "20\\1", sub(part, "\\4", text[other]))
  evidence <- c(dmy = any(first > 12), mdy = any(second > 12))
  chosen <- if (all(evidence)) {
    return(on_day)
  } else if (any(evidence)) {
    names(which(evidence))
  } else if (!is.null(order)) {
    order
  } else if (all(sub(part, "\\2", text[other]) == ".")) {
    "dmy"
  } else {
    return("ambiguous")
  }
  on_day[other] <- checked_date(if (chosen == "dmy") {
    paste(year, second, first, sep = "-")
  } else {
    paste(year, first, second, sep = "-")
  })
  on_day
}

checked_date <- function(text) in_range(as.IDate(text, format = "%Y-%m-%d"))

# Search engines are younger than that, and exports do not tell of the next century.
in_range <- function(date) {
  date[!is.na(date) & (date < as.IDate("2000-01-01") | date > as.IDate("2099-12-31"))] <- NA
  date
}

# In: CTR as written and as derived. Out: "fraction", "percent", "disagrees" or (nothing to judge
# by) "none".
ctr_convention <- function(written, derived) {
  ratio <- (written / derived)[which(derived > 0 & is.finite(written))]
  if (!length(ratio)) return("none")
  middle <- stats::median(ratio)
  if (abs(middle - 1) < 0.1) "fraction" else if (abs(middle - 100) < 10) "percent" else "disagrees"
}
