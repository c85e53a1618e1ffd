#' Keep a part of the data
#'
#' Filters by window and by segments. What is filtered out is added to the `left_out` ledger, so
#' that no result can hide that a filter was on. A filter on a dimension that a table does not
#' have removes that table, because its figures cannot be split.
#'
#' @param data A `tide_data` object from [tide_read()]; a `tide_months` object from
#'   [tide_stored()] or a `tide_blocks` object from [tide_read()], which are filtered while they are
#'   gone through; or a `tide_summary`, of which queries and pages can be filtered, not days or
#'   devices, which are summed up already.
#' @param from,to First and last day, as dates or text like `"2026-03-31"`.
#' @param days Keep the last so many days. On a table without dates it says how many days the
#'   figures stand for.
#' @param without Days to leave out: dates, or what [tide_unusual()] found.
#' @param ... Conditions as in [tide_segment()].
#' @param segments A [tide_segment()] or a list of them: rows must be in all.
#' @param rules A [tide_rules()] object, for conditions on brand, intent and page group.
#' @return An object like `data`.
#' @section Errors: `tide_error_argument`, `tide_error_regex`; `tide_error_nothing_left` where no
#'   row passes; `tide_error_grain` for a condition on country, device, vertical or rich result
#'   of a summary.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_filter(data, query = "tomato", device = "mobile")
#' questions <- tide_segment("questions", has_any = c("how", "why", "when"))
#' tide_filter(data, days = 28, segments = questions)
#' tide_filter(tide_summary(data), has_any = "tomato", position = c(1, 10))
#' @export
tide_filter <- function(data, ...) UseMethod("tide_filter")

#' @export
tide_filter.default <- function(data, ...) check_class(data, "tide_data", "data")

#' @rdname tide_filter
#' @export
tide_filter.tide_data <- function(data, from = NULL, to = NULL, days = NULL, ..., segments = NULL,
    rules = tide_rules(), without = NULL) {
  from <- check_date(from, "from")
  to <- check_date(to, "to")
  check_number(days, "days", min = 1, null = TRUE)
  segments <- stacked_segments(segments, ...)
  check_class(rules, "tide_rules", "rules")
  without <- listed_days(without)
  if (is.null(c(from, to, days)) && !length(segments) && !length(without)) return(data)
  check_dates_known(any_dated(data),
    list(from = from, to = to, without = if (length(without)) without), tables_read(data))
  if (about_brand(segments)) {
    tbl <- pick_table(data, "query")
    if (!is.null(tbl)) rules <- with_spellings(rules, tbl$rows)
  }
  check_values(data, segments)
  data$grains <- read_grains(data)
  data$tables <- lapply(data$tables, window_beside, data)
  span <- list(from = from, to = to, days = days, without = without)
  keep <- table_filter(segments, rules, span, any_dated(data))
  kept <- lapply(data$tables, keep)
  data$tables <- filled_tables(kept)
  # The earlier window of a comparison may have lost its rows: then all is new.
  before <- lapply(data$earlier, keep)
  if (!is.null(data$earlier)) data$earlier <- lapply(before, `[[`, "table")
  ledger <- lapply(c(kept, before), `[[`, "left_out")
  if (!length(data$tables)) {
    abort_tide("No row is left after filtering.",
      where = paste(unique(unlist(lapply(ledger, function(lines) lines$reason))), collapse = "; "),
      fix = "Loosen one of these filters.", class = "nothing_left")
  }
  data$left_out <- sum_left_out(rbindlist(c(list(data$left_out), ledger)))
  if (length(segments)) data$chosen <- c(data$chosen, segment_words(segments))
  data
}

# The last days of what has dates, chosen by nobody: tables without dates stay whole.
within_newest <- function(data, days) {
  dated <- vapply(data$tables, function(table) "date" %in% table$dimensions, NA)
  if (!any(dated)) return(data)
  grains <- read_grains(data)
  whole <- data$tables[!dated]
  data$tables <- data$tables[dated]
  data <- tide_filter(data, days = days)
  data$tables <- c(data$tables, whole)
  data$grains <- grains
  data
}

# Whether all days that a table without dates stands for are among those chosen.
stands_inside <- function(table, window) {
  if (is.null(c(window$from, window$to, window$days)) && !length(window$without)) return(TRUE)
  if (is.na(table$from)) return(is.null(c(window$from, window$to)) && !length(window$without))
  all(table$from >= window$from, table$to <= window$to, table$days <= window$days,
    window$without < table$from | window$without > table$to)
}

# Whether any condition is about sums of query and page, which depend on the days they are over.
about_sums <- function(segments) {
  any(vapply(segments, about_pairs, NA))
}

# A function of a table that gives list(table, left_out). Where other tables have dates, one without
# does not answer for some of its days.
table_filter <- function(segments, rules, window, beside_dated) {
  steps <- window_steps(window$from, window$to, window$days, window$without)
  days <- window$days
  function(table) {
    grain <- grain_label(table$dimensions)
    undated <- !"date" %in% table$dimensions
    if (undated && beside_dated && !stands_inside(table, window)) {
      steps <- list(function(rows) stats::setNames(list(seq_len(nrow(rows))), no_days_reason))
    }
    kept <- filter_rows(table$rows, segments, rules, grain, steps)
    if (nrow(kept$rows) < nrow(table$rows)) {
      own_window <- if (undated && !is.na(table$from)) table[c("from", "to")]
      stands_for <- table$days
      table <- new_table(kept$rows, table$dimensions, table$to, own_window, table$rests_on,
        if (isTRUE(table$each > 1L)) table$each)
      if (is.na(table$days)) table$days <- stands_for
    }
    list(table = with_days_said(table, days), left_out = kept$left_out)
  }
}

# Of what a table_filter() gave, the tables that still have rows.
filled_tables <- function(kept) {
  Filter(function(table) nrow(table$rows) > 0, lapply(kept, `[[`, "table"))
}

#' @rdname tide_filter
#' @export
tide_filter.tide_months <- function(data, ..., segments = NULL, rules = tide_rules(),
    without = NULL) {
  span <- intersect(names(list(...)), c("from", "to", "days"))
  if (length(span)) {
    abort_argument(span[1], "given when the data are taken out of the archive",
      list(...)[[span[1]]])
  }
  check_class(rules, "tide_rules", "rules")
  without <- listed_days(without)
  data[c("segments", "rules")] <- list(c(data$segments, stacked_segments(segments, ...)), rules)
  gone <- data$plan$wanted$day %in% as.integer(without)
  data$plan$left_out <- sum_left_out(rbind(data$plan$left_out,
    day_ledger(data$plan$wanted[gone], without_label(without))))
  data$plan$wanted <- data$plan$wanted[!gone]
  data
}

# A country, device, vertical or rich result that no row has is a slip of the pen.
check_values <- function(data, segments) {
  asked <- all_conditions(segments)
  for (dimension in c("country", "device", "vertical", "rich_result")) {
    wanted <- unlist(asked[names(asked) == dimension], use.names = FALSE)
    columns <- Filter(Negate(is.null), lapply(data$tables, function(t) t$rows[[dimension]]))
    if (!length(wanted)) next
    if (!length(columns)) {
      abort_tide(sprintf("No table is by %s.", gsub("_", " ", dimension)),
        where = tables_read(data),
        fix = sprintf("Export by %s, or leave the condition out.", gsub("_", " ", dimension)),
        class = "grain", fault = "call")
    }
    known <- sort(unique(unlist(lapply(columns, function(x) levels(as_levels(x))))))
    lacking <- wanted[!tolower(wanted) %in% tolower(known)]
    if (!length(lacking)) next
    some <- utils::head(known, 12)
    abort_tide(sprintf("No row has the %s '%s'.", gsub("_", " ", dimension), lacking[1]),
      where = sprintf("The data hold: %s%s.", paste(some, collapse = ", "),
        if (length(known) > 12) sprintf(" and %d more", length(known) - 12L) else ""),
      fix = sprintf("Did you mean '%s'?", nearest_name(lacking[1], known)), class = "nothing_left",
      fault = "call")
  }
}

# Conditions given one by one are a segment of their own, stacked on those that have a name.
stacked_segments <- function(segments, ...) {
  c(if (...length()) list(tide_segment("these conditions", ...)), as_segments(segments))
}

# Of data, the rows whose query and page another one has, on whatever day.
same_pairs <- function(data, chosen) {
  data$tables <- Map(function(table, own) {
    keys <- intersect(c("query", "page"), names(table$rows))
    if (is.null(own) || !length(keys)) return(table)
    pairs <- unique(own$rows[, keys, with = FALSE])
    table$rows <- table$rows[sort(table$rows[pairs, on = keys, which = TRUE, nomatch = NULL])]
    table
  }, data$tables, chosen$tables[names(data$tables)])
  data$chosen <- chosen$chosen
  data
}

# A step: rows -> list(label = rows that fail).
window_steps <- function(from, to, days, without) {
  on_date <- function(label, fails) function(rows) {
    if (!"date" %in% names(rows)) return(list())
    stats::setNames(list(which(fails(rows$date))), label)
  }
  Filter(Negate(is.null), list(
    if (!is.null(from)) on_date(sprintf("before %s", format(from)), function(date) date < from),
    if (!is.null(to)) on_date(sprintf("after %s", format(to)), function(date) date > to),
    if (length(without)) on_date(without_label(without), function(date) date %in% without),
    if (!is.null(days)) {
      on_date(sprintf("before the last %g days", days), function(date) date <= max(date) - days)
    }))
}

# Dates, or runs of days with `from` and `to`.
listed_days <- function(without) {
  if (is.null(without)) return(NULL)
  if (is.data.frame(without)) return(listed_dates(without))
  as.IDate(vapply(without, function(one) as.integer(check_date(one, "without", null = FALSE)), 0L))
}

without_label <- function(days) {
  sprintf("%s named to be left out", format_plural(length(days), "day"))
}

# All days of runs with `from` and `to`.
listed_dates <- function(runs) {
  as.IDate(unlist(Map(seq.int, as.integer(runs$from), as.integer(runs$to))))
}

# A large file that is filtered while it is gone through.

#' @rdname tide_filter
#' @export
tide_filter.tide_blocks <- function(data, from = NULL, to = NULL, days = NULL, ...,
    segments = NULL, rules = tide_rules(), without = NULL) {
  from <- check_date(from, "from")
  to <- check_date(to, "to")
  check_number(days, "days", min = 1, null = TRUE)
  segments <- stacked_segments(segments, ...)
  check_class(rules, "tide_rules", "rules")
  # Sums by pair, and spellings of the brand, need all rows.
  if (about_sums(segments) || about_brand(segments)) {
    return(tide_filter(held_data(data), from = from, to = to, days = days, segments = segments,
      rules = rules, without = without))
  }
  codes <- lapply(data$store$levels, function(own) factor(character(), own))
  check_values(list(tables = list(list(rows = codes))), segments)
  steps <- window_steps(from, to, days, listed_days(without))
  ledger <- list()
  for (test in steps) {
    gone <- test(data$days)
    ledger <- c(ledger, list(day_ledger(data$days[gone[[1]]], names(gone))))
    data$days <- data$days[!seq_len(nrow(data$days)) %in% gone[[1]]]
    if (!nrow(data$days)) break
  }
  if (!nrow(data$days)) {
    abort_tide("No row is left after filtering.",
      where = paste(rbindlist(ledger)$reason, collapse = "; "),
      fix = "Loosen one of these filters.", class = "nothing_left")
  }
  span <- list(from = from, to = to, days = days, without = listed_days(without))
  totals <- lapply(data$totals, window_beside,
    list(tables = data$totals, sources = data$sources))
  totals <- lapply(totals, table_filter(segments, rules, span, beside_dated = TRUE))
  data["totals"] <- list(filled_tables(totals))
  ledger <- c(ledger, lapply(unname(totals), `[[`, "left_out"))
  data$left_out <- sum_left_out(rbindlist(c(list(data$left_out), ledger)))
  data[c("segments", "rules")] <- list(c(data$segments, segments), rules)
  data
}

# Functions of the first day needed (or NULL) that give rows, some blocks each. only: see
# rows_alone(). say: called with the number of the chunk and what its filters left out.
block_chunks <- function(data, only = NULL, say = function(k, left_out) NULL) {
  blocks <- data$store$blocks
  chunk <- cumsum(as.numeric(blocks$rows)) %/% data$at_once
  grain <- grain_label(data$dimensions)
  lapply(unname(split(seq_along(chunk), chunk)), function(own) {
    function(from = NULL) {
      kept <- filter_rows(stored_rows(data, own, from, only), data$segments, data$rules, grain)
      say(own[1], kept$left_out)
      kept$rows
    }
  })
}

# All rows at once, as tide_read() gives them.
held_data <- function(data) {
  if (!inherits(data, "tide_blocks")) return(data)
  ledger <- list()
  rows <- rbindlist(lapply(
    block_chunks(data, say = function(k, left_out) ledger[[k]] <<- left_out),
    function(chunk) chunk()))
  grain <- grain_label(data$dimensions)
  own <- stats::setNames(list(new_table(rows, data$dimensions, data$until)), grain)
  new_tide_data(c(own, data$totals), data$sources,
    sum_left_out(rbindlist(c(list(data$left_out), ledger))))
}
