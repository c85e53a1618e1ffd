#' The ranked list page by page
#'
#' Work happens on pages: what is the whole gain of touching each page once?
#' Every finding belongs to one page (for cannibalized queries the page to
#' keep), so the gains of the pages add up to those of the list.
#'
#' @param findings A `tide_findings` object.
#' @return A tibble, best page first: `rank`, `page`, `findings` (their number),
#'   `kinds`, `gain`, `gain_low`, `gain_high` (clicks per 30 days; the intervals
#'   of its findings combined), `score` (their sum), `ids`.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_pages(tide_find(tide_summary(data, brand = "fernmoor")))
#' @export
tide_pages <- function(findings) {
  check_class(findings, "tide_findings", "findings")
  found <- as.data.table(findings$findings)
  pages <- found[, {
    total <- total_gain(.SD)
    list(findings = .N, kinds = paste(unique(.SD$kind), collapse = " "), gain = total$gain, gain_low = total$low,
      gain_high = total$high, score = sum(.SD$score), ids = paste(.SD$id, collapse = " "))
  }, by = "page"]
  setorderv(pages, c("score", "page"), c(-1L, 1L))
  pages[, "rank" := seq_len(.N)]
  setcolorder(pages, "rank")
  tibble::as_tibble(pages)
}

# Sum of gains with an interval. Half-widths of independent findings add up in squares; those of striking
# distance in full, because one assumption about the chance of a step is behind all of them.
total_gain <- function(found) {
  shared <- found$kind == "striking_distance"
  width <- function(each) sqrt(sum(each[!shared]^2) + sum(each[shared])^2)
  gain <- sum(found$gain)
  list(gain = gain, low = max(0, gain - width(found$gain - found$gain_low)), high = gain + width(found$gain_high - found$gain))
}
