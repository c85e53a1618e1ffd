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
  part <- one_part(file, scratch)
  columns_of <- function(header) {
    lapply(event_spellings, function(known) which(squeeze_name(header) %in% known))
  }
  layout <- sniff_header(part$path,
    function(header) sum(lengths(columns_of(header)[c("date", "event")]) == 1), 2)
  if (is.null(layout)) return(new_events())
  at <- columns_of(layout$header)
  for (column in c("date", "event")) {
    if (length(at[[column]]) != 1) {
      abort_tide(sprintf("The table of events needs one column `%s`.", column),
        where = sprintf("The header of '%s' is: %s.", file, paste(layout$header, collapse = ", ")),
        fix = "Give a header such as: date,event,pages", class = "columns_missing", file = file,
        column = column)
    }
  }
  place <- open_records(part, layout)
  if (!place$records) return(new_events())
  cells <- read_texts(place)
  text_of <- function(column) {
    if (length(at[[column]])) {
      fcoalesce(trimws(as_utf8(cells[[at[[column]][1]]])), "")
    } else {
      rep("", nrow(cells))
    }
  }
  named <- nzchar(text_of("event"))
  date <- parse_date(text_of("date"), place)
  if (!all(named)) {
    abort_cells(which(!named), text_of("event"), "event", place, "No name",
      "Say what happened on that day.", "event")
  }
  new_events(date, text_of("event"), text_of("pages"))
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
  structure(list(marks = setorderv(marks, "date")), class = "tide_events")
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
