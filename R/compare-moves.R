#' What moved between two windows, and why; two segments the same way
#'
#' Compares clicks of two windows, or of two segments over the same days, by query, page, folder,
#' topic or for the whole site, tells what is more than noise, and shares every change out among
#' demand, position, click-through and queries that came or went.
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
#' is told by `before = "year"` where there is a year.
#' @param data A `tide_data` object with dates, queries and pages.
#' @param after First and last day of the later window; `NULL` the last `days`.
#' @param before The same of the earlier; `NULL` as many days right before; `"year"` the same
#'   weekdays 52 weeks before.
#' @param days Length of the windows where they are not given.
#' @param level What a line stands for: `query`, `page`, `folder`, `topic`, `pair` (query x page)
#'   or `site`.
#' @param curve A `tide_curve` object; `NULL` fits it to all of the data.
#' @param brand Brand words.
#' @param fdr False-discovery rate of `real`.
#' @param rules A [tide_rules()] object, for groups of pages instead of first folders.
#' @param site_days Clicks of the site by day (`date`, `clicks`), longer than the windows: where
#'   they reach a year back, `season` tells what the same weeks did then. `NULL` takes those of
#'   `data`.
#' @param events A [tide_events()] object: those that lie in one window only are told beside the
#'   comparison.
#' @param segments Instead of windows one or two [tide_segment()]s: the first is held against the
#'   second, or against the rest. Then `before` in names of columns stands for the second,
#'   `after` for the first, and `real` for a difference that is not that of the segments on the
#'   whole.
#' @return A `tide_moves` object: a list with `moves` (a data.table, the largest change first:
#'   the level's name, `clicks_before`, `clicks_after`, `change` (clicks per 30 days), its parts
#'   `demand`, `position`, `click_through`, `mix`, `ratio` with its 90 % interval `ratio_low`,
#'   `ratio_high`, `q` (false-discovery rate at which it counts), `real`, `status` (`continuing`,
#'   `new`, `lost`), `impressions_before`, `impressions_after`, `position_before`,
#'   `position_after`), `site` (one such row), `pairs`, `windows` (`from`, `to`, `days` with
#'   rows, `missing`), `sides` (names of the segments, or `NULL`), `level`, `season` (`ratio` of
#'   the site's clicks between the same weekdays a year before, or `NULL`), `events` (those given
#'   that lie in one window only: `date`, `event`, `pages`, `window`, which is `before` or
#'   `after`), `weekly` (of the 50 that lead: clicks of each `name` by `week` over both windows,
#'   1 the oldest). Methods: `print`, `format`, `tidy`, `summary`, `autoplot`, `plot`.
#' @section Errors: `tide_error_grain` without dates or queries; `tide_error_window` for windows
#'   that the data do not hold or that share days.
#' @references Shorrocks (2013), Journal of Economic Inequality 11, 99-126. Benjamini, Hochberg
#'   (1995), Journal of the Royal Statistical Society B 57, 289-300.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_moves(data, days = 28, level = "page", brand = "fernmoor")
#' questions <- tide_segment("questions", has_any = c("how", "when"))
#' tide_moves(data, segments = questions, level = "folder", brand = "fernmoor")
#' @export
tide_moves <- function(data, after = NULL, before = NULL, days = 28,
    level = c("query", "page", "folder", "topic", "pair", "site"), curve = NULL, brand = NULL,
    fdr = 0.1, rules = tide_rules(), site_days = NULL, segments = NULL, events = NULL) {
  check_class(data, "tide_data", "data")
  level <- check_choice(level, move_levels, "level")
  check_number(days, "days", min = 1)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  segments <- as_segments(segments)
  if (!is.null(events)) check_class(events, "tide_events", "events")
  check_class(rules, "tide_rules", "rules")
  sides <- moving_sides(data, segments, before, after, days, rules)
  summary <- if (is.null(curve)) tide_summary(data, brand = brand)
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
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
  structure(list(moves = moves, site = site, pairs = pairs, windows = held, sides = sides$names,
    level = level, fdr = fdr, season = if (of_windows) last_season(site_days, sides$ends),
    weekly = weekly, events = if (of_windows && !is.null(events)) events_apart(events, sides$ends)),
    class = "tide_moves")
}

#' @rdname tide_moves
#' @param x A `tide_moves` object.
#' @param ... Not used.
#' @export
tidy.tide_moves <- function(x, ...) tibble::as_tibble(x$moves)

#' @export
summary.tide_moves <- function(object, ...) tibble::as_tibble(object$site)
