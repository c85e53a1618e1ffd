#' Months of the past, as a forecast takes them
#'
#' Monthly clicks (or sessions) from daily totals or from a table of months, whole months only, with
#' unusual days and months replaced and named.
#'
#' @details Totals without queries come first, since rows with queries lack private ones. Days that
#'   [tide_unusual()] names are left out and the month is scaled to its length. From 25 months on,
#'   months far from what season and level explain are replaced (Hyndman, `tsoutliers()`), and
#'   where the level changed at a known event, months before it are brought to the level after: by
#'   the three months on each side, season taken out, where they differ by far more than such months
#'   do where nothing is known to have happened.
#' @param x A `tide_data` object with dates (or a [tide_source()], an archive), or a table of
#'   months (of days or weeks) or its path: `month` or `date`, and `clicks` or `sessions` (or
#'   another number), with a `segment` where it has one. Unfinished months are left out where its
#'   rows are days.
#' @param by `NULL` for the site, or `"brand"` (needs queries and `rules`), `"folder"` or `"page"`
#'   (the `most` with the most clicks).
#' @param rules A [tide_rules()] object, for brand words.
#' @param by_hand A table like `x`, of the months that the analyst sets.
#' @param keep_unusual `TRUE` keeps unusual days and months.
#' @param most How many folders or pages.
#' @param assumptions Values of one's own, named as in [tide_assumptions()].
#' @param events A [tide_events()] object.
#' @param of Of a table: `clicks`, `sessions`, `conversions` or `value`; `NULL` takes the first that
#'   it has.
#' @param columns Headers of a table that are not known by themselves, as a vector named `month`,
#'   `year`, `clicks`, `sessions`, `conversions`, `value` or `segment`.
#' @return A `tide_history` object: a list with `months` (a data.table: `segment`, `month` (its
#'   first day), `days` (of data), `value`, `used` (what the forecast rests on), `note` (why they
#'   differ)), `of` (what is counted), `source`, `left_out` (months that are not whole),
#'   `before_gap` (months before a gap of more than two, which the forecast does not use; shorter
#'   gaps are filled in, with a note). Methods: `print`, `format`, `tidy`.
#' @section Errors: `tide_error_grain` where no table has dates; `tide_error_file` and its like for
#'   a table; `tide_error_range` for months that stand twice; `tide_error_thin` under 4 whole
#'   months.
#' @seealso [tide_forecast()]
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("month,clicks", sprintf("2025-%02d,%d", 1:12, 1000 + 10 * 1:12)), file)
#' tide_history(file)
#' @export
tide_history <- function(x, by = NULL, rules = tide_rules(), by_hand = NULL, keep_unusual = FALSE,
    most = 8, events = NULL, of = NULL, assumptions = NULL,
    columns = NULL) {
  local_assumptions(assumptions)
  if (!is.null(by)) check_choice(by, c("brand", "folder", "page"), "by")
  check_flag(keep_unusual, "keep_unusual")
  check_number(most, "most", min = 1)
  if (!is.null(of)) check_choice(of, history_counts, "of")
  marks <- check_events(events)
  if (inherits(x, c("tide_source", "tide_store"))) x <- data_of(x, promised = is.null(by))
  read <- if (inherits(x, c("tide_data", "tide_promised"))) {
    months_of_days(x, by, rules, keep_unusual, most)
  } else {
    months_of_table(x, "x", of, columns)
  }
  month_rows <- read$months
  whole <- month_rows$days == days_in_month(month_rows$month)
  left_out <- sort(unique(month_rows$month[!whole]))
  month_rows <- month_rows[which(whole)]
  set(month_rows, j = c("used", "note"),
    value = list(month_rows$value, read$note[paste(month_rows$segment, month_rows$month)]))
  set(month_rows, which(is.na(month_rows$note)), "note", "")
  run <- fill_gaps(month_rows)
  month_rows <- run$months
  month_rows <- set_months(month_rows, by_hand)
  if (NROW(marks)) month_rows <- month_rows[, level_by_events(.SD, marks), by = "segment"]
  if (!keep_unusual) month_rows <- month_rows[, replace_unusual(.SD), by = "segment"]
  thin <- month_rows[, .N, by = "segment"]
  if (!nrow(month_rows) || max(thin$N) < 4) {
    abort_tide("Too few months for a forecast.",
      where = sprintf("%s of data are whole.", format_plural(max(0, thin$N), "month")),
      fix = "Load older exports, or a table of monthly totals.", class = "thin")
  }
  month_rows <- month_rows[month_rows$segment %in% thin$segment[thin$N >= 4]]
  structure(list(months = month_rows[], of = read$of, source = read$source, left_out = left_out,
    before_gap = run$before),
    class = c("tide_history", "tide_result"))
}

# The note of a month that the table lacks.
filled_in <- "missing, filled in"

# Months of each segment without a gap, and those `before` one that is too long to be filled in: up
# to two months are put between their neighbours, on the line of their logs, and where other years
# tell how far such months are off that line, as far from it.
fill_gaps <- function(months) {
  if (!nrow(months)) return(list(months = months, before = NULL))
  parts <- lapply(split(months, by = "segment"), function(own) {
    own <- own[order(own$month)]
    number <- month_number(own$month)
    long <- which(diff(number) > 1L + data_limits$months_filled)
    first_at <- max(c(1L, long + 1L))
    before <- own$month[seq_len(first_at - 1L)]
    own <- own[seq(first_at, nrow(own))]
    number <- month_number(own$month)
    absent <- setdiff(seq(min(number), max(number)), number)
    if (!length(absent)) return(list(months = own, before = before))
    per_day <- log(pmax(own$value / days_in_month(own$month), 1e-9))
    on_line <- function(at, number, y) stats::approx(number, y, at, rule = 2)$y
    year_off <- vapply(absent, function(at) {
      others <- number[(number - at) %% 12L == 0 & number > min(number) & number < max(number)]
      off <- vapply(others, function(one) {
        per_day[number == one] - on_line(one, number[number != one], per_day[number != one])
      }, 0)
      if (length(off)) mean(off) else 0
    }, 0)
    first_day <- as.IDate(sprintf("%d-%02d-01", absent %/% 12L + 1900L, absent %% 12L + 1L))
    filled <- own[rep(1L, length(absent))]
    set(filled, j = c("month", "days", "used", "note"), value = list(first_day,
      days_in_month(first_day),
      exp(on_line(absent, number, per_day) + year_off) * days_in_month(first_day),
      filled_in))
    set(filled, j = "value", value = filled$used)
    list(months = setorderv(rbind(own, filled), "month"), before = before)
  })
  list(months = rbindlist(lapply(parts, `[[`, "months")),
    before = sort(unique(do.call(c, lapply(parts, `[[`, "before")))))
}

# Daily rows to months. note: which days of a month were replaced, named by segment and month.
months_of_days <- function(data, by, rules, keep_unusual, most) {
  needed <- c("date", switch(if (is.null(by)) "site" else by, site = NULL, brand = "query", "page"))
  tbl <- if (inherits(data, "tide_data")) pick_table(data, needed)
  days <- site_days_table(data)
  if (is.null(days) || !is.null(by) && is.null(tbl)) {
    abort_tide("A forecast needs days.",
      where = sprintf("The data have: %s.", paste(names(data$tables), collapse = "; ")),
      fix = sprintf("Export by %s, or give a table of monthly totals.",
        paste(needed, collapse = ", ")),
      class = "grain")
  }
  rows <- if (is.null(by)) {
    data.table(segment = rep("all", nrow(days)), date = days$date, clicks = days$clicks)
  } else {
    own <- tbl$rows
    segment <- if (by == "brand") {
      brand_of_rows(own, rules)
    } else {
      once <- unique(as.character(own$page))
      name_texts <- if (by == "page") clean_url(once) else page_group(once, rules$page_groups)
      name_texts[match(own$page, once)]
    }
    sums <- sums_by(setDT(list(segment = segment, date = own$date, clicks = own$clicks)),
      c("segment", "date"), "clicks")
    by_clicks <- sums[, list(clicks = sum(clicks)), by = "segment"][order(-clicks)]
    sums[sums$segment %in% utils::head(by_clicks$segment, most)]
  }
  # A day without rows of a part is a day of no clicks; one without any row is missing.
  grid <- CJ(segment = unique(rows$segment), date = unique(days$date), sorted = FALSE)
  rows <- rows[grid, on = c("segment", "date")]
  set(rows, j = "clicks", value = fcoalesce(as.numeric(rows$clicks), 0))
  set(rows, j = "month", value = first_of_month(rows$date))
  # Months as they are have all their days, but for one that was not over.
  of_months <- days_each(sort(days$date)) > 7L
  unusual <- if (!keep_unusual && !of_months && nrow(days) >= 21) unusual_dates(days)$date
  set(rows, j = "odd", value = as.integer(rows$date) %in% as.integer(unusual))
  month_rows <- rows[,
    list(days = .N, value = sum(clicks) + mean(clicks[!odd]) * sum(odd) - sum(clicks[odd])),
    by = c("segment", "month")]
  if (of_months) {
    until <- first_given(data$plan$exported, max(data$sources$exported))
    set(month_rows, j = "days",
      value = pmin(days_in_month(month_rows$month), as.integer(until - month_rows$month)))
  }
  notes <- rows[rows$odd, list(note = sprintf("%s replaced", format_plural(.N, "unusual day"))),
    by = c("segment", "month")]
  list(months = month_rows, of = "clicks",
    source = if (is.null(by)) "days" else grain_label(tbl$dimensions),
    note = stats::setNames(notes$note, paste(notes$segment, notes$month)))
}

# With the spellings that the queries show, as everywhere.
brand_of_rows <- function(rows, rules) {
  if (!length(rules$brand)) abort_argument("rules", "rules with brand words", "none")
  once <- unique(rows$query)
  brand <- is_brand(query_key(once), with_spellings(rules, rows)$brand)
  ifelse(brand, "brand", "non-brand")[match(rows$query, once)]
}

# A data frame of months or the path of one.
months_of_table <- function(x, argument, of = NULL, columns = NULL) {
  if (is.data.frame(x)) return(resolve_months(as.data.table(x), "a table", of))
  check_text(x, argument)
  read_history_months(x, of, columns)
}

# Months that the analyst sets.
set_months <- function(months, by_hand) {
  if (is.null(by_hand)) return(months)
  own <- months_of_table(by_hand, "by_hand")$months
  at <- match(paste(own$segment, own$month), paste(months$segment, months$month))
  if (anyNA(at)) abort_argument("by_hand", "months of the history", format(own$month[is.na(at)]))
  set(months, at, c("used", "note"), list(own$value, "set by hand"))
}

# Months far from what season and level explain, from two years on.
replace_unusual <- function(rows, least = 25L) {
  rows <- copy(rows)
  if (nrow(rows) < least || any(rows$used <= 0)) return(rows)
  need_forecast()
  y <- log(rows$used)
  odd <- forecast::tsoutliers(as_monthly(y))
  use <- which(abs(odd$replacements - y[odd$index]) > assumed("unusual_month"))
  at <- odd$index[use]
  at <- at[!grepl("set by hand", rows$note[at], fixed = TRUE)]
  if (!length(at)) return(rows)
  own <- ifelse(rows$note[at] == "", "", paste0(rows$note[at], ", "))
  set(rows, at, c("used", "note"),
    list(exp(odd$replacements[match(at, odd$index)]), paste0(own, "unusual month replaced")))
  rows
}

# What differs from the data: runs of months of one note together, and what is true of all
# segments once.
replaced_lines <- function(months, most = 3) {
  odd <- months[months$note != ""]
  stride <- c(1L, diff(month_number(odd$month))) != 1L
  runs <- data.table(odd, run = cumsum(stride))[, list(from = min(month), to = max(month)),
    by = c("segment", "note", "run")]
  same <- runs[, list(of = list(segment)), by = c("from", "to", "note")]
  of_which <- vapply(same$of, function(of) {
    if (length(of) == uniqueN(months$segment)) return("")
    if (length(of) > most) return(sprintf("%d of them, ", length(of)))
    paste0(paste(format_path(of), collapse = " and "), ", ")
  }, "")
  sprintf("%s%s%s: %s", of_which, format_month(same$from),
    ifelse(same$to > same$from, paste(" to", format_month(same$to)), ""), same$note)
}

#' @export
tidy.tide_history <- function(x, ...) tibble::as_tibble(x$months)

#' @export
format.tide_history <- function(x, width = 80, ...) {
  month_rows <- x$months
  segments <-
    month_rows[, list(n = .N, from = min(month), to = max(month), value = sum(value)),
      by = "segment"]
  odd <- any(month_rows$note != "")
  wrap_lines(c(
    sprintf("<tide_history> monthly %s, from %s", x$of, x$source),
    sprintf("  %s: %s, %s to %s, %s %s", format_path(segments$segment),
      format_plural(segments$n, "month"),
      format_month(segments$from), format_month(segments$to), format_count(segments$value), x$of),
    if (odd) paste0("  ", replaced_lines(month_rows)),
    if (length(x$left_out)) {
      sprintf("  left out, not whole: %s", paste(format_month(x$left_out), collapse = ", "))
    },
    if (length(x$before_gap)) {
      sprintf("  left out, before a gap: %s", format_plural(length(x$before_gap), "month"))
    }),
    width)
}

# Changes of level at known events: months before are brought to the level after, so that no method
# takes a relaunch for a trend or a season.

# In: months of one segment with `used`, the marks of events. Out: the same, adjusted, with a note.
# Months around an event are held against each other (three on each side, season taken out), and the
# difference against those between months without one.
level_by_events <- function(rows, marks, least = 25L, side = 3L) {
  rows <- copy(rows)
  if (nrow(rows) < least || any(rows$used <= 0)) return(rows)
  after <- month_number(first_of_month(marks$date))
  # What falls in the second half of a month shows from the next on.
  after <- after + (as.POSIXlt(marks$date)$mday > 15)
  at <- unique(after - month_number(rows$month[1]) + 1L)
  at <- at[at > side & at + side - 1L <= nrow(rows)]
  if (!length(at)) return(rows)
  y <- season_taken_out(log(rows$used / days_in_month(rows$month)), rows$month, at)
  jump <- function(i) mean(y[i + 0:(side - 1L)]) - mean(y[i - seq_len(side)])
  # Dates further from any event than both sides reach.
  middles <- seq(side + 1L, nrow(rows) - side + 1L)
  quiet <- middles[vapply(middles, function(i) min(abs(i - at)) >= side, NA)]
  if (length(quiet) < 6L) return(rows)
  noise <- sqrt(mean(vapply(quiet, jump, 0)^2))
  for (i in rev(sort(at))) {
    size <- jump(i)
    if (abs(size) < max(assumed("event_shift_errors") * noise, assumed("event_shift_least"))) next
    before <- seq_len(i - 1L)
    named <- marks$event[after - month_number(rows$month[1]) + 1L == i]
    set(rows, before, "used", rows$used[before] * exp(size))
    plain <- before[rows$note[before] == ""]
    set(rows, plain, "note",
      sprintf("x%.2f for '%s'", exp(size), paste(unique(named), collapse = "', '")))
    y[before] <- y[before] + size
  }
  rows
}

# Logs without the season of the year and without the steps at events, which are put back.
season_taken_out <- function(y, month, at) {
  steps <- vapply(at, function(i) as.numeric(seq_along(y) >= i), numeric(length(y)))
  calendar <- factor(as.POSIXlt(month)$mon)
  fit <- stats::lm(y ~ calendar + seq_along(y) + steps)
  season <- stats::coef(fit)[paste0("calendar", levels(calendar))]
  y - fcoalesce(unname(season), 0)[as.integer(calendar)]
}
