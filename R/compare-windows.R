# The two windows of a comparison: which days, and their sums by query x page.

# Out: list(before, after): each c(from, to) as dates. `before` NULL: as many days right before;
# "year": the same weekdays 52 weeks earlier. `after` NULL: the last `days` days.
settle_windows <- function(first, last, before, after, days) {
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
  for (window in list(before, after)) {
    if (window[2] < first || window[1] > last) {
      abort_tide("A window lies outside the data.",
        where = sprintf("%s; the data hold %s.", format_days(window[1], window[2]),
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

check_window <- function(window, arg) {
  if (length(window) != 2) abort_argument(arg, "a first and a last day", window)
  window <-
    as.IDate(c(check_date(window[1], arg, null = FALSE), check_date(window[2], arg, null = FALSE)))
  if (window[1] > window[2]) abort_argument(arg, "a first day that is not after the last", window)
  window
}

# Rows of both windows, and their side: 1 before, 2 after.
window_rows <- function(rows, windows) {
  first <- as.integer(min(rows$date))
  days <- seq(first, as.integer(max(rows$date)))
  within <- function(window) days >= as.integer(window[1]) & days <= as.integer(window[2])
  side <- (within(windows$before) + 2L * within(windows$after))[as.integer(rows$date) - first + 1L]
  use <- which(side > 0L)
  list(rows = if (length(use) == nrow(rows)) rows else rows[use], side = side[use])
}

# The windows, and how many of their days have rows: data.table(from, to, days, missing).
days_with_data <- function(date, side, windows) {
  first <- as.integer(min(date))
  code <- (as.integer(date) - first) * 2L + side
  days <- rowSums(matrix(tabulate(code, 2L * (as.integer(max(date)) - first + 1L)) > 0, 2))
  if (!all(days > 0)) {
    empty <- windows[[which(days == 0)[1]]]
    abort_tide("A window holds no row.", where = format_days(empty[1], empty[2]),
      fix = "Choose days that the data hold.", class = "window", fault = "call")
  }
  from <- as.IDate(vapply(windows, function(window) as.integer(window[1]), 0L))
  to <- as.IDate(vapply(windows, function(window) as.integer(window[2]), 0L))
  data.table(from = from, to = to, days = days,
    missing = as.integer(to) - as.integer(from) + 1L - days)
}

# Events in one window only (a holiday that both have is none): date, event, pages, window.
events_apart <- function(events, windows) {
  within <- function(window) events$date >= window[1] & events$date <= window[2]
  side <- fcase(within(windows$before), "before", within(windows$after), "after")
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
  line <- pairs[rows, on = c("query", "page"), which = TRUE]
  keep <- which(line %in% own)
  sums <- data.table(name = pairs$name[line[keep]], week = week_number(rows$date[keep], windows),
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
# they are not all held.
last_season <- function(days, windows) {
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

# What is held against what: two windows, or two segments over the same days.

# Out: list(rows of the table with `side`: 1 before or of the second segment, 2 after or of the
# first; windows; names of the sides, NULL for windows).
moving_sides <- function(data, segments, before, after, days, rules) {
  if (length(segments)) return(segment_sides(data, segments, rules))
  table <- pick_table(data, c("date", "query", "page"))
  if (is.null(table)) table <- pick_table(data, c("date", "query"))
  if (is.null(table)) {
    abort_tide("What moved needs days and queries.",
      where = sprintf("The tables read are: %s.", paste(names(data$tables), collapse = "; ")),
      fix = "Export by date, query and page.", class = "grain")
  }
  windows <- settle_windows(table$from, table$to, before, after, days)
  sided <- window_rows(table$rows, windows)
  list(rows = sided$rows, side = sided$side,
    windows = days_with_data(sided$rows$date, sided$side, windows), ends = windows,
    from = table$from)
}

# Rows in both segments count in both.
segment_sides <- function(data, segments, rules) {
  if (length(segments) > 2) abort_argument("segments", "one or two", length(segments))
  table <- segmented_table(data, segments, least = "query")
  inside <- segments_inside(table$rows, segments, rules)
  rows <- lapply(rev(inside), which)
  days <- if (is.na(table$days)) 30L else as.integer(table$days)
  side <- rep(1:2, lengths(rows))
  list(rows = table$rows[unlist(rows)], side = side, names = rev(names(inside)), from = table$from,
    windows = data.table(from = table$from, to = table$to, days = rep(days, 2), missing = 0L))
}
