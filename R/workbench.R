#' A workbench in the browser
#'
#' One page for the daily walk: the list, a line with its reasons, the query behind it, its pages,
#' their queries, and back, with filters put on and taken off, windows or segments side by side, and
#' decisions made on the way. It works on the machine it runs on and needs nothing from outside.
#'
#' @details What is shown is in the address of the page, so a view can be kept as a bookmark and the
#'   browser's way back works. Every view is the result of a function: the list [tide_find()], a
#'   line [tide_trace()], tables [tide_explore()], the curve [tide_curve()], changes
#'   [tide_compare()].
#'
#'   Keys: arrows move through rows, Enter opens, x chooses, f, l, h and d decide (fix, later,
#'   harmless, done), u takes back, / searches, Escape goes back.
#'
#'   The page is served with a random `token` in its address and answers nobody without it.
#'   Decisions are stored at once ([tide_decide()]).
#' @param findings A `tide_findings` object that holds all findings (found without `decisions`).
#' @param data The `tide_data` object behind them, for tables and changes; `NULL` goes without.
#' @param store A `tide_store` object that keeps decisions; `NULL`: read only.
#' @param settings What [tide_settings()] gives; `NULL` for none.
#' @param events A [tide_events()] object.
#' @param title What the page is about.
#' @param read_only `TRUE` stores nothing.
#' @param forecast,watched,outcomes,check What the views of the months ahead, of outcomes and of the
#'   data show: results of [tide_forecast()], [tide_watched()], [tide_outcomes()] and
#'   [tide_check()]; `NULL` goes without.
#' @param token Text that the address must hold.
#' @return A shiny app object: print it, or hand it to `shiny::runApp()`.
#' @section Errors: `tide_error_package` where the package shiny is missing.
#' @examplesIf requireNamespace("shiny", quietly = TRUE)
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' app <- tide_workbench(found, data, title = "Fernmoor Seeds")
#' if (interactive()) app
#' @export
tide_workbench <- function(findings, data = NULL, store = NULL, settings = NULL, events = NULL,
    title = "Search performance", read_only = FALSE, token = random_token(), forecast = NULL,
    watched = NULL, outcomes = NULL, check = NULL) {
  check_class(findings, "tide_findings", "findings")
  if (!is.null(data)) check_class(data, "tide_data", "data")
  if (!is.null(store)) check_class(store, "tide_store", "store")
  check_text(title, "title")
  check_text(token, "token")
  check_flag(read_only, "read_only")
  if (!is.null(forecast)) check_class(forecast, "tide_forecast", "forecast")
  if (!is.null(watched)) check_class(watched, "tide_watched", "watched")
  if (!is.null(outcomes)) check_class(outcomes, "data.frame", "outcomes")
  if (!is.null(check)) check_class(check, "tide_check", "check")
  need_shiny()
  session_data <- workbench_data(findings, data, store, settings, events, title, settings$folder,
    beside = parts_given(list(forecast = forecast, watched = watched, outcomes = outcomes,
      check = check)))
  if (read_only) session_data$read_only <- TRUE
  workbench_app(list(held = function(site) session_data, progress = function(site) "",
    cancel = function(site) NULL, changed = function(site) FALSE), token, title)
}

need_shiny <- function() {
  if (requireNamespace("shiny", quietly = TRUE)) return(invisible())
  abort_tide("The workbench needs the R package shiny.", where = "the R library.",
    fix = "In R: install.packages(\"shiny\")", class = "package")
}

# 128 bits of the system's own randomness, where it has a source that can be read.
random_token <- function() {
  origin <- "/dev/urandom"
  if (file.exists(origin)) {
    con <- file(origin, "rb", raw = TRUE)
    on.exit(close(con))
    return(paste(readBin(con, "raw", 16), collapse = ""))
  }
  substr(digest::digest(list(tempfile(), Sys.getpid(), Sys.time(), proc.time()), "sha256"), 1, 32)
}

# work: list(sites: names of several sites, or NULL; functions of a site's name: held, which gives
# the data once they are there, else NULL; progress: what is being done, as text; cancel: stops it;
# changed: whether the data are others by now; again: works it out from those).
workbench_app <- function(work, token, title, hosts = character()) {
  shiny::shinyApp(
    ui = function(request) {
      refused <- refused_request(request, token, hosts)
      if (!is.null(refused)) return(refused)
      workbench_page(title, request)
    },
    server = function(input, output, session) serve_session(input, session, work, token, hosts),
    onStart = function() {
      # Nothing is ever uploaded, and the way for it is open before any token was given. 0 would
      # stand for no limit.
      old <- options(shiny.maxRequestSize = 1e-6)
      shiny::onStop(function() options(old))
    })
}

# The page itself asks for the token and for a name of this machine, so that no other page of the
# browser can reach it under a name of its own. NULL where all is well.
refused_request <- function(request, token, hosts = character()) {
  given <- shiny::parseQueryString(first_given(request$QUERY_STRING, ""))$token
  if (identical(given, token) && known_host(request$HTTP_HOST, hosts)) return(NULL)
  shiny::httpResponse(403L, "text/plain; charset=utf-8",
    "This page needs the whole address that was printed when the workbench was opened.",
    headers = guarding_headers(request))
}

# The page stands in no frame, runs its own script alone and talks to nobody else.
guarding_headers <- function(request, nonce = random_token()) {
  host <- first_given(request$HTTP_HOST, "")
  own <- if (grepl("^[][A-Za-z0-9.:-]+$", host)) sprintf(" ws://%s wss://%s", host, host) else ""
  list(
    `Content-Security-Policy` = sprintf(paste("default-src 'none'; script-src 'self' 'nonce-%s';",
      "style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self';",
      "connect-src 'self'%s; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"),
      nonce, own),
    `X-Frame-Options` = "DENY", `X-Content-Type-Options` = "nosniff",
    `Referrer-Policy` = "no-referrer", `Cross-Origin-Resource-Policy` = "same-origin",
    `Cache-Control` = "no-store")
}

known_host <- function(host, hosts = character()) {
  if (identical(hosts, "*")) return(TRUE)
  name <- sub(":[0-9]+$", "", first_given(host, ""))
  name %in% c("127.0.0.1", "localhost", "[::1]", hosts)
}

# The page of another site may not talk to the session.
known_origin <- function(request) {
  origin <- request$HTTP_ORIGIN
  is.null(origin) || identical(sub("^https?://", "", origin), request$HTTP_HOST)
}

workbench_page <- function(title, request) {
  part <- function(name) file_text(system.file("workbench", name, package = "inktide"))
  nonce <- random_token()
  page_at <- part("page.html")
  # The title last: it comes from elsewhere, and may look like a place to be filled in.
  parts <- list(nonce = nonce, style = part("style.css"), script = part("script.js"),
    title = escape(title))
  for (name in names(parts)) {
    page_at <- gsub(sprintf("{{ %s }}", name), parts[[name]], page_at, fixed = TRUE)
  }
  shiny::httpResponse(200L, "text/html; charset=utf-8", enc2utf8(page_at),
    headers = guarding_headers(request, nonce))
}
