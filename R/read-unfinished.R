# The newest days are unfinished: the source still revises them. Which these are hangs on the day of
# the export, and files tell it badly: a copied file is new, its rows are not.

# What tables read and archives call them.
unfinished_words <- function(lag) sprintf("unfinished days (within %g days of the export)", lag)

# A window of fewer days, in files that are newer, is taken as it was chosen.
short_window <- 28L

# The day of the export: the latest of what files say. Where nobody stated it, it is no later than
# the day after the newest day in the data. exported, stated: by file or import; oldest, newest: the
# first and last day that the dates stand for.
export_day <- function(exported, stated, oldest, newest) {
  exported <- as.integer(exported)
  taken <- stated %in% TRUE
  short <- as.integer(newest) - as.integer(oldest) + 1L < short_window
  bounded <- if (short) exported[!taken] else pmin(exported[!taken], as.integer(newest) + 1L)
  as.IDate(max(exported[taken], bounded))
}

# In: tables as read_part() gives them. Out: the same without their unfinished days, which only the
# newest days of all of them can be.
drop_unfinished <- function(parts, lag, stated, first = first_unfinished(parts, lag, stated)) {
  if (lag == 0 || !length(parts)) return(parts)
  whole <- beside_undated(parts)
  lapply(seq_along(parts), function(i) {
    part <- parts[[i]]
    if (whole[i]) return(part)
    gone <- if ("date" %in% part$dimensions) which(as.integer(part$rows$date) >= first)
    if (!length(gone)) return(part)
    part$left_out <- rbind(part$left_out,
      left_out_line(unfinished_words(lag), part$source$grain, part$rows, gone, "unfinished"))
    part$rows <- part$rows[-gone]
    set(part$source, j = "kept", value = nrow(part$rows))
    part
  })
}

# The first unfinished day of all of these tables; beyond all days where there is none.
first_unfinished <- function(parts, lag, stated) {
  dated <- Filter(function(part) "date" %in% part$dimensions && nrow(part$rows), parts)
  if (lag == 0 || !length(dated)) return(.Machine$integer.max)
  newest <- max(vapply(dated, function(part) as.integer(last_day(part$rows$date)), 0L))
  oldest <- min(vapply(dated, function(part) as.integer(min(part$rows$date)), 0L))
  exported <- vapply(parts, function(part) as.integer(part$source$exported), 0L)
  unfinished_from(exported, rep(stated, length(parts)), oldest, newest, lag)
}

# The first unfinished day, arguments as of export_day().
unfinished_from <- function(exported, stated, oldest, newest, lag) {
  as.integer(export_day(exported, stated, oldest, newest)) - lag
}

# Totals by date that came with a table of queries without dates stand for the same days as that,
# whose newest nobody can take off.
beside_undated <- function(parts) {
  place <- vapply(parts, function(part) source_place(part$source$file), "")
  has <- function(dimension) {
    vapply(parts, function(part) dimension %in% part$dimensions, NA)
  }
  has("date") & !has("query") & !has("page") & place %in% place[has("query") & !has("date")]
}

# The zip, workbook or folder that a table came from.
source_place <- function(file) dirname(sub(", .*$", "/x", file))

# The last day that dates stand for.
last_day <- function(dates) {
  dates <- sort(unique(dates))
  dates[length(dates)] + days_each(dates) - 1L
}
