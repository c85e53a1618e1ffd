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
