#' What changed, and what differs
#'
#' Two windows against each other and why clicks changed; two segments the same way, line by
#' line; the parts of the data side by side at equal position; two curves; or the months of a
#' summary.
#'
#' @param data A `tide_data` object with queries (and dates, for windows); a [tide_source()] or an
#'   archive, of which only the days that windows need are read; a `tide_curve` with parts, see
#'   `by` of [tide_curve()]; or a `tide_summary` with `split = "month"`.
#' @param by What a row stands for. For windows, or segments line by line: `query`, `page`,
#'   `folder`, `topic`, `pair` (query x page) or `site`. For parts side by side: `brand`,
#'   `intent`, `page_group`, `band`, `words` (length of the query), `term` (head term),
#'   `country`, `device`, `vertical` or `rich_result`. `NULL`: `query` for windows, the segments
#'   themselves for segments.
#' @param after First and last day of the later window; `NULL` the last `days`.
#' @param before The same of the earlier; `NULL` as many days right before; `"year"` the same
#'   weekdays 52 weeks before.
#' @param days Length of the windows where they are not given.
#' @param segments One or two [tide_segment()]s instead of windows: the first is compared with
#'   the second, or with the rest. Rows in both count in both. Line by line (with `by`), `before` in
#'   names of columns stands for the second, `after` for the first, and `real` for a difference that
#'   is not that of the segments on the whole.
#' @param curve A `tide_curve` object; `NULL` fits it: of windows to their days and at least the
#'   last 90, of segments to all of the data.
#' @param brand Brand words.
#' @param fdr False-discovery rate of `real`.
#' @param rules A [tide_rules()] object.
#' @param site_days Clicks of the site by day (`date`, `clicks`), longer than the windows: where
#'   they reach a year back, `season` tells what the same weeks did then. `NULL` takes those of
#'   `data`.
#' @param events A [tide_events()] object: those that lie in one window only are named with the
#'   comparison.
#' @param all_days `TRUE` keeps the days that [tide_unusual()] finds, which windows else leave out.
#' @param most Of many parts side by side, how many to show; the others become one, `other`.
#' @param one,other Names of two curves.
#' @param position Positions at which curves are compared.
#' @param ... Arguments of the methods; of a summary none.
#' @return Of windows, or segments line by line: a [tide_change] object. Of parts side by side, and
#'   of two windows of totals without queries (as a whole, `by` `NULL` or `site`): a
#'   [tide_comparison] object. Of curves: a tibble with `position`, `ratio` (of the CTR of `one`
#'   to that of `other`), `ratio_low`, `ratio_high` (at the curve's level) and `chance` (that
#'   `one` is above); the two are taken as independent, which is cautious where the same queries
#'   stand in both. Of months: a tibble in order of time with `month`, `ratio` (CTR from it on
#'   over CTR before, at equal position), `ratio_low`, `ratio_high` (90 %), `luck` (chance of so
#'   large a ratio somewhere without a change: that of one cut times the number of cuts,
#'   Bonferroni) and `changed` (`TRUE` for the clearest month where luck is under 5 % and the
#'   ratio beyond 5 %).
#' @section Errors: `tide_error_grain` without what a comparison needs; `tide_error_window` for
#'   windows that the data do not hold or that share days; `tide_error_nothing_left` for a
#'   segment without rows; `tide_error_argument`.
#' @examples
#' file <- tempfile(fileext = ".csv")
#' writeLines(c(paste0("Query,Clicks,Clicks (previous),Impressions,Impressions (previous),",
#'   "Position,Position (previous)"), "kale seeds,40,20,900,800,3.1,4.2"), file)
#' tide_compare(tide_read(file))  # an export that compares two windows
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_compare(data, by = "page", brand = "fernmoor")
#' questions <- tide_segment("questions", has_any = c("how", "why", "when", "what"))
#' tide_compare(data, segments = questions)
#' tide_compare(data, by = "folder", segments = questions, brand = "fernmoor")
#' tide_compare(data, by = "device", brand = "fernmoor")
#' curve <- tide_curve(tide_summary(data, split = "device"), by = "device")
#' tide_compare(curve, "mobile", "desktop", position = c(1, 3, 10))
#' tide_compare(tide_summary(data, split = "month"))
#' @export
tide_compare <- function(data, ...) UseMethod("tide_compare")

#' @export
tide_compare.default <- function(data, ...) check_class(data, "tide_data", "data")

# Only the days that are compared, and those that the curve rests on; of the rest what the site did.
#' @export
tide_compare.tide_source <- function(data, by = NULL, after = NULL, before = NULL, days = 28,
    segments = NULL, site_days = NULL, ...) {
  check_number(days, "days", min = 1)
  of_windows <- !length(segments) && !any(by %in% names(compare_splits))
  asked <- if (of_windows) compared_days(after, before, days)
  if (of_windows && is.null(site_days)) {
    site_days <- site_days_table(tide_stored(data, by_month = TRUE))
  }
  tide_compare(tide_stored(data, days = asked$days, from = asked$from), by = by, after = after,
    before = before, days = days, segments = segments, site_days = site_days, ...)
}

#' @export
tide_compare.tide_store <- tide_compare.tide_source

#' @rdname tide_compare
#' @export
tide_compare.tide_data <- function(data, by = NULL, after = NULL, before = NULL, days = 28,
    segments = NULL, curve = NULL, brand = NULL, fdr = 0.1, rules = tide_rules(), site_days = NULL,
    events = NULL, all_days = FALSE, most = 12, ...) {
  check_no_more(...)
  check_class(rules, "tide_rules", "rules")
  segments <- as_segments(segments)
  if (length(segments) > 2) abort_argument("segments", "one or two", length(segments))
  if (!is.null(by)) check_choice(by, c(change_levels, names(compare_splits)), "by")
  if (is.null(brand)) brand <- rules$brand else rules$brand <- brand
  if (is.null(by) && length(segments) || (!is.null(by) && by %in% names(compare_splits))) {
    return(compare_side_by_side(data, by, segments, rules, most))
  }
  if (length(segments) && shares_nothing(data, segments, rules)) {
    return(compare_side_by_side(data, NULL, segments, rules, most,
      note = "The segments share no query on a page, so no line has two figures to compare."))
  }
  change_between(data, by, after, before, days, segments, curve,
    brand, fdr, rules, site_days, events, all_days)
}
