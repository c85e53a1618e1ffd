# Tables of monthly totals of one's own.

days_in_month <- function(start) {
  after <- as.POSIXlt(start)
  after$mon <- after$mon + 1L
  as.integer(as.IDate(after)) - as.integer(start)
}

first_of_month <- function(date) as.IDate(format(date, "%Y-%m-01"))

history_spellings <- list(month = c("month", "date", "day", "period", "monat", "mois", "mes"),
  clicks = c("clicks", "click", "klicks", "clics"), sessions = c("sessions", "visits", "sitzungen"),
  conversions = c("conversions", "orders", "goals"), value = c("value", "revenue"),
  segment = c("segment", "brand", "folder"))

# A table of months of one's own.
read_history_months <- function(file) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  table <- named_table(file, scratch, history_spellings, "month", "months", "month,clicks")
  if (is.null(table)) abort_no_table("The table of months is empty.", file, "Name another.")
  counted <- Filter(function(name) any(nzchar(table$text(name))),
    c("clicks", "sessions", "conversions", "value"))
  if (!length(counted)) {
    abort_tide("The table of months needs a column of numbers.", where = sprintf("'%s'.", file),
      fix = "Give a header such as: month,clicks", class = "columns_missing", file = file,
      column = "clicks")
  }
  text <- table$text("month")
  text <-
    ifelse(grepl("^[0-9]{4}[-/.][0-9]{1,2}$", text), paste0(gsub("[/.]", "-", text), "-01"), text)
  month <- as.IDate(as.Date(text, optional = TRUE, tryFormats = c("%Y-%m-%d", "%Y/%m/%d")))
  number <- suppressWarnings(as.numeric(gsub("[, ]", "", table$text(counted[1]))))
  bad <- which(is.na(month) | is.na(number) | number < 0)
  if (length(bad)) {
    abort_tide("A row is no month with its number.",
      where = sprintf("'%s', row %d: '%s', '%s'.", file, bad[1], table$text("month")[bad[1]],
        table$text(counted[1])[bad[1]]),
      fix = "Write months as 2026-03 and plain numbers of at least 0.", class = "range",
      file = file, lines = bad)
  }
  segment <- table$text("segment")
  months <- setDT(list(segment = ifelse(nzchar(segment), segment, "all"),
    month = first_of_month(month), days = days_in_month(first_of_month(month)), value = number))
  daily <- any(as.POSIXlt(month)$mday != 1L)
  if (daily) {
    months <- months[, list(days = .N, value = sum(value)), by = c("segment", "month")]
  } else if (anyDuplicated(months, by = c("segment", "month"))) {
    twice <- months[duplicated(months, by = c("segment", "month"))][1]
    abort_tide("A month stands twice.", where = sprintf("'%s': %s.", file, format(twice$month)),
      fix = "Keep one row for each month and segment.", class = "range", file = file,
      column = "month")
  }
  list(months = months, of = counted[1], source = basename(file), note = character())
}
