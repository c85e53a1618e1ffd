#' A change between two windows or two segments
#'
#' What [tide_compare()] returns for windows, and for segments line by line: clicks by query,
#' page, folder, topic or for the whole site, what is more than noise, and every change shared
#' out among demand, position, CTR at equal position, and new and lost queries.
#'
#' @details Clicks are those of the windows. Where windows have differently many days that count,
#'   figures are for 30 days, which is said (`scaled`). Days without data do not count, nor do the
#'   days that [tide_unusual()] finds (bots, outages; `unusual`), unless all are asked for. Clicks
#'   are those of query rows; where the data hold the site's clicks by day, those with private
#'   queries are given too (`all_clicks`).
#'
#'   The clicks of a query on a page are its demand (impressions, those of page two raised to what
#'   page one would have seen) x what the curve expects at its positions x its own factor (of both
#'   windows together, drawn to the curve as in [tide_find()]), and what it has beyond that. The
#'   change of the product is shared out by the Shapley value, the mean over both orders; the rest
#'   is CTR at equal position. Where demand or position of a query changed beyond noise and its CTR
#'   did not, that rest is luck and goes along with the two in proportion. So `by_demand` +
#'   `by_position` + `by_ctr` + `by_new_lost` is the change, on every level, to the last click.
#'   `by_new_lost` are queries shown in one window only. The curve rests on the days of both windows
#'   and at least the last 90 up to their end, so that it is the same however much was read.
#'
#'   A change is `significant` where demand, position or CTR differ from no change, and from
#'   what the site did as a whole, by more than counts and weeks vary, with the false-discovery
#'   rate controlled over the list (Benjamini and Hochberg), the change is two clicks in 30 days or
#'   more, and the 90 % interval of its ratio does not hold no change. Changes of the whole
#'   site are not credited to single lines; whether the season or the site moved
#'   is shown by `before = "year"` where there is a year. How far weeks vary comes from those that
#'   follow one another within the windows, so a slow fall is a change; in windows of less than
#'   three weeks it comes from days, and how alike they are from days further apart. Of fewer than
#'   20 lines, such as the site, each is judged by its own days, without weekdays and by as many as
#'   their likeness leaves. Lines of segments, of months and of an export that compares two windows
#'   and holds no days are compared with the others alone (`against_others` is `TRUE`), by how far
#'   lines differ; the site's difference between two segments by its days, and without days it is
#'   not judged (`q` is missing).
#'   Impressions, CTR and position of queries and of the site (at level `query` or `site`) count a
#'   query once a day, however many of its pages are shown, as [tide_inventory()] does; those of
#'   pages, folders, topics and pairs are the pages' own.
#' @return A `tide_change` object: a list with `moves` (a data.table, the largest change first: the
#'   level's `name`, `clicks_before`, `clicks_after`, `change`, its parts
#'   `by_demand`, `by_position`, `by_ctr`, `by_new_lost`, `ratio` with its 90 % interval
#'   `ratio_low`, `ratio_high`, `q` (false-discovery rate at which it counts), `real`, `status`
#'   (`continuing`, `new`, `lost`), `impressions_before`, `impressions_after`, `ctr_before`,
#'   `ctr_after`, `position_before`, `position_after`), `site` (one such row),
#'   `all_clicks` (`before`, `after`: with private
#'   queries, or `NULL`), `pairs`, `windows` (`from`, `to`, `days` that count, `missing`,
#'   `left_out`, `clicks`), `unusual` (`date`, `what`, `likely` of the days left out), `scaled`,
#'   `chosen` (what [tide_filter()] chose of the data, in words, or `NULL`), `sides` (names of the
#'   segments, or `NULL`), `equal` (`TRUE` where an export that compares two windows does not tell
#'   how long they are, else `FALSE` or `NULL`), `against_others`, `level`, `fdr`, `season`
#'   (`ratio` of the site's clicks between the same weekdays a year before, or `NULL`), `events`
#'   (those given that lie in one window only: `date`, `event`, `pages`, `window`, which is `before`
#'   or `after`), `weekly` (of the first 50: clicks of each `name` by `week` over both windows, 1
#'   the oldest), and for windows `drivers` (what drives what, the largest change first: `kind`,
#'   which is `one query`, `whole page`, `one page`, `whole folder` or `topic without a page`;
#'   `name`, `change`, `by`: the query or page that drives it, `share` of the change or of the parts
#'   that went along, `parts` looked at, `sentence`), `carriers` (of each
#'   `part` of the site's change the `page` that carries most of it, its `clicks`, and the `rest`
#'   without it) and `lost_positions` (the pages whose positions cost most, with their queries:
#'   `page`, `page_clicks`, `query`, `clicks`,
#'   `position_before`, `position_after`, `since`). Methods: `print`, `format`, `tidy`, `summary`
#'   (of the site), `autoplot`, `plot`.
#' @references Shorrocks (2013), Journal of Economic Inequality 11, 99-126. Benjamini, Hochberg
#'   (1995), Journal of the Royal Statistical Society B 57, 289-300. Berger (1982), Technometrics
#'   24, 295-300. von Neumann (1941), Annals of Mathematical Statistics 12, 367-395.
#' @param x,object A `tide_change` object.
#' @param ... Not used.
#' @name tide_change
#' @seealso [tide_compare()]
NULL

change_between <- function(data, level, after, before, days, segments, curve, brand, fdr, rules,
    site_days, events, all_days) {
  check_number(days, "days", min = 1)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  check_flag(all_days, "all_days")
  marks <- check_events(events)
  of_windows <- !length(segments)
  if (of_windows && is.null(pick_table(data, c("date", "page"))) &&
      level_of_pages(level) && !is.null(data$earlier)) {
    alone <- if (is.null(pick_table(data, "query"))) pages_for_queries(data)
    if (!is.null(alone)) {
      data <- alone
      level <- first_given(level, "page")
    }
  }
  if (of_windows && is.null(site_days)) site_days <- site_days_table(data)
  exported <- if (of_windows) exported_sides(data, after, before)
  if (of_windows && is.null(exported) && is.null(pick_table(data, c("date", "query")))) {
    totals <- pick_table(data, "date", refused = no_totals)
    if (!is.null(totals)) return(compare_window_totals(data, totals, level, after, before, days))
  }
  level <- first_given(level, "query")
  sides <- if (!of_windows) {
    segment_sides(data, segments, rules)
  } else if (is.null(exported)) {
    window_sides(data, before, after, days, site_days, all_days)
  } else {
    exported
  }
  dated <- !is.null(sides$ends)
  site_summary <- if (is.null(curve)) {
    tide_summary(if (dated) {
      curve_days(data, sides$ends)
    } else if (of_windows) {
      windows_as_one(data, sides)
    } else {
      data
    },
      brand = brand)
  }
  if (is.null(curve)) curve <- tide_curve(site_summary) else check_class(curve, "tide_curve",
    "curve")
  # What parts of the searches differ by is no reason why one part differs from another.
  if (!of_windows) curve$levels <- NULL
  if (!is.null(curve$summary$brand)) rules$brand <- curve$summary$brand
  at <- coded_rows(sides$rows, curve, brand,
    page_one_views(if (is.null(site_summary)) curve$summary else site_summary))
  set(at$rows, j = "side", value = sides$side)
  basis <- comparison_basis(at$rows, sides, curve, fdr)
  parts <- lapply(intersect(part_dimensions, names(sides$rows)),
    function(of) as_levels(sides$rows[[of]]))
  pairs <- basis$pairs
  set(pairs, j = c("query_name", "page_name"),
    value = list(at$queries$names[pairs$query], at$pages$names[pairs$page]))
  name <- level_names(level, pairs, at, rules)
  moves <- lines_of(basis, name)
  site <- lines_of(basis, rep("the site", nrow(pairs)))
  if (level %in% c("query", "site") && !is.null(at$rows[["page"]])) {
    once <- seen_once(at$rows, seen_together(at$rows, c(list(at$rows$side), parts)))
    moves <- seen_once_lines(moves, basis, name, once)
    site <- seen_once_lines(site, basis, rep("the site", nrow(pairs)), once)
  }
  change <- list(
    moves = moves,
    site = site,
    pairs = pairs,
    windows = set(sides$windows, j = "clicks", value = c(sum(pairs$clicks_1), sum(pairs$clicks_2))),
    unusual = sides$odd,
    scaled = basis$scaled,
    chosen = data$chosen,
    sides = sides$names,
    equal = sides$equal,
    against_others = is.null(basis$ends),
    level = level,
    fdr = fdr)
  if (of_windows) {
    set(pairs, j = "name", value = name)
    change$drivers <- change_drivers(basis, change$site, rules)
    change$carriers <- part_carriers(pairs, change$site)
  }
  known <- !anyNA(sides$windows$from)
  if (of_windows && known && !is.null(marks)) {
    change$events <- events_apart(marks,
      list(before = window_ends(sides$windows, 1), after = window_ends(sides$windows, 2)))
  }
  if (dated) {
    site_clicks_both <- all_clicks(site_days, sides$ends, sides$odd$date,
      c(sum(pairs$clicks_1), sum(pairs$clicks_2)))
    # In the unit of all other figures.
    if (!is.null(site_clicks_both)) change$all_clicks <- site_clicks_both * basis$scale
    if (!sides$wide) {
      change$weekly <- clicks_by_week(at, pairs, utils::head(moves$name, 50), sides$ends)
    }
    change$season <- last_season(site_days, sides$ends, all_days)
    change$lost_positions <- lost_positions(pairs, at$rows, basis$pair, sides$ends)
  }
  structure(change, class = c("tide_change", "tide_result"))
}

# Whether a level can be told from pages without queries.
level_of_pages <- function(level) is.null(level) || level %in% c("page", "folder", "site")

# What lines of any level are made of, see lines_of().
comparison_basis <- function(rows, sides, curve, fdr) {
  days <- sides$windows$days
  scaling <- if (days[1] == days[2]) c(1, 1) else 30 / days
  pairs <- pair_sums(rows)
  set(pairs, j = part_names, value = pair_changes(pairs, days, scaling, curve$fits[[1]]))
  # Without weeks nothing tells how lines vary from one to the next.
  weeks <- if (!isTRUE(sides$wide)) sides$ends
  list(pairs = pairs, rows = rows, pair = pairs[rows, on = c("query", "page"), which = TRUE],
    days = days, scale = scaling, scaled = any(scaling != 1), ends = weeks, fdr = fdr,
    common = if (!is.null(weeks)) common_changes(named_sums(pairs, pairs$query), days))
}

#' @rdname tide_change
#' @export
tidy.tide_change <- function(x, ...) tibble::as_tibble(x$moves)

#' @rdname tide_change
#' @export
summary.tide_change <- function(object, ...) tibble::as_tibble(object$site)
