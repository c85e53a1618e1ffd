#' Keep a part of the data
#'
#' Filters rows by window and by segments. What is filtered out is added to the
#' `left_out` ledger, so that no result can hide that a filter was on. A filter on
#' a dimension that a table does not have removes that table, because its figures
#' cannot be split.
#'
#' @param data A `tide_data` object from [tide_read()], or a `tide_months` object
#'   from [tide_by_month()], which is filtered while it is read.
#' @param from,to First and last day, as dates or text like `"2026-03-31"`.
#' @param days Keep the last so many days. On a table without dates it says how
#'   many days the figures stand for.
#' @param without Days to leave out: dates, or what [tide_unusual()] found.
#' @param ... Conditions as in [tide_segment()].
#' @param segments A [tide_segment()] or a list of them: rows must be in all.
#' @param rules A [tide_rules()] object, for conditions on brand, intent and page
#'   group.
#' @return An object like `data`.
#' @section Errors:
#' `tide_error_argument`, `tide_error_regex`, and `tide_error_nothing_left`
#' where no row passes.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_filter(data, query = "tomato", device = "mobile")
#' questions <- tide_segment("questions", has_any = c("how", "why", "when"))
#' tide_filter(data, days = 28, segments = questions)
#' @export
tide_filter <- function(data, from = NULL, to = NULL, days = NULL, ..., segments = NULL,
  rules = tide_rules(),
  without = NULL) {
  if (!inherits(data, "tide_months")) check_class(data, "tide_data", "data")
  from <- check_date(from, "from")
  to <- check_date(to, "to")
  check_number(days, "days", min = 1, null = TRUE)
  segments <- c(if (...length()) list(tide_segment("these conditions", ...)), as_segments(segments))
  check_class(rules, "tide_rules", "rules")
  without <- listed_days(without)
  if (is.null(from) && is.null(to) && is.null(days) && !length(segments) &&
    !length(without)) return(data)
  if (inherits(data, "tide_months")) {
    if (!is.null(c(from, to, days))) abort_argument("from", "given to tide_by_month()", from)
    data[c("segments", "rules")] <- list(c(data$segments, segments), rules)
    gone <- data$plan$wanted$day %in% as.integer(without)
    data$plan$left_out <- sum_left_out(rbind(data$plan$left_out,
      day_ledger(data$plan$wanted[gone], without_label(without))))
    data$plan$wanted <- data$plan$wanted[!gone]
    return(data)
  }

  ledger <- list()
  for (grain in names(data$tables)) {
    table <- data$tables[[grain]]
    kept <- filter_rows(table$rows, segments, rules, grain, window_steps(from, to, days, without))
    ledger[[grain]] <- kept$left_out
    if (nrow(kept$rows) < nrow(table$rows)) {
      told <- if (!"date" %in% table$dimensions && !is.na(table$days)) table[c("from", "to")]
      table <- new_table(kept$rows, table$dimensions, table$to, told, table$rests_on)
    }
    if (!is.null(days) && is.na(table$days)) table$days <- as.integer(days)
    data$tables[[grain]] <- table
  }
  data$tables <- Filter(function(table) nrow(table$rows) > 0, data$tables)
  if (!length(data$tables)) {
    abort_tide("No row is left after filtering.",
      where = paste(unique(unlist(lapply(ledger, function(lines) lines$reason))), collapse = "; "),
      fix = "Loosen one of these filters.", class = "nothing_left")
  }
  data$left_out <- sum_left_out(rbindlist(c(list(data$left_out), ledger)))
  data
}

# Out: list(rows, left_out).
filter_rows <- function(rows, segments, rules, grain, steps = list()) {
  ledger <- list()
  for (step in c(steps, lapply(segments, segment_step, rules = rules))) {
    if (!nrow(rows)) break
    failed <- step(rows)
    for (label in names(failed)) if (length(failed[[label]])) ledger[[length(ledger) + 1]] <-
      left_out_line(label,
      grain, rows, failed[[label]])
    gone <- unlist(failed, use.names = FALSE)
    if (length(gone)) rows <- rows[-gone]
  }
  list(rows = rows, left_out = rbindlist(ledger))
}

# A step: rows -> list(label = rows that fail). Tables without dates are not cut by a window.
window_steps <- function(from, to, days, without) {
  on_date <- function(label, fails) function(rows) {
    if (!"date" %in% names(rows)) return(list())
    stats::setNames(list(which(fails(rows$date))), label)
  }
  Filter(Negate(is.null), list(
    if (!is.null(from)) on_date(sprintf("before %s", format(from)), function(date) date < from),
    if (!is.null(to)) on_date(sprintf("after %s", format(to)), function(date) date > to),
    if (length(without)) on_date(without_label(without), function(date) date %in% without),
    if (!is.null(days)) on_date(sprintf("before the last %g days", days),
    function(date) date <= max(date) - days)))
}

# Dates, or runs of days with `from` and `to`.
listed_days <- function(without) {
  if (is.null(without)) return(NULL)
  if (is.data.frame(without)) return(listed_dates(without))
  as.IDate(vapply(without, function(one) as.integer(check_date(one, "without", null = FALSE)), 0L))
}

without_label <- function(days) sprintf("%s named to be left out",
  format_plural(length(days), "day"))

segment_step <- function(segment, rules) function(rows) {
  failed <- failed_conditions(segment, rows, rules)
  if (!segment$not) return(failed)
  stats::setNames(list(setdiff(seq_len(nrow(rows)), unlist(failed))),
    sprintf("in '%s'", segment$name))
}

# Per condition, in order, the rows that fail it and none before it. Texts are tested once each,
# sums by pair.
failed_conditions <- function(segment, rows, rules) {
  left <- rep(TRUE, nrow(rows))
  failed <- list()
  # Sums come last: they are those of the rows that pass all else.
  args <- names(segment$conditions)
  on <- vapply(segment_conditions[args], `[[`, "", "on")
  for (arg in c(args[on != "pair"], args[on == "pair"])) {
    value <- segment$conditions[[arg]]
    fails <- left & !row_test(segment_conditions[[arg]], value, rows, left, rules)
    failed[[condition_label(arg, value)]] <- which(fails)
    left <- left & !fails
  }
  failed
}

row_test <- function(condition, value, rows, left, rules) {
  if (condition$on == "pair") {
    by <- intersect(c("query", "page"), names(rows))
    if (!length(by)) return(rep(FALSE, nrow(rows)))
    sums <- reduce_by(rows[left], by)
    return(condition$test(sums, value, rules)[sums[rows, on = by, which = TRUE]] %in% TRUE)
  }
  if (!condition$on %in% names(rows)) return(rep(FALSE, nrow(rows)))
  texts <- as_levels(rows[[condition$on]])
  condition$test(levels(texts), value, rules)[as.integer(texts)]
}

#' Keep the pairs of a summary that are in segments
#'
#' Like [tide_filter()], on what [tide_summary()] made: queries, pages and their
#' sums, not days or devices, which are summed up already.
#'
#' @param summary A `tide_summary` object.
#' @inheritParams tide_filter
#' @return A `tide_summary` object with the cells and pairs inside; its `left_out`
#'   says what is outside.
#' @section Errors: those of [tide_filter()]; `tide_error_grain` for a condition on
#'   country, device, vertical or rich result.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]))
#' tide_narrow(summary, has_any = "tomato", position = c(1, 10))
#' @export
tide_narrow <- function(summary, ..., segments = NULL, rules = tide_rules()) {
  check_class(summary, "tide_summary", "summary")
  segments <- c(if (...length()) list(tide_segment("these conditions", ...)), as_segments(segments))
  if (!length(segments)) return(summary)
  sums <- reduce_pairs(summary$cells)
  inside <- pairs_inside(summary, sums, segments, rules)
  if (!any(inside)) {
    abort_tide("No row is left after filtering.",
      where = paste(vapply(segments, `[[`, "", "name"), collapse = "; "),
      fix = "Loosen one of these filters.", class = "nothing_left")
  }
  keep <- sums[inside, c("query", "page")]
  for (table in c("cells", "recent_cells", "pairs")) {
    own <- summary[[table]]
    summary[[table]] <- own[among_pairs(own, keep)]
  }
  setkeyv(summary$cells, c("query", "page", "bin"))
  setkeyv(summary$recent_cells, c("query", "page", "bin"))
  if (!is.null(summary$contested)) summary$contested <-
    summary$contested[summary$contested$query %in% keep$query]
  if (!is.null(summary$weekly)) summary$weekly <- summary$weekly[among_pairs(summary$weekly, keep)]
  summary$left_out <- sum_left_out(rbind(summary$left_out,
    outside_line(summary, sums, inside, segments)))
  summary
}

# Share and sums of what segments leave out.
outside_line <- function(summary, sums, inside, segments) {
  data.table(grain = summary$grain, reason = sprintf("outside '%s'",
    paste(vapply(segments, segment_title, ""), collapse = "', '")),
    rows = sum(!inside), clicks = sum(sums$clicks[!inside]),
    impressions = sum(sums$impressions[!inside]))
}

# The same as shares of all.
outside_shares <- function(outside, sums) {
  list(clicks = outside$clicks / max(1, sum(sums$clicks)),
    impressions = outside$impressions / sum(sums$impressions),
    reason = outside$reason)
}

segment_title <- function(segment) paste0(if (segment$not) "not ", segment$name)

# In: sums by query and page code. Out: which of them are in all segments.
pairs_inside <- function(summary, sums, segments, rules) {
  inside <- rep(TRUE, nrow(sums))
  for (segment in segments) {
    own <- rep(TRUE, nrow(sums))
    for (arg in names(segment$conditions)) {
      condition <- segment_conditions[[arg]]
      hit <- switch(condition$on,
        query = condition$test(summary$queries$query, segment$conditions[[arg]], rules)[sums$query],
        page = condition$test(summary$pages$page, segment$conditions[[arg]], rules)[sums$page],
        pair = condition$test(sums, segment$conditions[[arg]], rules),
        abort_tide(sprintf("`%s` is summed up already.", arg),
        where = sprintf("segment '%s'", segment$name),
          fix = "Filter the data with tide_filter() before tide_summary().", class = "grain",
          fault = "call"))
      own <- own & hit
    }
    inside <- inside & (own != segment$not)
  }
  inside
}

# What of a segment can wait until rows are summed up, and what cannot. Out: list(rows, pairs),
# segments or NULL.
split_segment <- function(segment) {
  on <- vapply(segment_conditions[names(segment$conditions)], `[[`, "", "on")
  late <- on %in% c("query", "page", "pair")
  part <- function(which) if (any(which)) structure(list(name = segment$name,
    conditions = segment$conditions[which],
    not = segment$not), class = "tide_segment")
  # The complement of a mixed stack is no stack of complements.
  if (segment$not && any(!late)) return(list(rows = segment, pairs = NULL))
  list(rows = part(!late), pairs = part(late))
}

# The table that holds what the segments ask for, by page too where there is one.
segmented_table <- function(data, segments, least) {
  asked <- unlist(lapply(segments,
    function(segment) vapply(segment_conditions[names(segment$conditions)], `[[`, "",
    "on")))
  needs <- union(least, setdiff(asked, "pair"))
  table <- pick_table(data, union(needs, "page"))
  if (is.null(table)) table <- pick_table(data, needs)
  if (is.null(table)) {
    abort_tide(sprintf("No table has %s.", paste(needs, collapse = " and ")),
      where = paste0("The tables are: ", paste(names(data$tables), collapse = "; "), "."),
      fix = "Export with these dimensions, or split by something else.", class = "grain")
  }
  table
}

# Which rows are in each of two segments, or in one and the rest: a list of two, named.
segments_inside <- function(rows, segments, rules) {
  inside <- lapply(segments, function(segment) {
    gone <- unlist(segment_step(segment, rules)(rows), use.names = FALSE)
    !seq_len(nrow(rows)) %in% gone
  })
  if (length(segments) == 1) inside[[2]] <- !inside[[1]]
  names(inside) <- c(vapply(segments, segment_title, ""), if (length(segments) == 1) "the rest")
  empty <- !vapply(inside, any, NA)
  if (any(empty)) {
    abort_tide("A segment holds no rows.", where = sprintf("'%s'.", names(inside)[empty][1]),
      fix = "Loosen its conditions.", class = "nothing_left")
  }
  inside
}
