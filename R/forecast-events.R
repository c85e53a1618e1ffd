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
  all <- seq(side + 1L, nrow(rows) - side + 1L)
  quiet <- all[vapply(all, function(i) min(abs(i - at)) >= side, NA)]
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
