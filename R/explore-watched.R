#' Watched queries
#'
#' A list of queries of one's own: what changed on them, beyond noise or not, and their positions by
#' week.
#'
#' @param data A `tide_data` object with queries and dates (or an export that compares two windows),
#'   a [tide_source()] or an archive.
#' @param queries The queries: texts, or regular expressions between slashes; or a named list of
#'   such, each a list of its own.
#' @param days Length of the windows that are compared: the last so many days and as many before;
#'   half of the data where they are shorter.
#' @param weeks How many weeks of positions.
#' @param curve,brand,fdr,rules,site_days,events,all_days As in [tide_compare()].
#' @return A `tide_watched` object: a list with `rows` (in the order of the lists: `list`, `query`,
#'   the columns of `moves` of [tide_change]), `weekly` (`query`, `week` (its first day), `clicks`,
#'   `impressions`, `position`; a week without a row is missing), `unseen` (`list`, `query`: those
#'   shown for nobody in either window), and of the comparison `windows`, `unusual`, `scaled`,
#'   `equal` and `fdr`. Methods: `print`, `format`, `tidy`, `summary`.
#' @section Errors: those of [tide_compare()].
#' @seealso [tide_compare()], whose lines of queries these are; [tide_follow()] for pages.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_watched(data, list(radishes = "/radish/", ours = "fernmoor seeds"), brand = "fernmoor")
#' @export
tide_watched <- function(data, queries, days = 28, weeks = 13, curve = NULL, brand = NULL,
    fdr = 0.1, rules = tide_rules(), site_days = NULL, events = NULL, all_days = FALSE) {
  check_number(days, "days", min = 1)
  check_number(weeks, "weeks", min = 1)
  data <- data_of(data, days = max(2 * days, 7 * weeks, usual_days))
  lists <- check_watched(queries)
  tbl <- pick_table(data, c("date", "query"))
  if (is.null(tbl) && is.null(earlier_beside(data))) abort_no_windows(data)
  if (!is.null(tbl)) days <- min(days, max(1, tbl$days %/% 2L))
  change <- tide_compare(data, by = "query", days = days, curve = curve, brand = brand, fdr = fdr,
    rules = rules, site_days = site_days, events = events, all_days = all_days)
  moves <- change$moves
  keys <- query_key(moves$name)
  found <- rbindlist(lapply(names(lists), function(list) {
    rbindlist(lapply(lists[[list]], function(name) {
      at <- which(named_queries(keys, name))
      data.table(list = list, asked = name, at = if (length(at)) at else NA_integer_)
    }))
  }))
  found <- found[!duplicated(found[, c("list", "at")]) | is.na(found$at)]
  seen <- found[!is.na(found$at)]
  rows <- data.table(list = seen$list, query = moves$name[seen$at], moves[seen$at, !"name"])
  structure(list(rows = rows,
    weekly = if (!is.null(tbl) && !wide_dates(tbl)) {
      weekly_positions(tbl, unique(rows$query), weeks)
    },
    unseen = data.table(list = found$list, query = found$asked)[is.na(found$at)],
    windows = change$windows, unusual = change$unusual, scaled = change$scaled,
    equal = change$equal, fdr = fdr),
    class = c("tide_watched", "tide_result"))
}

# Lists by name; one without a name is called "watched".
check_watched <- function(queries) {
  if (!is.list(queries)) queries <- list(watched = queries)
  if (is.null(names(queries)) || any(!nzchar(names(queries)))) {
    abort_argument("queries", "texts, or lists of them with names", queries)
  }
  for (list_of in queries) {
    check_text(list_of, "queries", many = TRUE)
    for (pattern in slashed_patterns(list_of)) check_regex(pattern, "queries")
  }
  queries
}

# Sums of queries by week, counted back from the last day, every week of every query.
weekly_positions <- function(table, queries, weeks) {
  texts <- as_levels(table$rows$query)
  one_line <- match(query_key(levels(texts)), query_key(queries))[as.integer(texts)]
  use <- which(!is.na(one_line))
  rows <- table$rows[use, figure_names, with = FALSE]
  set(rows, j = c("query", "week"),
    value = list(one_line[use], period_start(table$rows$date[use], table$to, 7L)))
  last <- period_start(table$to, table$to, 7L)
  wanted <- rev(seq(last, by = -7L, length.out = min(weeks, max(1L, table$days %/% 7L))))
  sums <- reduce_by(rows, c("query", "week"))
  out <- sums[CJ(query = seq_along(queries), week = wanted), on = c("query", "week")]
  set(out, j = "query", value = queries[out$query])
  out[, c("query", "week", "clicks", "impressions", "position"), with = FALSE]
}

#' @rdname tide_watched
#' @param x,object A `tide_watched` object.
#' @param ... Not used.
#' @export
tidy.tide_watched <- function(x, ...) tibble::as_tibble(x$rows)

# How many of each list changed significantly.
#' @rdname tide_watched
#' @export
summary.tide_watched <- function(object, ...) {
  rows <- copy(object$rows)
  set(rows, j = c("up", "down"),
    value = list(rows$significant & rows$change > 0, rows$significant & rows$change < 0))
  tibble::as_tibble(sums_by(rows, "list", c("clicks_before", "clicks_after", "up", "down"),
    count = "queries"))
}

#' @export
format.tide_watched <- function(x, n = 40, width = 80, ...) {
  rows <- utils::head(x$rows, n)
  heading <- c(sides_line(x), watched_sentence(x))
  if (!nrow(rows)) return(wrap_lines(c(heading, unseen_line(x)), width))
  weeks <- watched_sparks(x, rows$query)
  place <- function(p) ifelse(is.na(p), "-", format_position(p))
  free <- name_width(rows$query, width - 47 - max(nchar(weeks)))
  text_line <- function(name, before, after, change, real, from, to, trend) {
    sub(" +$", "", paste0(fit_text(name, free), pad_left(before, 8), pad_left(after, 8),
      pad_left(change, 8), real, pad_left(from, 7), pad_left(to, 7), "  ", trend))
  }
  body_lines <- text_line(rows$query, format_count(rows$clicks_before),
    format_count(rows$clicks_after),
    signed_count(rows$change), ifelse(rows$significant, " *", "  "), place(rows$position_before),
    place(rows$position_after), weeks)
  several <- length(unique(x$rows$list)) > 1
  body_lines <- unlist(lapply(unique(rows$list), function(list) {
    c(if (several) c("", list), body_lines[rows$list == list])
  }))
  c(
    wrap_lines(heading, width),
    "",
    text_line("query", "before", "after", "change", "  ", "pos", "now",
      if (any(nzchar(weeks))) "position by week" else ""),
    body_lines,
    if (nrow(x$rows) > n) sprintf("... and %s more", format_count(nrow(x$rows) - n)),
    wrap_lines(unseen_line(x), width))
}

# "2 of 9 watched queries changed significantly". marked: how a table says which.
watched_sentence <- function(x, marked = ", marked *") {
  many <- length(unique(x$rows$query))
  if (!many) return(NULL)
  changed <- length(unique(x$rows$query[x$rows$significant]))
  sprintf("%s of %s changed significantly (false-discovery rate %s%s)", format_count(changed),
    format_plural(many, "watched query", "watched queries"), format_share(x$fdr),
    if (changed) marked else "")
}

unseen_line <- function(x) {
  if (nrow(x$unseen)) {
    sprintf("not shown to anybody in these windows: %s", paste(x$unseen$query, collapse = ", "))
  }
}

# Positions by week as small bars, the higher the better: the best of the query's weeks is full.
watched_sparks <- function(x, queries) {
  if (is.null(x$weekly)) return(rep("", length(queries)))
  vapply(queries, function(query) bars(1 / x$weekly$position[x$weekly$query == query]), "",
    USE.NAMES = FALSE)
}
