# The demo site: Fernmoor Seeds, made up, and its stand-in servers. What makes them is no part of
# the product and stands in inst/demo-site/, read when it is first asked for.

demo_code <- local({
  code <- NULL
  function() {
    if (is.null(code)) {
      made <- new.env(parent = topenv())
      files <- list.files(system.file("demo-site", package = "inktide"), "[.]R$",
        full.names = TRUE)
      for (path in files) sys.source(path, made)
      code <<- made
    }
    code
  }
})

#' The demo site: made-up data with a known truth
#'
#' Makes search performance of Fernmoor Seeds, an invented mail-order house for heirloom
#' vegetable seeds: about 2,400 queries and 250 pages with seasons, two devices, a brand with
#' misspellings, pages that stand better for what their title or headings say, results pages that
#' take clicks away, pages with weak titles, pages that swap
#' places or split a query, and the harmless look-alikes of those. What was planted where comes
#' with it, so thresholds and methods can be tested. Two calls with one seed give the same data.
#'
#' @param dir Folder to write a project into, as an analyst receives it: `inktide.yml`,
#'   `events.csv` and four exports, among them a table cut at 1,000 rows with percent signs and
#'   thousands separators, and totals without queries, which are larger than the sum over
#'   queries. The files carry the time of an export made the day after the last full day. `NULL`:
#'   none is written.
#' @param seed Whole number that decides every random figure.
#' @param days Number of days, ending on `to`.
#' @param to Last day.
#' @param share Share of the queries to keep, for smaller sites (0 to 1).
#' @param mixed `TRUE` writes the daily table once more, into `mixed-exports`, as ten people
#'   would have exported and kept it: by month, overlapping, revised, in several languages,
#'   separators, encodings and formats. Loaded in any order, any number of times, the archive's
#'   totals are the truth's.
#' @return A list of data.tables: `daily` (date x query x page x device; query days with fewer
#'   than 2 impressions are left out for privacy), `totals` (by date, nothing left out),
#'   `page_totals` (by page, nothing left out), `capped` (the 1,000 queries with the most clicks
#'   of the last 90 days), and `truth`: a list of `curve` (`segment`, `position`, `ctr` of an
#'   average query of the site), `queries` (planted `factor` on the curve, its parts
#'   `query_effect`, `weak` page and results-page `feature`, and the `case` of its pages:
#'   `one_page`, `swap`, `split`, and the harmless `far_second`, `blip`, `both_top`,
#'   `brand_links`), `events` (what happened when, to which pages, with the factor on their
#'   `clicks` and `position`), `odd_days` (days of a tracking fault and of bots, with the factor
#'   on `clicks` for an impression and on `impressions`). With `dir` also `files` (the paths of
#'   the exports, named `daily`, `totals`, `page_totals`, `capped`) and, where asked for,
#'   `mixed`. Invisible where files were written.
#' @examples
#' site <- tide_demo(days = 28, share = 0.1)
#' head(site$daily)
#' site$truth$queries[case == "swap", .(query, page, other)]
#' site <- tide_demo(tempfile("fernmoor"), days = 28, share = 0.05)
#' tide_read(site$files[["daily"]])
#' @export
tide_demo <- function(dir = NULL, seed = 1, days = 487, to = "2026-10-31", share = 1,
    mixed = FALSE) {
  check_text(dir, "dir", null = TRUE)
  code <- demo_code()
  site <- code$demo_site(seed, days, to, share)
  if (is.null(dir)) return(site)
  site$files <- code$write_demo(site, dir)
  if (isTRUE(mixed)) site$mixed <- code$write_mixed_demo(site, file.path(dir, "mixed-exports"))
  invisible(site)
}

#' Serve the demo site's pages
#'
#' A small server on this machine alone, to try [tide_pages_walk()] on: the saved pages of the demo
#' site, with `robots.txt`, sitemaps, and all that goes wrong on real hosts.
#'
#' @details Beside the pages it answers: `/old/N/` (redirects to page N), `/chain/1/` (three
#'   redirects on end), `/loop/1/`, `/endless/1/` (redirects for ever), `/elsewhere/` (another
#'   host), `/inward/` (a private address), `/gone/` (410), `/busy/` (429 with `Retry-After` at
#'   first), `/slow/` (after 6 seconds), `/trap/1/` (links for ever), `/leaflet.pdf`, `/private/`
#'   (forbidden by `robots.txt`), `/header-noindex/`. Pages carry an `ETag`.
#' @param dir Folder of saved pages, such as `site-html` of the demo project.
#' @param port Port to listen on.
#' @param log Path of a file that gets a line for each request (method, path, `User-Agent`,
#'   `If-None-Match`); `NULL` for none.
#' @param busy Seconds for which `/busy/` asks to wait.
#' @return The server, which [httpuv::stopServer()] ends. It answers while R is idle, or in
#'   [httpuv::service()].
#' @section Errors: `tide_error_file` where the folder is not there.
#' @seealso [tide_demo()]
#' @examplesIf requireNamespace("httpuv", quietly = TRUE)
#' dir <- tempfile("pages")
#' dir.create(dir)
#' writeLines("<html><body><h1>Seeds</h1></body></html>", file.path(dir, "index.html"))
#' server <- tide_demo_server(dir, port = httpuv::randomPort())
#' httpuv::stopServer(server)
#' @export
tide_demo_server <- function(dir, port = 8123, log = NULL, busy = 1) {
  demo_code()$serve_pages(dir, port, log, busy)
}

#' A service to be asked
#'
#' A small service on this machine alone that returns rows of the demo site as JSON or CSV, to try
#' [tide_pull()] on, with all that goes wrong on real ones.
#'
#' @details `POST /rows` takes `{"day", "dimensions", "limit", "offset", "device"}` and answers
#'   `{"total", "rows": [{"keys": [query, page], "clicks", "impressions", "position"}]}`, at most
#'   `cap` rows a day and 1,000 a call; `GET /rows.csv?day=&page=` the same as CSV, 500 a page with
#'   a `Link` to the next; `POST /volumes` takes `{"names"}` and answers
#'   `{"rows": [{"query", "volume"}]}`; `POST /token` gives tokens for client credentials (client
#'   `demo`, secret `demo-secret`) that hold for `token_calls` calls, and, for a person to confirm,
#'   by the codes of `POST /device`, which it takes as confirmed when asked for the second time;
#'   `GET /sign-in` is a page. Rows want the bearer token `demo-token` or one of those. With
#'   `faults`, of every ten calls one is answered 429 with `Retry-After`, one 500 and one is cut
#'   off. The newest two days are not yet whole.
#' @param rows Rows with `date`, `query`, `page`, `device`, `clicks`, `impressions`, `position`.
#' @param port Port to listen on.
#' @param cap Rows that a day may have at most.
#' @param faults Whether calls fail now and then.
#' @param today The day it is.
#' @param token_calls Calls that a token holds for.
#' @return The server, which [httpuv::stopServer()] ends. It answers while R is idle, or in
#'   [httpuv::service()].
#' @section Errors: `tide_error_argument`.
#' @seealso [tide_pull()], [tide_demo_server()]
#' @examplesIf requireNamespace("httpuv", quietly = TRUE)
#' rows <- data.frame(date = as.Date("2026-08-01"), query = "kale seeds", page = "/shop/kale/",
#'   device = "mobile", clicks = 3, impressions = 40, position = 4.2)
#' server <- tide_demo_service(rows, port = httpuv::randomPort())
#' httpuv::stopServer(server)
#' @export
tide_demo_service <- function(rows, port = 8124, cap = 5000, faults = FALSE, today = Sys.Date(),
    token_calls = 50) {
  demo_code()$serve_rows(rows, port, cap, faults, today, token_calls)
}

#' Example exports
#'
#' Small exports of the invented demo site that come with the package, unpacked for the session.
#'
#' @return A named character vector of paths of CSV files: `pairs` (query x page x device by day, 8
#'   weeks), `totals` (by day, without queries), `capped` (1,000 queries, CTR with percent signs,
#'   thousands separators, no dates).
#' @seealso [tide_demo()] for the whole site with its known truth.
#' @examples
#' tide_example()
#' @export
tide_example <- function() {
  files <- c(pairs = "pairs.csv", totals = "totals.csv", capped = "capped.csv")
  folder <- file.path(tempdir(), "inktide-example")
  dir.create(folder, showWarnings = FALSE)
  paths <- file.path(folder, files)
  for (path in paths[!file.exists(paths)]) unpack_example(path)
  stats::setNames(paths, names(files))
}

# Written beside its place first, since another process of the session may unpack it, too.
unpack_example <- function(path) {
  packed <- gzfile(system.file("extdata", paste0(basename(path), ".gz"), package = "inktide",
    mustWork = TRUE), "rb")
  on.exit(close(packed))
  half <- tempfile(tmpdir = dirname(path))
  writeBin(readBin(packed, "raw", 1e7), half)
  file.rename(half, path)
}
