#' Dated marks: what happened when
#'
#' Reads a table of events: search-engine updates, redesigns, rewritten pages, campaigns. They
#' are drawn on every figure over time, and [tide_event_effects()] tests what came of each.
#'
#' @param file A delimited text file with the columns `date` (as 2026-03-31) and `event` (what
#'   happened), and, where an event touched some pages only, `pages`: addresses or paths,
#'   separated by spaces; a star at the end stands for everything below, as in `/guides/*`.
#'   Without pages it is the whole site's.
#' @return A `tide_events` object: a list with `marks`, a data.table, oldest first, with `date`,
#'   `event`, `pages` (`""` for the whole site). Methods: `print`, `format`, `tidy`.
#' @section Errors: `tide_error_file`, `tide_error_columns_missing`, `tide_error_layout`,
#'   `tide_error_not_date` and `tide_error_event` with the line of a date that is none or of an
#'   event without a name.
#' @seealso [tide_event_effects()], [tide_change_points()], [tide_follow()]
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c("date,event,pages", "2026-09-14,Radish guide rewritten,/guides/how-to-grow-radish/",
#'   "2026-10-05,Search-engine update,"), file)
#' tide_events(file)
#' @export
tide_events <- function(file) {
  check_text(file, "file")
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  tbl <-
    named_table(file, scratch, event_spellings, c("date", "event"), "events", "date,event,pages")
  if (is.null(tbl)) return(new_events())
  text_of <- tbl$text
  place <- tbl$place
  named <- nzchar(text_of("event"))
  on_day <- parse_date(text_of("date"), place)
  if (!all(named)) {
    abort_cells(which(!named), text_of("event"), "event", place, "No name",
      "Say what happened on that day.", "event")
  }
  new_events(on_day, text_of("event"), text_of("pages"))
}

event_spellings <- list(date = c("date", "day", "datum", "fecha", "data"),
  event = c("event", "what", "name", "mark", "ereignis", "evento", "evenement"),
  pages = c("pages", "page", "url", "urls", "seiten", "seite"))

# The marks of events, NULL where none are given.
check_events <- function(events) {
  if (is.null(events)) return(NULL)
  check_class(events, "tide_events", "events")
  events$marks
}

new_events <- function(date = as.IDate(character()), event = character(), pages = character()) {
  marks <- data.table(date = as.IDate(date), event = event, pages = pages)
  structure(list(marks = setorderv(marks, "date")), class = c("tide_events", "tide_result"))
}

#' @export
tidy.tide_events <- function(x, ...) tibble::as_tibble(x$marks)

#' @export
format.tide_events <- function(x, ...) {
  marks <- x$marks
  c(sprintf("<tide_events> %s", format_plural(nrow(marks), "event")),
    sprintf("  %s  %s%s", format(marks$date), marks$event,
      ifelse(nzchar(marks$pages), sprintf(" (%s)", marks$pages), "")))
}
