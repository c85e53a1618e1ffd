#' Follow pages over time
#'
#' By week or by day: the positions of a page's leading queries, how many queries it is shown for
#' in which band, and its CTR against what the curve expects at these positions.
#'
#' @param data A `tide_data` object with dates, queries and pages; of a [tide_source()] or an
#'   archive the last half year.
#' @param pages Addresses or paths, a star at the end for everything below; `NULL` takes the
#'   `most` pages with the most clicks, those of brand queries not counted.
#' @param by `week` (counted back from the last day) or `day`.
#' @param leading What makes a query lead its page: `impressions`, `clicks`, or `gain` (of
#'   `findings`).
#' @param lines How many leading queries of each page.
#' @param most Most pages to follow.
#' @param findings A `tide_findings` object, for `leading = "gain"`.
#' @param curve A `tide_curve` object; `NULL` fits it to all of the data.
#' @param brand Brand words.
#' @param events A `tide_events` object, drawn on the figures; `NULL` for none.
#' @param rules A [tide_rules()] object, for the bands.
#' @param all_days `TRUE` keeps the days that [tide_unusual()] finds, which are else left out.
#' @return A `tide_follow` object: a list with `pages` (data.table: `page`, `period` (its first
#'   day), `clicks`, `impressions`, `position`, `ctr`, `expected_ctr` (on the curve, at the
#'   positions it had), `queries` (distinct)), `lines` (`page`, `query`, `period`, `clicks`,
#'   `impressions`, `position`, `rank` of the query on its page), `bands` (`page`, `period`,
#'   `band`, `queries`), `events` (as given; `here` where they touched these pages), `shifts`
#'   ([tide_event_effects()] of all events), `changes` ([tide_change_points()]), `unusual`
#'   ([tide_unusual()]), `all_days`, `chosen` (whether the pages with the most clicks
#'   were taken), `leading`, `by`, `from`, `to`. Positions are weighted by impressions. A
#'   period without a row has missing figures, not zeros, and is a gap in the figures. Methods:
#'   `print`, `format`, `tidy` (of `pages`), `summary` (of each page the first and last
#'   `periods`: clicks of a period, position, CTR `to_curve`, queries), `autoplot`, `plot`.
#' @section Errors: `tide_error_grain` without dates, queries or pages; `tide_error_follow` where
#'   no page of that name is in the data.
#' @seealso [tide_event_effects()] and [tide_change_points()] for what is more than drift.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' followed <- tide_follow(data, "/guides/*", brand = "fernmoor")
#' followed
#' plot(followed)
#' @export
tide_follow <- function(data, pages = NULL, by = c("week", "day"),
    leading = c("impressions", "clicks", "gain"), lines = 5, most = 6, findings = NULL,
    curve = NULL, brand = NULL, events = NULL, rules = tide_rules(), all_days = FALSE) {
  data <- data_of(data, days = followed_days)
  check_text(pages, "pages", null = TRUE, many = TRUE)
  by <- check_choice(by, c("week", "day"), "by")
  leading <- check_choice(leading, c("impressions", "clicks", "gain"), "leading")
  check_number(lines, "lines", min = 1)
  check_number(most, "most", min = 1)
  if (leading == "gain" || !is.null(findings)) check_class(findings, "tide_findings", "findings")
  events <- check_events(events)
  check_flag(all_days, "all_days")
  tbl <- dated_table(data)
  if (isTRUE(tbl$each > (if (by == "week") 7L else 1L))) {
    abort_wide_dates(tbl, sprintf("Pages cannot be followed by %s", by))
  }
  odd <- unusual_dates(site_days_table(data))$date
  if (is.null(curve)) {
    curve <- tide_curve(tide_summary(data, brand = brand))
  } else {
    check_class(curve, "tide_curve", "curve")
  }
  coded <- coded_rows(tbl$rows, curve, brand)
  chosen <- followed_pages(coded, pages, most)
  kept <- which(coded$rows$page %in% chosen & (all_days | !coded$rows$date %in% odd))
  rows <- coded$rows[kept]
  how_long <- if (by == "week") 7L else 1L
  set(rows, j = "period", value = period_start(rows$date, tbl$to, how_long))
  last <- period_start(tbl$to, tbl$to, how_long)
  if (last < tbl$from) {
    abort_tide("The window holds no whole week.",
      where = sprintf("It is %s.", format_days(tbl$from, tbl$to)),
      fix = "Give a longer window, or follow `by` day.", class = "nothing_left", argument = "by")
  }
  periods <- rev(seq(last, max(tbl$from, min(rows$period)), by = -how_long))
  rows <- rows[rows$period %in% periods]
  leaders <- leading_queries(rows, coded, leading, lines, findings)
  series <- sum_days(coded, tbl)
  structure(list(pages = with_names(page_course(rows, chosen, periods), coded),
    lines = with_names(query_course(rows, leaders, periods), coded),
    bands = with_names(band_course(rows, rules$bands), coded),
    events = events_on_page(events, chosen, coded$pages$keys),
    shifts = if (!is.null(events)) event_effects(series, events, odd),
    changes = find_changes(series, events, groups = rules$page_groups, odd = odd),
    unusual = site_unusual_runs(data), all_days = all_days, chosen = is.null(pages), by = by,
    leading = leading, from = periods[1], to = tbl$to),
    class = c("tide_follow", "tide_result"))
}

# Half a year shows what moved and what events did; an archive is asked for no more.
followed_days <- 182

# Each page by period; periods without a row have missing figures.
page_course <- function(rows, chosen, periods) {
  keys <- c("page", "period")
  sums <- add_ratios(sums_by(rows, keys, c("clicks", "impressions", "weighted", "expected")))
  set(sums, j = "expected_ctr", value = sums$expected / sums$impressions)
  set(sums, j = "queries", value = distinct_by(rows, keys, "query"))
  sums <- sums[, c(keys, "clicks", "impressions", "position", "ctr", "expected_ctr", "queries"),
    with = FALSE]
  sums[CJ(page = chosen, period = periods, sorted = FALSE), on = c("page", "period")]
}

# The same of the leading queries, with their rank.
query_course <- function(rows, leaders, periods) {
  own <- rows[!is.na(leaders[rows, on = c("page", "query"), which = TRUE])]
  sums <- add_ratios(sums_by(own, c("page", "query", "period"),
    c("clicks", "impressions", "weighted")))[, !c("weighted", "ctr")]
  grid <- leaders[rep(seq_len(nrow(leaders)), each = length(periods))]
  set(grid, j = "period", value = rep(periods, nrow(leaders)))
  sums[grid, on = c("page", "query", "period")]
}

# Distinct queries of each page by period and band of position.
band_course <- function(rows, bands) {
  sums <-
    add_ratios(sums_by(rows, c("page", "query", "period"), c("clicks", "impressions", "weighted")))
  set(sums, j = "band", value = factor(position_band(sums$position, bands), band_names(bands)))
  sums[, .(queries = .N), by = c("page", "period", "band")]
}

with_names <- function(sums, coded) {
  set(sums, j = "page", value = coded$pages$names[sums$page])
  if (!is.null(sums[["query"]])) set(sums, j = "query", value = coded$queries$names[sums$query])
  sums
}

followed_pages <- function(coded, pages, most) {
  plain <- coded$segment[coded$rows$query] != "brand"
  rows <- data.table(page = coded$rows$page, clicks = coded$rows$clicks,
    plain = coded$rows$clicks * plain)
  total <- sums_by(rows, "page", c("plain", "clicks"))
  total <- total[order(-total$plain, -total$clicks)]
  if (!is.null(pages)) {
    wanted <- lapply(pages, touched_pages, keys = coded$pages$keys)
    none <- which(lengths(wanted) == 0)
    if (length(none)) {
      known <- format_path(coded$pages$names)
      near <- known[utils::head(order(utils::adist(pages[none[1]], known)[1, ]), 3)]
      abort_tide("No page of that name is in the data.", where = sprintf("'%s'.", pages[none[1]]),
        fix = sprintf("Did you mean '%s'?", paste(near, collapse = "', '")), class = "follow",
        fault = "call")
    }
    total <- total[total$page %in% unlist(wanted)]
  }
  utils::head(total$page, most)
}

# The leading queries of each page: data.table(page, query, rank), 1 the first.
leading_queries <- function(rows, coded, leading, lines, findings) {
  total <- sums_by(rows, c("page", "query"), c("clicks", "impressions"))
  weight <- if (leading == "gain") {
    found <- findings$findings
    gain <- tapply(found$gain, paste(query_key(found$query), page_key(found$page)), sum)
    own <- gain[paste(coded$queries$keys[total$query], coded$pages$keys[total$page])]
    fcoalesce(as.numeric(own), 0)
  } else {
    total[[leading]]
  }
  total <- total[order(total$page, -weight, -total$impressions)]
  total[, "rank" := seq_len(.N), by = "page"]
  setkeyv(total[total$rank <= lines, c("page", "query", "rank")], c("page", "query"))
}

# Events, and whether they touched one of the pages.
events_on_page <- function(events, chosen, keys) {
  if (is.null(events)) return(NULL)
  touched <- vapply(events$pages, function(pages) {
    own <- touched_pages(pages, keys)
    is.null(own) || any(chosen %in% own)
  }, NA)
  set(copy(events), j = "here", value = touched)
}

#' @rdname tide_follow
#' @param x A `tide_follow` object.
#' @param ... Not used.
#' @export
tidy.tide_follow <- function(x, ...) tibble::as_tibble(x$pages)

#' @rdname tide_follow
#' @param object A `tide_follow` object.
#' @export
summary.tide_follow <- function(object, ...) tibble::as_tibble(follow_ends(object))

follow_ends <- function(object) {
  periods <- sort(unique(object$pages$period))
  few <- max(1, min(4, length(periods) %/% 2))
  side <- function(at, suffix) {
    own <- object$pages[object$pages$period %in% at & !is.na(object$pages$impressions)]
    set(own, j = "weighted", value = own$position * own$impressions)
    set(own, j = "expected", value = own$expected_ctr * own$impressions)
    sums <- add_ratios(sums_by(own, "page",
      c("clicks", "impressions", "weighted", "expected", "queries"), count = "rows"))
    figures <- data.table(clicks = sums$clicks / length(at), position = sums$position,
      to_curve = sums$clicks / sums$expected, queries = round(sums$queries / sums$rows))
    figures <- figures[match(unique(object$pages$page), sums$page)]
    setnames(figures, paste0(names(figures), suffix))
  }
  cbind(data.table(page = unique(object$pages$page), periods = few),
    side(utils::head(periods, few), "_first"), side(utils::tail(periods, few), "_last"))
}

#' @export
format.tide_follow <- function(x, width = 80, keep = "all_days = TRUE", details = TRUE, ...) {
  ends <- follow_ends(x)
  free <- max(18, width - 58)
  formats <- list(clicks = format_clicks, position = format_position, to_curve = format_ratio,
    queries = format_count)
  cells <- do.call(cbind, lapply(names(formats),
    function(name) vapply(c("_first", "_last"),
      function(end) formats[[name]](ends[[paste0(name, end)]]), character(nrow(ends)))))
  cells <- matrix(cells, nrow(ends))
  heads <- c("clicks", "now", "pos", "now", "to curve", "now", "queries", "now")
  widths <- c(8, 7, 7, 6, 10, 6, 9, 5)
  text_row <- function(name, cells) paste0(name, paste(pad_left(cells, widths), collapse = ""))
  few <- format_plural(ends$periods[1], x$by)
  c(
    wrap_lines(sprintf(paste(
      "%s by %s, %s: the first %s against the last; clicks a %s; to curve: CTR",
      "to what the curve expects there"),
      format_plural(nrow(ends), "page"), x$by, format_days(x$from, x$to), few, x$by),
      width),
    if (x$chosen && details) {
      wrap_lines(paste("the pages with the most clicks without brand queries, so a home page that",
        "lives on brand is not among them"),
        width)
    },
    if (NROW(x$unusual) && !x$all_days && details) {
      wrap_lines(sprintf("unusual days left out, see below; %s keeps them", keep), width)
    },
    "",
    text_row(fit_text("page", free), heads),
    vapply(seq_len(nrow(ends)),
      function(i) text_row(fit_path(format_path(ends$page[i]), free), cells[i, ]), ""),
    follow_part(x, "events", width),
    follow_part(x, "changes", width),
    if (details) follow_part(x, "days", width))
}

# One part of what is followed, as text.
follow_part <- function(x, part, width) {
  switch(part, events = time_lines("Events", shift_lines(x$shifts), width),
    changes = time_lines("Changes found in the data", found_change_lines(x$changes), width),
    days = time_lines("Unusual days and weeks", unusual_run_lines(x$unusual), width))
}

time_lines <- function(title, lines, width) {
  c("", title, unlist(lapply(lines, strwrap, width = width, indent = 2, exdent = 4)))
}
