#' Write the report
#'
#' One HTML file that holds everything, opens from disk and needs no network: totals and trend,
#' the ranked list (sorts,
#' searches, expands to the evidence and to the query's pages), the same by page (with the page's
#' queries), the
#' opportunity map, the curve, what was read and left out, and what the figures mean. It can be
#' read on a phone, with a
#' keyboard, on paper, and without scripts.
#'
#' @param findings A `tide_findings` object.
#' @param file Path to write to. The file is written whole or not at all.
#' @param title Title of the report.
#' @param site A [tide_trace()] of the whole site (`"/*"`), for the count of ranking queries by
#'   week; `NULL` leaves it out.
#' @param moves What [tide_moves()] tells of pages, for the part "what moved"; `NULL` leaves it out.
#' @param followed What [tide_follow()] tells, for events on the trend and the part "over time";
#'   `NULL` leaves it out.
#' @return `file`, invisibly.
#' @section Errors: `tide_error_write` where the file cannot be written.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' file <- tide_report(found, tempfile(fileext = ".html"), title = "Fernmoor Seeds")
#' @export
tide_report <- function(findings, file, title = "Ink Tide report", site = NULL, moves = NULL,
  followed = NULL) {
  check_class(findings, "tide_findings", "findings")
  check_text(file, "file")
  check_text(title, "title")
  if (!is.null(moves)) check_class(moves, "tide_moves", "moves")
  if (!is.null(followed)) check_class(followed, "tide_follow", "followed")
  if (!is.null(site)) check_class(site, "tide_trace", "site")
  part <- function(name) paste(readLines(system.file("report", name, package = "inktide"),
    encoding = "UTF-8"),
    collapse = "\n")
  html <- c("<!doctype html>", "<html lang='en'><head><meta charset='utf-8'>",
    "<meta name='viewport' content='width=device-width, initial-scale=1'>",
    sprintf("<title>%s</title><style>%s</style></head><body>", escape(title), part("style.css")),
    report_head(findings, title, moves, followed), "<main>",
    report_totals(findings$summary, site, followed$events),
    report_moves(moves), report_time(followed), report_findings(findings),
    report_curve(findings$curve),
    report_read(findings$summary, findings$outside), report_meaning(), "</main>",
    sprintf("<script>%s</script></body></html>", part("script.js")))
  # Figures hold texts, too.
  write_whole(file, function(path) write_lines(visible_text(gsub("\t", " ", html, fixed = TRUE)),
    path))
}
