#' What moved between two windows, and why
#'
#' Compares clicks of two windows by query, page, folder, topic or for the whole site, tells what is more than
#' noise, and shares every change out among demand, position, click-through and queries that came or went.
#'
#' @details
#' Figures are for 30 days, so that windows of different length compare; days without a row count as missing, and are said.
#' The clicks of a query on a page are its demand (impressions, those of page two raised to what page one would have
#' seen) x what the curve expects at the positions held x its own factor (of both windows together, held to the curve as in [tide_find()]), and
#' what it has beyond that. The change of the product is shared out by the Shapley value, the mean over both orders; the rest is `click_through`. Where searches or position
#' of a query moved beyond noise and its click-through did not, that rest is luck and goes along with the two in proportion. So `demand` + `position` + `click_through` + `mix` is the change, on
#' every level, to the last click. `mix` are queries shown in one window only.
#'
#' A change is `real` where what searches and position make of it, or how it is clicked beside that, differs from the site's own
#' by more than counts waver, with the false-discovery rate controlled over the list (Benjamini and Hochberg). So a season that moves all is no news of any one; whether the season or the site moved is
#' told by `before = "year"` where there is a year.
#' @param data A `tide_data` object with dates, queries and pages.
#' @param after First and last day of the later window; `NULL` the last `days`.
#' @param before The same of the earlier; `NULL` as many days right before; `"year"` the same weekdays 52 weeks before.
#' @param days Length of the windows where they are not given.
#' @param level What a line stands for: `query`, `page`, `folder`, `topic`, `pair` (query x page) or `site`.
#' @param curve A `tide_curve` object; `NULL` fits it to all of the data.
#' @param brand Brand words.
#' @param fdr False-discovery rate of `real`.
#' @param rules A [tide_rules()] object, for groups of pages instead of first folders.
#' @param site_days Clicks of the site by day (`date`, `clicks`), longer than the windows: where they reach a year back, `season` tells what the same weeks did then.
#'   `NULL` takes those of `data`.
#' @return A `tide_moves` object: a list with `moves` (a data.table, the largest change first: the level's name, `clicks_before`, `clicks_after`,
#'   `change` (clicks per 30 days), its parts `demand`, `position`, `click_through`, `mix`, `ratio` with
#'   its 90 % interval `ratio_low`, `ratio_high`, `q` (false-discovery rate at which it counts), `real`, `status` (`continuing`, `new`, `lost`), `impressions_before`,
#'   `impressions_after`, `position_before`, `position_after`), `site` (one such row), `pairs`, `windows` (`from`, `to`, `days` with rows, `missing`), `level`, `season` (`ratio` of the site's clicks between the same weekdays a year before, or `NULL`),
#'   `weekly` (of the 50 that lead: clicks of each `name` by `week` over both windows, 1 the oldest).
#'   Methods: `print`, `format`, `tidy`, `summary`, `autoplot`, `plot`.
#' @section Errors: `tide_error_grain` without dates or queries; `tide_error_window` for windows that the data do not hold or
#'   that share days.
#' @references Shorrocks (2013), Journal of Economic Inequality 11, 99-126. Benjamini, Hochberg (1995), Journal of the Royal Statistical Society B 57, 289-300.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_moves(data, days = 28, level = "page", brand = "fernmoor")
#' @export
tide_moves <- function(data, after = NULL, before = NULL, days = 28, level = c("query", "page", "folder", "topic", "pair", "site"), curve = NULL, brand = NULL,
                       fdr = 0.1, rules = tide_rules(), site_days = NULL) {
  check_class(data, "tide_data", "data")
  level <- check_choice(level, move_levels, "level")
  check_number(days, "days", min = 1)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  table <- pick_table(data, c("date", "query", "page"))
  if (is.null(table)) table <- pick_table(data, c("date", "query"))
  if (is.null(table)) abort_tide("What moved needs days and queries.", where = sprintf("The tables read are: %s.", paste(names(data$tables), collapse = "; ")), mend = "Export by date, query and page.", class = "grain")
  windows <- settle_windows(table$from, table$to, before, after, days)
  summary <- if (is.null(curve)) tide_summary(data, brand = brand)
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
  at <- window_rows(table$rows, windows, curve, brand, page_one_views(if (is.null(summary)) curve$summary else summary))
  sides <- lapply(1:2, function(k) sort(unique(at$rows$date[at$rows$side == k])))
  if (!all(lengths(sides))) {
    abort_tide("A window holds no row.", where = format_days(windows[[which(lengths(sides) == 0)[1]]][1], windows[[which(lengths(sides) == 0)[1]]][2]), mend = "Choose days that the data hold.", class = "window", fault = "call")
  }
  shown <- lengths(sides)
  sums <- at$rows[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(weighted), expected = sum(expected), demand = sum(demand)), by = c("query", "page", "side")]
  pairs <- merge(sums[sums$side == 1L, !"side"], sums[sums$side == 2L, !"side"], by = c("query", "page"), all = TRUE, suffixes = c("_1", "_2"))
  for (column in setdiff(names(pairs), c("query", "page"))) set(pairs, which(is.na(pairs[[column]])), column, 0)
  scale <- 30 / shown
  worth <- 1 / curve$fits[[1]]$spread
  factor <- (worth + pairs$clicks_1 + pairs$clicks_2) / (worth + pairs$expected_1 + pairs$expected_2)
  parts <- change_parts(pairs$clicks_1 * scale[1], pairs$clicks_2 * scale[2], pairs$expected_1 * scale[1], pairs$expected_2 * scale[2], pairs$demand_1 * scale[1], pairs$demand_2 * scale[2], factor)
  tests <- change_tests(pairs, shown, 0.9)
  # What the whole site's click-through, up or down, makes of each pair.
  common <- factor * (pairs$expected_1 * scale[1] + pairs$expected_2 * scale[2]) * tanh(tests$common_clicked / 2)
  set(pairs, j = part_names, value = share_luck(parts, tests, common))
  name <- switch(level, query = at$queries$names[pairs$query], page = at$pages$names[pairs$page], folder = page_group(at$pages$names, rules$page_groups)[pairs$page],
    topic = fcoalesce(head_terms(at$queries$keys, leading_pages(data.table(query = pairs$query, page = pairs$page, clicks = pairs$clicks_1 + pairs$clicks_2, impressions = pairs$impressions_1 + pairs$impressions_2), length(at$queries$keys))), "(no topic)")[pairs$query],
    pair = paste(at$queries$names[pairs$query], at$pages$names[pairs$page], sep = " | "), site = rep("the site", nrow(pairs)))
  set(pairs, j = "name", value = name)
  moves <- move_lines(pairs, shown, fdr)
  site <- move_lines(copy(pairs)[, "name" := "the site"], shown, fdr)
  lines <- lapply(1:2, function(k) data.table(from = windows[[k]][1], to = windows[[k]][2], days = shown[k], missing = as.integer(windows[[k]][2] - windows[[k]][1]) + 1L - shown[k]))
  named <- copy(pairs)
  set(named, j = "query_name", value = at$queries$names[pairs$query])
  set(named, j = "page_name", value = at$pages$names[pairs$page])
  structure(list(weekly = clicks_by_week(at, pairs, leading_moves(moves, 50)$name, windows),
    season = last_season(if (!is.null(site_days)) site_days else if (table$from <= windows$before[1] - 364L) dated_sums(data), windows), moves = moves, site = site, pairs = named, windows = rbindlist(lines), level = level, fdr = fdr), class = "tide_moves")
}

move_levels <- c("query", "page", "folder", "topic", "pair", "site")
part_names <- c("demand", "position", "click_through", "mix")

move_lines <- function(pairs, shown, fdr) {
  scale <- 30 / shown
  own <- pairs[, .(clicks_1 = sum(clicks_1), clicks_2 = sum(clicks_2), demand = sum(demand), position = sum(position), click_through = sum(click_through), mix = sum(mix),
    expected_1 = sum(expected_1), expected_2 = sum(expected_2), impressions_1 = sum(impressions_1), impressions_2 = sum(impressions_2), weighted_1 = sum(weighted_1), weighted_2 = sum(weighted_2)), by = "name"]
  tests <- change_tests(own, shown, 0.9)
  out <- data.table(name = own$name, clicks_before = own$clicks_1 * scale[1], clicks_after = own$clicks_2 * scale[2], change = own$clicks_2 * scale[2] - own$clicks_1 * scale[1],
    own[, part_names, with = FALSE], tests[, c("ratio", "ratio_low", "ratio_high", "q")], real = (tests$q <= fdr) %in% TRUE,
    status = ifelse(own$impressions_1 == 0, "new", ifelse(own$impressions_2 == 0, "lost", "continuing")),
    impressions_before = own$impressions_1 * scale[1], impressions_after = own$impressions_2 * scale[2],
    position_before = ifelse(own$impressions_1 > 0, own$weighted_1 / own$impressions_1, NA), position_after = ifelse(own$impressions_2 > 0, own$weighted_2 / own$impressions_2, NA))
  out[order(-abs(out$change), out$name)]
}

# What is shown first: what moved beyond noise, then the largest changes.
leading_moves <- function(moves, most) utils::head(moves[order(-moves$real, -abs(moves$change))], most)

#' @rdname tide_moves
#' @param x A `tide_moves` object.
#' @param ... Not used.
#' @export
tidy.tide_moves <- function(x, ...) tibble::as_tibble(x$moves)

#' @export
summary.tide_moves <- function(object, ...) tibble::as_tibble(object$site)

#' @export
print.tide_moves <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}
