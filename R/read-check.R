# What figures may be: refused by line where a file is wrong, left out and counted where a row says
# nothing.

# Rules for rows with more clicks than impressions, by their names in the call and in the settings.
clicks_above_rules <-
  c(`leave out` = "left out and counted", keep = "kept as they stand", refuse = "an error by line")

# What rows are that stand several times without dates, with different figures.
repeats_rules <- c(ask = "an error that shows them", newest = "the last counts", add = "added up")

# aside: rows that are no data.
check_figures <- function(rows, place, clicks_above, aside) {
  refuse <- function(wrong, column, what, fix, ...) {
    bad <- setdiff(which(wrong), aside)
    if (length(bad)) abort_cells(bad, rows[[column]], column, place, what, fix, "range", ...)
  }
  for (column in figure_names) {
    values <- rows[[column]]
    # Where the ends are fine, so is all between them.
    ends <- suppressWarnings(range(values, na.rm = TRUE))
    if (any(is.infinite(ends))) {
      refuse(is.infinite(values), column, "Infinite figures", "Correct or delete those rows.")
    }
    if (ends[1] < 0) refuse(values < 0, column, "Negative figures", "Correct or delete those rows.")
    if (column == "position") next
    if (anyNA(values)) {
      refuse(is.na(values), column, "Empty cells", "Fill them in, or delete those rows.")
    }
    if (is.double(values)) {
      refuse(values > most_counted, column, "More than can be counted",
        "Correct or delete those rows.")
      refuse(abs(values - round(values)) > 1e-6, column, "Not a whole number",
        "Clicks and impressions are counts: check which column holds them.")
    }
  }
  if (ends[1] < 1) {
    refuse(rows$position < 1 & rows$impressions > 0, "position", "Positions below 1",
      "Positions start at 1; check which column holds the average position.")
  }
  if (clicks_above == "refuse") {
    refuse(rows$clicks > rows$impressions, "clicks", "More clicks than impressions",
      "Correct those rows, or have them left out by `clicks_above`.", argument = "clicks_above")
  }
}

# Above this, numbers as computers keep them no longer count one by one.
most_counted <- 2^53

# No search and no address is longer: such a cell is damage, and breaks what sorts or shows it.
longest_text <- 32767

# By reason, the rows that no figure may rest on.
unusable_rows <- function(rows, clicks_above) {
  # Totals need none.
  no_position <- !"query" %in% names(rows) && all(is.na(rows$position))
  reasons <- list("no impressions" = which(rows$impressions <= 0),
    "no position" = if (no_position) integer() else which(is.na(rows$position)),
    "more clicks than impressions" = which(rows$clicks > rows$impressions))
  if (clicks_above == "keep") reasons[["more clicks than impressions"]] <- NULL
  for (column in intersect(c("query", "page"), names(rows))) {
    long <- which(nchar(levels(rows[[column]]), "bytes") > longest_text)
    if (length(long)) {
      reasons[[sprintf("a %s of more than %s bytes", column, format_count(longest_text))]] <-
        which(as.integer(rows[[column]]) %in% long)
    }
  }
  reasons
}

# In: rows by reason; a row goes for the first that it has. Out: list(rows, left_out).
drop_rows <- function(rows, reasons, grain) {
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
totals_names <- c("total", "totals", "grand total", "sum", "summe", "gesamt", "gesamtsumme",
  "totale", "totaal", "totaux", "suma", "soma", "total general", "totaal generaal")

# Rows named so in their first text (or with no text at all, or no date), whose figures are the sums
# of the others: a query "total" with clicks of its own stays. headers: rows that are none.
totals_rows <- function(rows, text, headers) {
  keys <- c(text, if (is.character(rows[["date"]])) "date")
  if (!length(keys) || nrow(rows) < 2) return(integer())
  # Only the ends of a file are looked at: that is where spreadsheets put totals.
  ends <- unique(c(1:2, nrow(rows) - 1:0))
  named <- vapply(ends, function(i) {
    texts <- tolower(trimws(vapply(keys, function(column) as.character(rows[[column]][i]), "")))
    texts[is.na(texts)] <- ""
    any(texts %in% totals_names) || all(!nzchar(texts))
  }, NA)
  at <- setdiff(ends[named], headers)
  if (!length(at)) return(integer())
  sums_others <- function(column) {
    values <- as.numeric(rows[[column]])
    others <- sum(values, na.rm = TRUE) - sum(values[at], na.rm = TRUE)
    abs(values[at] - others) <= 0.005 * max(others, 1)
  }
  # A site without clicks has a row of totals by its impressions alone.
  others <- sum(rows$clicks[-at], na.rm = TRUE)
  at[which(sums_others(if (others > 0) "clicks" else "impressions") &
    (others > 0 | rows$clicks[at] %in% 0))]
}

# Queries as spreadsheets leave them: a leading quote or ="..." is taken off; texts turned into
# dates or numbers cannot be repaired and are counted.
repair_queries <- function(rows) {
  queries <- levels(rows$query)
  # Few begin so: the costly patterns are tried on those alone.
  first <- substr(queries, 1, 1)
  quoted <- first == "'" | first == "="
  repaired <- queries
  repaired[quoted] <-
    sub("^=\"(.*)\"$", "\\1", sub("^'(?=[=+@-])", "", queries[quoted], perl = TRUE))
  if (!identical(repaired, queries)) {
    code <- as_levels(repaired)
    set(rows, j = "query", value = structure(as.integer(code)[as.integer(rows$query)],
      levels = levels(code), class = "factor"))
  }
  sum(grepl(damaged_text, grep("^[#0-9]|^[a-z]{3,9}[-/][0-9]", levels(rows$query), value = TRUE,
    perl = TRUE, ignore.case = TRUE),
    ignore.case = TRUE))
}

# What spreadsheets make of queries: days, powers of ten, errors.
damaged_text <- local({
  month <- "(jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*"
  paste0("^(\\d{4}-\\d\\d-\\d\\d( 00:00:00)?|\\d{1,2}[-./]", month, "|", month,
    "[-/]\\d{1,4}|\\d(\\.\\d+)?e[+]\\d+|#(name|ref|value|n/a)[?!]?)$")
})

# Rows that stand several times in one file, as stacked exports leave them. Two rows are the same
# when every column but the figures agrees, those that are not read included: a device that nobody
# asked for still tells rows apart.

# aside: rows that are no data. Out: by reason, the rows to leave out: the same again, and with
# figures other than those of the row that stays. The last one stays, since newer exports are pasted
# below older ones; without dates that is only so where `repeats` says it.
repeated_rows <- function(rows, place, header, columns, aside, repeats) {
  if (repeats == "add") return(list())
  keys <- setdiff(names(rows), figure_names)
  unread <- setdiff(seq_along(header), unname(columns))
  if (!length(keys) && !length(unread)) return(list())
  if (length(keys) && !repeats_any(rows[, keys, with = FALSE])) return(list())
  key <- row_key(rows[, keys, with = FALSE])
  twice <- setdiff(which(duplicated(key) | duplicated(key, fromLast = TRUE)), aside)
  key <- key[twice]
  if (length(unread)) {
    others <- fread_strict(place, select = unread, colClasses = "character")[twice]
    for (column in seq_along(others)) set(others, j = column, value = as_levels(others[[column]]))
    key <- row_key(data.table(first = as_levels(as.character(key)), others))
  }
  again <- duplicated(key, fromLast = TRUE)
  kept <- rev(seq_along(key))[match(key[again], rev(key))]
  figures <- rows[twice, figure_names, with = FALSE]
  same <- Reduce(`&`, lapply(figures, function(x) {
    (x[again] == x[kept]) %in% TRUE | (is.na(x[again]) & is.na(x[kept]))
  }))
  if (repeats == "ask" && !"date" %in% keys && any(!same)) {
    other <- c(twice[again][!same][1], twice[kept[!same][1]])
    ask_repeats(rows[other], keys,
      sprintf("%s %d of '%s'", place$unit, record_lines(place, other), place$label))
  }
  list(`same row again in one file` = twice[again][same],
    `given again in one file with other figures (the last counts)` = twice[again][!same])
}

# Does any combination of the columns (factors, dates) stand twice?
repeats_any <- function(columns) {
  ranges <- code_ranges(columns)
  if (prod(ranges$size) > 2^63) return(anyDuplicated(group_number(columns)) > 0)
  .Call(any_repeat, lapply(columns, as.integer), ranges$low, ranges$size)
}

# One number for each combination of the columns; of group numbers where those do not fit a double.
row_key <- function(columns) {
  ranges <- code_ranges(columns)
  if (prod(ranges$size) > 2^53) return(group_number(columns))
  key <- numeric(nrow(columns))
  for (i in seq_along(columns)) {
    key <- key * ranges$size[i] + (as.integer(columns[[i]]) - ranges$low[i])
  }
  key
}

# The lowest whole number in each column and how many there are from it up.
code_ranges <- function(columns) {
  ends <- vapply(columns, function(x) {
    if (is.factor(x)) c(1L, max(1L, nlevels(x))) else range(as.integer(x))
  }, integer(2))
  list(low = ends[1, ], size = as.numeric(ends[2, ]) - ends[1, ] + 1)
}

group_number <- function(columns) copy(columns)[, "group" := .GRP, by = names(columns)]$group
