#' The demo site: made-up data with a known truth
#'
#' Makes search performance of Fernmoor Seeds, an invented mail-order house for
#' heirloom vegetable seeds: about 2,400 queries and 250 pages with seasons,
#' two devices, a brand with misspellings, results pages that take clicks away,
#' pages with weak titles, pages that swap places or split a query, and the
#' harmless look-alikes of those. What was planted where comes with it, so
#' thresholds and methods can be tested. Two calls with one seed give the same
#' data.
#'
#' @param seed Whole number that decides every random figure.
#' @param days Number of days, ending on `to`.
#' @param to Last day.
#' @param share Share of the queries to keep, for smaller sites (0 to 1).
#' @return A list of data.tables: `daily` (date x query x page x device; query days with fewer
#'   than 2 impressions are
#'   left out for privacy), `totals` (by date, nothing left out), `page_totals` (by page, nothing
#'   left out), `capped`
#'   (the 1,000 queries with the most clicks of the last 90 days), and `truth`: a list of `curve`
#'   (`segment`,
#'   `position`, `ctr` of an average query of the site), `queries` (planted `factor` on the curve,
#'   its parts
#'   `query_effect`, `weak` page and results-page `feature`, and the `case` of its pages:
#'   `one_page`, `swap`, `split`,
#'   and the harmless `far_second`, `blip`, `both_top`, `brand_links`), `events` (what happened
#'   when, to which pages,
#'   with the factor on their `clicks` and `position`), `odd_days` (days of a tracking fault and
#'   of bots, with the
#'   factor on `clicks` for an impression and on `impressions`).
#' @seealso [tide_demo_write()] for the same as files.
#' @examples
#' site <- tide_demo_site(seed = 1, days = 28, share = 0.1)
#' head(site$daily)
#' site$truth$queries[case == "swap", .(query, page, other)]
#' @export
tide_demo_site <- function(seed = 1, days = 487, to = "2026-10-31", share = 1) {
  check_number(seed, "seed")
  check_number(days, "days", min = 7)
  check_number(share, "share", min = 0.01, max = 1)
  to <- check_date(to, "to", null = FALSE)
  with_seed(seed, {
    pages <- demo_pages()
    queries <- plant_demo(demo_queries(pages), pages)
    if (share < 1) queries <- queries[sort(sample(nrow(queries), ceiling(share * nrow(queries))))]
    rows <- draw_demo_rows(queries, pages, to - as.integer(days) + 1L, as.integer(days))
  })
  setorderv(rows, c("date", "query", "page", "device"))
  seen <- rows[, .(impressions = sum(impressions)), by = c("date", "query")]
  private <- seen[seen$impressions < 2]
  daily <- rows[!private, on = c("date", "query")]
  list(
    daily = daily,
    totals = reduce_by(rows, "date"),
    page_totals = reduce_pages(rows)[, c("page", "clicks", "impressions", "ctr", "position")],
    capped = cap_queries(daily[daily$date > to - 90]),
    truth = list(curve = average_curve(queries), queries = queries, events = demo_events(),
    odd_days = demo_odd_days())
  )
}

# The curve of an average query: the base curve, times the mean of what stands in the way of it.
average_curve <- function(queries) {
  truth <- demo_curve()
  factor <- queries[, .(factor = mean(pmin(factor, 3))), by = "segment"]
  lift <- sum(demo_device$share * demo_device$ctr)
  truth[, "ctr" := truth$ctr * lift * factor$factor[match(truth$segment, factor$segment)]]
  truth[]
}

cap_queries <- function(daily, rows = 1000L) {
  out <- reduce_by(daily, "query")
  setorderv(out, c("clicks", "impressions", "query"), c(-1L, -1L, 1L))
  utils::head(out, rows)
}

# Runs code with a seed and puts the random state of the session back.
with_seed <- function(seed, code) {
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit(if (is.null(old)) rm(".Random.seed", envir = globalenv()) else assign(".Random.seed",
    old, globalenv()))
  set.seed(seed, kind = "Mersenne-Twister", normal.kind = "Inversion", sample.kind = "Rejection")
  code
}
