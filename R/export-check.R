# What figures may be: refused by line where a file is wrong, left out and counted where a row says nothing.

# Rules for rows with more clicks than impressions, by their names in the call and in the settings.
clicks_above_rules <- c(`leave out` = "left out and counted", keep = "kept as they stand", refuse = "an error by line")

check_figures <- function(rows, place, clicks_above) {
  refuse <- function(bad, column, what, mend) {
    if (length(bad)) abort_cells(bad, rows[[column]], column, place, what, mend, "range")
  }
  for (column in c("clicks", "impressions", "position")) {
    values <- rows[[column]]
    empty <- anyNA(values)
    range <- suppressWarnings(c(min(values, na.rm = empty), max(values, na.rm = empty)))
    if (is.double(values) && any(is.infinite(range))) {
      refuse(which(is.infinite(values)), column, "Infinite figures", "Correct or delete those rows.")
    }
    if (column != "position" && empty) refuse(which(is.na(values)), column, "Empty cells",
      "Fill them in, or delete those rows.")
    if (range[1] < 0) refuse(which(values < 0), column, "Negative figures", "Correct or delete those rows.")
  }
  if (range[1] < 1) {
    refuse(which(rows$position < 1 & rows$impressions > 0), "position", "Positions below 1",
      "Positions start at 1; check which column holds the average position.")
  }
  if (clicks_above == "refuse") {
    refuse(which(rows$clicks > rows$impressions), "clicks", "More clicks than impressions",
      "Correct those rows, or leave them out: --clicks-above 'leave out'.")
  }
}

# The rows that no figure may rest on, counted by reason.
drop_rows <- function(rows, exported, lag, grain, clicks_above) {
  reasons <- list(
    "no impressions" = which(rows$impressions <= 0),
    "no position" = which(is.na(rows$position)),
    "more clicks than impressions" = which(rows$clicks > rows$impressions)
  )
  if (clicks_above == "keep") reasons[["more clicks than impressions"]] <- NULL
  if (lag > 0 && !is.null(rows[["date"]])) {
    reasons[[sprintf("unfinished days (within %g days of the export)",
      lag)]] <- which(as.integer(rows$date) >= as.integer(exported) - lag)
  }
  gone <- integer()
  ledger <- list()
  for (reason in names(reasons)) {
    out <- setdiff(reasons[[reason]], gone)
    if (!length(out)) next
    ledger[[reason]] <- left_out_line(reason, grain, rows, out)
    gone <- c(gone, out)
  }
  list(rows = if (length(gone)) rows[-gone] else rows, left_out = rbindlist(ledger))
}

round_caps <- c(500L, 1000L, 5000L, 10000L, 25000L, 50000L, 100000L)

# An interactive or programmatic export that was cut: a round number of rows, sorted by clicks.
looks_capped <- function(rows) {
  nrow(rows) %in% round_caps && !is.unsorted(-rows$clicks)
}

# Names of rows that hold the sum of all others.
totals_names <- c("total", "totals", "grand total", "sum", "summe", "gesamt", "gesamtsumme", "totale", "totaal",
  "totaux", "suma", "soma",
  "total general", "totaal generaal")

# Rows named so in their first text (or with no text at all, or no date), whose clicks are the sum of the others: a
# query "total" with clicks of its own stays.
totals_rows <- function(rows, text) {
  none <- list(rows = integer())
  by <- c(text, if (is.character(rows[["date"]])) "date")
  if (!length(by) || nrow(rows) < 2) return(none)
  # Only the ends of a file are looked at: that is where spreadsheets put totals.
  ends <- unique(c(1:2, nrow(rows) - 1:0))
  named <- vapply(ends, function(i) {
    texts <- tolower(trimws(vapply(by, function(column) as.character(rows[[column]][i]), "")))
    texts[is.na(texts)] <- ""
    any(texts %in% totals_names) || all(!nzchar(texts))
  }, NA)
  at <- ends[named]
  others <- sum(as.numeric(rows$clicks), na.rm = TRUE) - sum(rows$clicks[at], na.rm = TRUE)
  at <- at[which(abs(rows$clicks[at] - others) <= 0.005 * max(others, 1))]
  if (!length(at) || !others) return(none)
  list(rows = at, clicks = sum(rows$clicks[at]), impressions = sum(rows$impressions[at]))
}

totals_line <- function(totals, grain) {
  if (!length(totals$rows)) return(NULL)
  data.table(grain = grain, reason = "row of totals", rows = length(totals$rows), clicks = as.numeric(totals$clicks),
    impressions = as.numeric(totals$impressions))
}

# Queries as spreadsheets leave them: a leading quote or ="..." is taken off; texts turned into dates or numbers
# cannot be mended and are counted.
mend_queries <- function(rows) {
  queries <- levels(rows$query)
  # Few begin so: the costly patterns are tried on those alone.
  first <- substr(queries, 1, 1)
  quoted <- first == "'" | first == "="
  mended <- queries
  mended[quoted] <- sub("^=\"(.*)\"$", "\\1", sub("^'(?=[=+@-])", "", queries[quoted], perl = TRUE))
  if (!identical(mended, queries)) {
    code <- as_levels(mended)
    set(rows, j = "query", value = structure(as.integer(code)[as.integer(rows$query)], levels = levels(code),
      class = "factor"))
  }
  sum(grepl("^(\\d{4}-\\d\\d-\\d\\d( 00:00:00)?|\\d{1,2}[-./](jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*|(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*[-/]\\d{1,4}|\\d(\\.\\d+)?e[+]\\d+|#(name|ref|value|n/a)[?!]?)$",
    grep("^[#0-9]|^[a-z]{3,9}[-/][0-9]", levels(rows$query), value = TRUE, perl = TRUE, ignore.case = TRUE),
    ignore.case = TRUE))
}
