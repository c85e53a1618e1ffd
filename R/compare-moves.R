#' A change between two windows or two segments
#'
#' What [tide_compare()] returns for windows, and for segments line by line: clicks by query,
#' page, folder, topic or for the whole site, what is more than noise, and every change shared
#' out among demand, position, click-through and queries that came or went.
#'
#' @details Figures are for 30 days, so that windows of different length compare; days without a
#'   row count as missing, and are said. The clicks of a query on a page are its demand
#'   (impressions, those of page two raised to what page one would have seen) x what the curve
#'   expects at the positions held x its own factor (of both windows together, held to the curve
#'   as in [tide_find()]), and what it has beyond that. The change of the product is shared out
#'   by the Shapley value, the mean over both orders; the rest is `click_through`. Where searches
#'   or position of a query moved beyond noise and its click-through did not, that rest is luck
#'   and goes along with the two in proportion. So `demand` + `position` + `click_through` +
#'   `mix` is the change, on every level, to the last click. `mix` are queries shown in one
#'   window only.
#'
#' A change is `real` where what searches and position make of it, or how it is clicked beside
#' that, differs from the site's own by more than counts waver, with the false-discovery rate
#' controlled over the list (Benjamini and Hochberg), and the change is two clicks a month or
#' more. So a season that moves all is no news of any one; whether the season or the site moved
#' is shown by `before = "year"` where there is a year.
#' @return A `tide_change` object: a list with `moves` (a data.table, the largest change first:
#'   the level's name, `clicks_before`, `clicks_after`, `change` (clicks per 30 days), its parts
#'   `demand`, `position`, `click_through`, `mix`, `ratio` with its 90 % interval `ratio_low`,
#'   `ratio_high`, `q` (false-discovery rate at which it counts), `real`, `status` (`continuing`,
#'   `new`, `lost`), `impressions_before`, `impressions_after`, `position_before`,
#'   `position_after`), `site` (one such row), `pairs`, `windows` (`from`, `to`, `days` with
#'   rows, `missing`), `sides` (names of the segments, or `NULL`), `level`, `fdr`, `season`
#'   (`ratio` of the site's clicks between the same weekdays a year before, or `NULL`), `events`
#'   (those given that lie in one window only: `date`, `event`, `pages`, `window`, which is
#'   `before` or `after`), `weekly` (of the 50 that lead: clicks of each `name` by `week` over
#'   both windows, 1 the oldest), and for windows `drivers` (what drives what, the largest change
#'   first: `kind`, which is `one query`, `whole page`, `one page`, `whole folder` or `topic
#'   without a page`; `name`, `change`, `by`: the query or page that drives it, `share` of the
#'   change or of the parts that went along, `parts` looked at, `told`: a sentence). Methods:
#'   `print`, `format`, `tidy`, `summary`, `autoplot`, `plot`.
#' @references Shorrocks (2013), Journal of Economic Inequality 11, 99-126. Benjamini, Hochberg
#'   (1995), Journal of the Royal Statistical Society B 57, 289-300.
#' @param x,object A `tide_change` object.
#' @param ... Not used.
#' @name tide_change
#' @seealso [tide_compare()]
NULL

change_between <- function(data, level, after, before, days, segments, curve, brand, fdr, rules,
    site_days, events) {
  check_number(days, "days", min = 1)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  marks <- check_events(events)
  summary <- if (is.null(curve)) tide_summary(data, brand = brand)
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
  if (!is.null(curve$summary$brand)) rules$brand <- curve$summary$brand
  sides <- moving_sides(data, segments, before, after, days, rules)
  at <- coded_rows(sides$rows, curve, brand,
    page_one_views(if (is.null(summary)) curve$summary else summary))
  set(at$rows, j = "side", value = sides$side)
  held <- sides$windows
  pairs <- pair_sums(at$rows)
  set(pairs, j = part_names, value = pair_changes(pairs, held$days, curve$fits[[1]]))
  set(pairs, j = "name", value = level_names(level, pairs, at, rules))
  sums <- named_sums(pairs, pairs$name)
  moves <- move_lines(sums, held$days, fdr)
  site <- move_lines(named_sums(sums, rep("the site", nrow(sums))), held$days, fdr)
  of_windows <- is.null(sides$names)
  weekly <- if (of_windows) clicks_by_week(at, pairs, leading_moves(moves, 50)$name, sides$ends)
  if (of_windows && is.null(site_days) && sides$from <= sides$ends$before[1] - 364L) {
    site_days <- site_days_table(data)
  }
  set(pairs, j = c("query_name", "page_name"),
    value = list(at$queries$names[pairs$query], at$pages$names[pairs$page]))
  change <- structure(list(moves = moves, site = site, pairs = pairs, windows = held,
    sides = sides$names, level = level, fdr = fdr, weekly = weekly),
    class = "tide_change")
  if (of_windows) {
    change$season <- last_season(site_days, sides$ends)
    if (!is.null(marks)) change$events <- events_apart(marks, sides$ends)
    change$drivers <- change_drivers(change, rules)
  }
  change
}

#' @rdname tide_change
#' @export
tidy.tide_change <- function(x, ...) tibble::as_tibble(x$moves)

#' @rdname tide_change
#' @export
summary.tide_change <- function(object, ...) tibble::as_tibble(object$site)
