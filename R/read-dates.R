# What dates of a table stand for: days, weeks or months.

# From the first to the last of the days that dates stand for; a last week or month may be cut off
# by the export.
table_days <- function(dates, until, each = NULL) {
  if (!length(dates)) {
    return(list(from = as.IDate(NA), to = as.IDate(NA), days = NA_integer_, each = NA_integer_))
  }
  dates <- sort(unique(dates))
  last <- dates[length(dates)]
  if (is.null(each)) each <- days_each(dates)
  to <- max(last, min(last + each - 1L, until))
  list(from = dates[1], to = to, days = as.integer(to - dates[1]) + 1L, each = each)
}

# The first of the last days: where dates are weeks or months, the beginning of the nearest.
last_days_from <- function(table, days) {
  from <- table$to - as.integer(min(days, table$days)) + 1L
  if (!isTRUE(table$each > 1L)) return(from)
  begins <- if (table$each == 7L) {
    seq(table$from, table$to, by = 7L)
  } else {
    months_after(table$from, 0:(as.integer(table$days) %/% 28L))
  }
  begins <- begins[begins <= table$to]
  begins[which.min(abs(as.integer(begins) - as.integer(from)))]
}

# Whether dates are so wide apart that nothing is known by the week.
wide_dates <- function(table) isTRUE(table$each > 7L)

abort_wide_dates <- function(table, what, argument = NULL) {
  abort_tide(sprintf("%s: dates stand for whole %s here.", what,
    if (table$each == 7L) "weeks" else "months"),
    where = sprintf("The table is by %s.", grain_label(table$dimensions)),
    fix = "Export by day.", class = "grain", argument = argument)
}

# How many days the last date stands for: 7 where four dates or more are all of them a week apart, a
# month where all of two or more are the first days of months in a row.
days_each <- function(dates) {
  gaps <- as.integer(diff(dates))
  if (length(gaps) >= 3 && all(gaps == 7L)) return(7L)
  if (!length(gaps)) return(1L)
  last <- as.POSIXlt(dates[length(dates)])
  if (!all(as.POSIXlt(dates)$mday == 1L & c(gaps, 28L) %in% 28:31)) return(1L)
  last$mon <- last$mon + 1L
  as.integer(as.IDate(last) - dates[length(dates)])
}

# Tables of monthly totals of one's own.

first_of_month <- function(date) as.IDate(format(date, "%Y-%m-01"))

# First days of the months so many after one (before it, where below 0).
months_after <- function(first, many) {
  at <- as.POSIXlt(first)
  number <- at$year * 12L + at$mon + as.integer(many)
  as.IDate(sprintf("%d-%02d-01", number %/% 12L + 1900L, number %% 12L + 1L))
}

days_in_month <- function(first) as.integer(months_after(first, 1L)) - as.integer(first)

# What is counted, the first that a table has.
history_counts <- c("clicks", "sessions", "conversions", "value")

history_spellings <- list(
  month = c("month", "date", "day", "period", "monat", "mois", "mes", "mese", "maand", "datum",
    "yearmonth", "monthyear", "monthofyear", "monthoftheyear"),
  year = c("year", "jahr", "annee", "ano", "anno", "jaar"),
  clicks = c("clicks", "click", "klicks", "clics", "clic", "cliques", "klikken", "organicclicks",
    "organischeklicks", "clicsorganiques", "totalclicks"),
  sessions = c("sessions", "visits", "sitzungen", "besuche", "visites", "visitas", "visite",
    "sesiones", "sessioni", "sessies", "sessoes", "organicsessions", "organicvisits", "traffic",
    "organictraffic", "users", "organicusers"),
  conversions = c("conversions", "orders", "goals", "keyevents"),
  value = c("value", "revenue", "totalrevenue", "umsatz"),
  segment = c("segment", "brand", "folder"))

# A table of months of one's own: list(months: data.table(segment, month, days, value), of, source,
# note: none). columns: headers of its own, named as in history_spellings.
read_history_months <- function(file, of = NULL, columns = NULL) {
  resolve_months(read_month_texts(file, columns), file, of)
}

read_month_texts <- function(file, columns = NULL) {
  spellings <- utils::modifyList(history_spellings,
    as.list(columns[names(columns) %in% names(history_spellings)]))
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  tbl <- named_table(file, scratch, spellings, "month", "months", "month,clicks")
  if (is.null(tbl)) abort_no_table("The table of months is empty.", file, "Name another.")
  columns <- lapply(stats::setNames(nm = names(history_spellings)), tbl$text)
  # Year and month in two columns are one.
  if (all(grepl("^[0-9]{4}$", columns$year)) && length(columns$year)) {
    number <- suppressWarnings(as.integer(columns$month))
    named <- is.na(number)
    number[named] <- vapply(columns$month[named], named_month, 0L)
    columns$month <- sprintf("%s-%02d", columns$year, number)
  }
  columns$year <- NULL
  as.data.table(columns[vapply(columns, function(x) any(nzchar(x)), NA)])
}

# Whether a file is a table of months rather than an export: its months with what is counted, and
# neither queries nor pages.
is_months_table <- function(file, columns = NULL) {
  if (length(file) != 1 || dir.exists(file)) return(FALSE)
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  tryCatch({
    part <- one_part(file, scratch)
    exported <- function(header) find_columns(header)[c("query", "page", "impressions")]
    layout <- sniff_header(part$path, function(header) length(header) > 1, 1)
    texts <- read_month_texts(file, columns)
    "month" %in% names(texts) && any(history_counts %in% names(texts)) &&
      !sum(lengths(exported(layout$header)))
  }, tide_error = function(e) FALSE)
}

# What a table of months counts.
history_columns <- function(file, columns = NULL) {
  intersect(history_counts, names(read_month_texts(file, columns)))
}

# The same of a data frame.
resolve_months <- function(table, source, of = NULL) {
  of <- intersect(if (is.null(of)) history_counts else of, names(table))[1]
  if (!"month" %in% names(table) || is.na(of)) {
    abort_tide("The table of months needs a month and a column of numbers.",
      where = sprintf("'%s'.", source), fix = "Give a header such as: month,clicks",
      class = "columns_missing", file = source, column = "clicks")
  }
  text <- as.character(table$month)
  month <- month_of_text(text)
  number <- suppressWarnings(as.numeric(gsub("[, ]", "", table[[of]])))
  bad <- which(is.na(month) | is.na(number) | number < 0)
  if (length(bad)) {
    abort_tide("A row is no month with its number.",
      where = sprintf("'%s', row %d: '%s', '%s'.", source, bad[1], text[bad[1]],
        table[[of]][bad[1]]),
      fix = "Write months as 2026-03 and plain numbers of at least 0.", class = "range",
      file = source, lines = bad)
  }
  segment <- if (is.null(table[["segment"]])) "" else as.character(table$segment)
  first <- first_of_month(month)
  month_rows <- setDT(list(segment = rep_len(ifelse(nzchar(segment), segment, "all"),
    length(first)),
    month = first, days = days_in_month(first), value = number))
  key <- c("segment", "month")
  if (any(month != first)) {
    # Rows are days; or weeks, whose figure is that of seven.
    days <- data.table(segment = month_rows$segment, date = month, value = number)
    if (weeks_apart(days)) {
      days <- days[rep(seq_len(nrow(days)), each = 7)]
      set(days, j = c("date", "value"), value = list(days$date + rep_len(0:6, nrow(days)),
        days$value / 7))
    }
    month_rows <- data.table(segment = days$segment, month = first_of_month(days$date),
      value = days$value)
    month_rows <- month_rows[, list(days = .N, value = sum(value)), by = key]
  } else if (anyDuplicated(month_rows, by = key)) {
    abort_tide("A month stands twice.",
      where = sprintf("'%s': %s.", source,
        format(month_rows$month[anyDuplicated(month_rows, by = key)])),
      fix = "Keep one row for each month and segment.", class = "range", file = source,
      column = "month")
  }
  list(months = month_rows, of = of, source = basename(source), note = character())
}

# Whether all dates of each segment stand whole weeks apart.
weeks_apart <- function(days) {
  apart <- days[, list(apart = diff(sort(as.integer(date)))), by = "segment"]$apart
  length(apart) > 0 && all(apart %% 7L == 0L) && all(apart > 0L)
}

# Days, or months without one, of which it is the first day: 2026-03, 03/2026, Mar 2026, 3/1/2026.
# Of slashes the month comes first where all are the first of a month so.
month_of_text <- function(text) {
  text <- gsub("[/.]", "-", spelled_months(trimws(text)))
  text <- sub("^([0-9]{1,2})-([0-9]{4})$", "\\2-\\1", text)
  short <- grepl("^[0-9]{4}-[0-9]{1,2}$", text)
  other <- grepl("^[0-9]{1,2}-[0-9]{1,2}-[0-9]{2,4}$", text)
  out <- as.IDate(as.Date(ifelse(short, paste0(text, "-01"), text), format = "%Y-%m-%d"))
  if (any(other)) {
    first <- grepl("^0?1-", text[other])
    second <- grepl("^[0-9]{1,2}-0?1-", text[other])
    day_first <- if (all(second) && !all(first)) "mdy" else if (all(first)) "dmy"
    dates <- distinct_dates(text[other], day_first)
    out[other] <- if (inherits(dates, "IDate")) dates else as.IDate(NA)
  }
  out
}

# Names of months in the languages that headers are read in, as their first letters.
month_names <- list(
  c("jan", "j\u00e4n", "ene", "gen"), c("feb", "f\u00e9v", "fev"), c("mar", "m\u00e4r", "mrt"),
  c("apr", "avr", "abr"), c("may", "mai", "mag", "mei"), c("jun", "juin", "giu"),
  c("jul", "juil", "lug"), c("aug", "ao\u00fb", "aou", "ago"), c("sep", "set"),
  c("oct", "okt", "ott", "out"), c("nov"), c("dec", "dez", "d\u00e9c", "dic"))

# Dates with the month as a word, in numbers: "Oct 1, 2026" and "1. Oktober 2026" are 2026-10-01,
# "Apr 2023" is 2023-04. Other texts stay.
spelled_months <- function(text) {
  word <- "([[:alpha:]]{3,10})[.]?"
  shapes <- list(
    list(sprintf("^%s ([0-9]{1,2}),? ([0-9]{4})$", word), c(3, 1, 2)),
    list(sprintf("^([0-9]{1,2})[.]?[ -]%s[ -]([0-9]{4})$", word), c(3, 2, 1)),
    list(sprintf("^%s[ -]([0-9]{4})$", word), c(2, 1)),
    list(sprintf("^([0-9]{4})[ -]%s$", word), c(1, 2)))
  for (shape in shapes) {
    at <- grep(shape[[1]], text)
    if (!length(at)) next
    cells <- regmatches(text[at], regexec(shape[[1]], text[at]))
    text[at] <- vapply(cells, function(own) {
      parts <- own[-1][shape[[2]]]
      number <- named_month(parts[2])
      if (is.na(number)) return(own[1])
      paste(c(parts[1], sprintf("%02d", number), if (length(parts) > 2) {
        sprintf("%02d", as.integer(parts[3]))
      }), collapse = "-")
    }, "")
  }
  text
}

# 1 to 12, by the longest beginning that is known ("juin" and "juil" before "jui").
named_month <- function(word) {
  word <- tolower(word)
  known <- unlist(month_names)
  number <- rep(seq_along(month_names), lengths(month_names))
  hit <- which(startsWith(word, known))
  if (length(hit)) number[hit[which.max(nchar(known[hit]))]] else NA_integer_
}
