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
    windows = held_days(sided$rows$date, sided$side, windows), ends = windows,
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
