# The two windows of a comparison: which days, and their sums by query x page.

# Out: list(before, after): each c(from, to) as dates. `before` NULL: as many days right before;
# "year": the same weekdays 52 weeks earlier. `after` NULL: the last `days` days.
resolve_windows <- function(first, last, before, after, days) {
  after <- if (is.null(after)) {
    c(last - as.integer(days) + 1L, last)
  } else {
    check_window(after, "after")
  }
  before <- if (is.null(before)) {
    c(after[1] - as.integer(after[2] - after[1]) - 1L, after[1] - 1L)
  } else if (identical(before, "year")) {
    after - 364L
  } else {
    check_window(before, "before")
  }
  for (span in list(before, after)) {
    if (span[2] < first || span[1] > last) {
      abort_tide("A window lies outside the data.",
        where = sprintf("%s; the data hold %s.", format_days(span[1], span[2]),
          format_days(first, last)),
        fix = "Choose days that the data hold, or load more.", class = "window", fault = "call")
    }
  }
  if (before[1] <= after[2] && after[1] <= before[2]) {
    abort_tide("The windows share days.",
      where = sprintf("%s and %s", format_days(before[1], before[2]),
        format_days(after[1], after[2])),
      fix = "Let one end before the other begins.", class = "window", fault = "call")
  }
  list(before = before, after = after)
}

# The rows that windows and their curve need, before any is read: list(days: the last so many) or
# list(from).
compared_days <- function(after, before, days, least = usual_days) {
  of_year <- identical(before, "year")
  given <- !is.null(before) && !of_year
  if (is.null(after) && !given) return(list(days = max(days + if (of_year) 364 else days, least)))
  if (given) before <- check_window(before, "before")
  if (!is.null(after)) {
    after <- check_window(after, "after")
    if (!given) before <- after - if (of_year) 364L else as.integer(after[2] - after[1]) + 1L
  }
  # Without a later window the earlier one is the last that is known.
  list(from = min(before[1], max(before[2], after[2]) - as.integer(least) + 1L))
}

# Of weekly or monthly rows whole ones, where no later window is given.
table_windows <- function(table, before, after, days) {
  if (is.null(after) && isTRUE(table$each > 1L)) return(period_windows(table, before, days))
  resolve_windows(table$from, table$to, before, after, days)
}

check_window <- function(window, arg) {
  if (length(window) != 2) abort_argument(arg, "a first and a last day", window)
  window <-
    as.IDate(c(check_date(window[1], arg, null = FALSE), check_date(window[2], arg, null = FALSE)))
  if (window[1] > window[2]) abort_argument(arg, "a first day that is not after the last", window)
  window
}

window_ends <- function(windows, i) c(windows$from[i], windows$to[i])

# Rows of both windows without the days to leave out, and their side: 1 before, 2 after.
window_rows <- function(rows, windows, out = NULL) {
  first <- as.integer(min(rows$date))
  days <- seq(first, as.integer(max(rows$date)))
  make_within <- function(window) days >= as.integer(window[1]) & days <= as.integer(window[2])
  side_of <- (make_within(windows$before) + 2L * make_within(windows$after)) *
    !days %in% as.integer(out)
  side <- side_of[as.integer(rows$date) - first + 1L]
  use <- which(side > 0L)
  list(rows = if (length(use) == nrow(rows)) rows else rows[use], side = side[use])
}

# The windows, how many of their days count, have no data, or are left out as unusual:
# data.table(from, to, days, missing, left_out).
count_days <- function(sided, windows, out = NULL, each = 1L) {
  from <- as.IDate(vapply(windows, function(window) as.integer(window[1]), 0L))
  to <- as.IDate(vapply(windows, function(window) as.integer(window[2]), 0L))
  left_out <- vapply(windows, function(window) sum(out >= window[1] & out <= window[2]), 0L)
  whole <- as.integer(to) - as.integer(from) + 1L - left_out
  days <- vapply(1:2, function(i) {
    own <- sided$rows[sided$side == i]
    if (!nrow(own)) return(0L)
    as.integer(days_counted(sums_by(own, "date", "impressions"), whole[i], each))
  }, 0L)
  if (!all(days > 0)) {
    empty <- windows[[which(days == 0)[1]]]
    abort_tide("A window holds no row.", where = format_days(empty[1], empty[2]),
      fix = "Choose days that the data hold.", class = "window", fault = "call")
  }
  data.table(from = from, to = to, days = days, missing = whole - days, left_out = left_out)
}

# The rows that a comparison's curve rests on: those of both windows, and at least the last 90 days
# up to their end, so that the curve is the same however much was read.
curve_days <- function(data, windows, least = usual_days) {
  last <- max(windows$before[2], windows$after[2])
  recent <- last - as.integer(least) + 1L
  first <- min(windows$before[1], windows$after[1], recent)
  days <- seq(first, last, by = "day")
  among <- function(window) days >= window[1] & days <= window[2]
  gap <- days[!among(windows$before) & !among(windows$after) & days < recent]
  tide_filter(data, from = first, to = last, without = if (length(gap)) gap)
}

# Clicks of the site in both windows, private queries included: c(before, after), or NULL where the
# account by day has no more than the query rows.
all_clicks <- function(site_days, windows, out, of_queries) {
  if (is.null(site_days)) return(NULL)
  use <- !site_days$date %in% out
  sums <- vapply(windows, function(window) {
    sum(site_days$clicks[use & site_days$date >= window[1] & site_days$date <= window[2]])
  }, 0)
  if (all(sums >= of_queries) && any(sums > of_queries)) sums
}

# Events in one window only (a holiday that both have is none): date, event, pages, window.
events_apart <- function(events, windows) {
  make_within <- function(window) events$date >= window[1] & events$date <= window[2]
  side <- fcase(make_within(windows$before), "before", make_within(windows$after), "after")
  inside <- data.table(date = events$date, event = events$event, pages = events$pages,
    window = side)[!is.na(side)]
  name <- tolower(inside$event)
  inside[!name %in% intersect(name[inside$window == "before"], name[inside$window == "after"])]
}

# Clicks by week of the names that changed most: data.table(name, week, clicks).
clicks_by_week <- function(at, pairs, names, windows) {
  own <- which(pairs$name %in% names)
  near <- which(at$rows$query %in% pairs$query[own])
  rows <- at$rows[near]
  one_line <- pairs[rows, on = c("query", "page"), which = TRUE]
  keep <- which(one_line %in% own)
  sums <- data.table(name = pairs$name[one_line[keep]],
    week = week_number(rows$date[keep], windows),
    clicks = rows$clicks[keep])
  sums_by(sums, c("name", "week"), "clicks")
}

# Weeks of both windows, each counted back from its last day; 1 is the oldest whole one.
week_number <- function(date, windows) {
  weeks <- vapply(windows, function(window) (as.integer(window[2] - window[1]) + 1L) %/% 7L, 0L)
  later <- date >= windows$after[1]
  to <- ifelse(later, as.integer(windows$after[2]), as.integer(windows$before[2]))
  week <- ifelse(later, weeks[["before"]] + weeks[["after"]], weeks[["before"]]) -
    (to - as.integer(date)) %/% 7L
  ifelse(week <= ifelse(later, weeks[["before"]], 0L), NA, week)
}

# What the same weekdays a year before did: list(ratio, from, to) of clicks a day, or NULL where
# they are not all there.
last_season <- function(days, windows, all_days = FALSE) {
  if (!is.null(days) && !all_days) days <- days[!days$date %in% unusual_dates(days)$date]
  if (is.null(days) || min(days$date) > windows$before[1] - 364L ||
      windows$after[2] - windows$before[1] > 363) {
    return(NULL)
  }
  a_day <- lapply(windows, function(window) {
    own <- days$clicks[days$date >= window[1] - 364L & days$date <= window[2] - 364L]
    if (length(own) >= 0.9 * (as.integer(window[2] - window[1]) + 1)) mean(own)
  })
  if (any(lengths(a_day) == 0) || a_day$before <= 0) return(NULL)
  list(ratio = a_day$after / a_day$before, from = windows$before - 364L, to = windows$after - 364L)
}

# Unusual days inside the windows, but for those that the export lacks anyway.
odd_days_within <- function(site_days, windows) {
  odd <- unusual_dates(site_days)
  inside <- lapply(windows, function(window) odd$date >= window[1] & odd$date <= window[2])
  odd[Reduce(`|`, inside) & odd$what != "no rows"]
}

# Two windows, or two segments over the same days: list(rows, side: 1 before or of the second
# segment, 2 after or of the first; windows; for windows their `ends` and the unusual days left out,
# `odd`, and whether dates are months, `wide`; names of segments).
window_sides <- function(data, before, after, days, site_days, all_days) {
  tbl <- pick_table(data, c("date", "query", "page"))
  if (is.null(tbl)) tbl <- pick_table(data, c("date", "query"))
  if (is.null(tbl)) abort_no_windows(data)
  ends <- table_windows(tbl, before, after, days)
  odd <- if (!all_days && !is.null(site_days)) odd_days_within(site_days, ends)
  sided <- window_rows(tbl$rows, ends, odd$date)
  list(rows = sided$rows, side = sided$side,
    windows = count_days(sided, ends, odd$date, tbl$each), ends = ends, odd = odd,
    wide = wide_dates(tbl))
}

# The windows of exports that compare two: as window_sides() gives them, without `ends`, since no
# day is known. after, before: their days, where the export does not tell them.
exported_sides <- function(data, after, before) {
  later <- earlier_beside(data)
  if (is.null(later)) return(NULL)
  tables <- list(before = data$earlier[[grain_label(later$dimensions)]], after = later)
  given <- list(before = if (!is.null(before)) check_window(before, "before"),
    after = if (!is.null(after)) check_window(after, "after"))
  days <- vapply(c("before", "after"), function(side) {
    own <- given[[side]]
    if (is.null(own)) tables[[side]]$days else as.integer(own[2] - own[1]) + 1L
  }, 0L)
  # Windows whose lengths nobody tells are taken as equally long.
  known_days <- days[!is.na(days)]
  days[is.na(days)] <- if (length(known_days)) known_days[1] else 30L
  make_end <- function(i) {
    as.IDate(vapply(names(tables), function(side) {
      own <- given[[side]]
      as.integer(if (is.null(own)) tables[[side]][[c("from", "to")[i]]] else own[i])
    }, 0L))
  }
  rows <- lapply(tables, function(table) table$rows)
  list(
    rows = rbindlist(rows, use.names = TRUE),
    side = rep(1:2, vapply(rows, nrow, 0L)),
    windows = data.table(from = make_end(1), to = make_end(2), days = unname(days), missing = 0L,
      left_out = 0L),
    equal = !length(known_days))
}

abort_no_windows <- function(data) {
  abort_tide("Windows can only be compared with days and queries.",
    where = tables_read(data),
    fix = "Export by date and query.", class = "grain")
}

# The finest table with queries that has an earlier window beside it, where none has days.
earlier_beside <- function(data, needed = "query") {
  if (is.null(data$earlier) || !is.null(pick_table(data, c("date", needed)))) return(NULL)
  compared <- data
  compared$tables <- data$tables[names(data$tables) %in% names(data$earlier)]
  pick_table(compared, needed)
}

# Both windows as one table without days, for the curve.
windows_as_one <- function(data, sides) {
  dimensions <- setdiff(names(sides$rows), figure_names)
  tbl <- new_table(sides$rows, dimensions, as.IDate(NA))
  tbl$days <- sum(sides$windows$days)
  data$tables <- stats::setNames(list(tbl), grain_label(dimensions))
  data
}

# Whether no query on a page is in both segments: different queries have no change.
shares_nothing <- function(data, segments, rules) {
  tbl <- segmented_table(data, segments, least = "query")
  keys <- intersect(c("query", "page"), tbl$dimensions)
  parts <- lapply(segments_inside(tbl$rows, segments, rules),
    function(hit) unique(tbl$rows[which(hit), keys, with = FALSE]))
  !nrow(parts[[1]][parts[[2]], on = keys, nomatch = NULL])
}

# Rows in both segments count in both.
segment_sides <- function(data, segments, rules) {
  if (length(segments) > 2) abort_argument("segments", "one or two", length(segments))
  tbl <- segmented_table(data, segments, least = "query")
  inside <- segments_inside(tbl$rows, segments, rules)
  rows <- lapply(rev(inside), which)
  days <- if (is.na(tbl$days)) 30L else as.integer(tbl$days)
  side <- rep(1:2, lengths(rows))
  list(
    rows = tbl$rows[unlist(rows)],
    side = side,
    names = rev(names(inside)),
    windows = data.table(from = tbl$from, to = tbl$to, days = rep(days, 2), missing = 0L,
      left_out = 0L))
}
