#' From a query to its pages, from a page to its queries
#'
#' The daily movement of the job: which pages are shown for a query, and who led
#' in which week; which queries a page is shown for, and in which band each is.
#'
#' @param data A `tide_data` object with a table by query and page.
#' @param what A query, or a page's address (in any of its spellings, or its path).
#' @param rules A [tide_rules()] object, for the bands.
#' @param recent_days How many of the last days to look at.
#' @return A `tide_trace` object: a list with `kind` (`query` or `page`), `name`,
#'   `rows` (best first: `query`, `page`, `clicks`, `impressions`, `ctr`,
#'   `position`, `share` of the clicks or, without any, of the impressions,
#'   `band`, and with dates `weeks` seen and, for a query, `weeks_led`), `weekly`
#'   (`name`, `week` as its first day, `clicks`, `impressions`, `position`),
#'   `total` (sums over the rows), `site` (for a page: its totals from a table
#'   without queries, or `NULL`), `from`, `to`. Methods: `print`, `tidy`.
#' @section Errors: `tide_error_trace` where nothing of that name is held, with
#'   the nearest names; `tide_error_grain`.
#' @details A page leads a week when it has the most clicks of the query's pages, of
#'   equals the most impressions. Bands of position: 1-3, 4-10, 11-20, 21 and below.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_trace(data, "radish spacing")
#' tide_trace(data, "/guides/how-to-grow-radish/")
#' @export
tide_trace <- function(data, what, recent_days = 90, rules = tide_rules()) {
  check_class(data, "tide_data", "data")
  check_text(what, "what")
  check_number(recent_days, "recent_days", min = 1)
  table <- pick_table(data, c("query", "page"))
  if (is.null(table)) {
    abort_tide("No table has both queries and pages.", where = paste0("The tables are: ", paste(names(data$tables), collapse = "; "), "."),
      mend = "Export a table by query and page.", class = "grain")
  }
  queries <- code_queries(table$rows$query, table$rows$impressions)
  pages <- code_pages(table$rows$page, table$rows$impressions)
  found <- find_name(what, queries, pages)
  dated <- "date" %in% table$dimensions
  use <- which((if (found$kind == "query") queries$code else pages$code) == found$code)
  if (dated) use <- use[as.integer(table$rows$date[use]) > as.integer(table$to) - recent_days]
  if (!length(use)) {
    abort_tide("It was not shown in these days.", where = sprintf("'%s', the last %g days.", what, recent_days),
      mend = "Ask for a longer window.", class = "trace")
  }
  rows <- setDT(list(query = queries$names[queries$code[use]], page = pages$names[pages$code[use]], clicks = table$rows$clicks[use],
    impressions = table$rows$impressions[use], position = table$rows$position[use]))
  other <- if (found$kind == "query") "page" else "query"
  # Weeks count back from the last day, so that none but the first is cut short.
  if (dated) set(rows, j = "week", value = table$to - 7L * ((as.integer(table$to) - as.integer(table$rows$date[use])) %/% 7L) - 6L)
  weekly <- if (dated) setnames(reduce_by(rows, c(other, "week")), other, "name")
  site <- if (found$kind == "page") {
    totals <- site_totals(data, "page", table)
    if (!is.null(totals)) totals[totals$key == pages$keys[found$code]]
  }
  structure(list(kind = found$kind, name = if (found$kind == "query") queries$names[found$code] else pages$names[found$code],
    rows = trace_rows(rows, weekly, other, rules$bands), weekly = weekly, total = reduce_by(rows[, "one" := 1L], "one"),
    site = if (NROW(site)) site, from = if (dated) max(table$from, table$to - as.integer(recent_days) + 1L) else table$from, to = table$to), class = "tide_trace")
}

# A query by its compared form, a page by its key or its path alone.
find_name <- function(what, queries, pages) {
  query <- match(squeeze_query(what), queries$keys)
  key <- url_key(clean_url(what))
  page <- match(key, pages$keys)
  if (is.na(page) && startsWith(what, "/")) {
    page <- match(sub("/+$", "", what), sub("/+$", "", sub("^[^/]*", "", pages$keys)))
  }
  if (!is.na(query)) return(list(kind = "query", code = query))
  if (!is.na(page)) return(list(kind = "page", code = page))
  known <- c(queries$names, format_path(pages$names))
  near <- known[utils::head(order(utils::adist(tolower(what), tolower(known), partial = FALSE)[1, ]), 3)]
  abort_tide("Neither a query nor a page of that name is held.", where = sprintf("'%s'.", what),
    mend = sprintf("Did you mean '%s'?", paste(near, collapse = "', '")), class = "trace")
}

trace_rows <- function(rows, weekly, other, bands) {
  out <- reduce_by(rows, c("query", "page"))
  weight <- if (sum(out$clicks) > 0) out$clicks else out$impressions
  out[, c("share", "band") := list(weight / sum(weight), position_band(position, bands))]
  if (!is.null(weekly)) {
    seen <- weekly[, .N, by = "name"]
    set(out, j = "weeks", value = seen$N[match(out[[other]], seen$name)])
    if (other == "page") {
      leaders <- copy(weekly)
      setorderv(leaders, c("week", "clicks", "impressions"), c(1L, -1L, -1L))
      led <- leaders[!duplicated(leaders$week), .N, by = "name"]
      set(out, j = "weeks_led", value = fcoalesce(led$N[match(out$page, led$name)], 0L))
    }
  }
  setorderv(out, c("clicks", "impressions"), c(-1L, -1L))
  out[]
}

#' @rdname tide_trace
#' @param x A `tide_trace` object.
#' @param ... Not used.
#' @export
tidy.tide_trace <- function(x, ...) tibble::as_tibble(x$rows)

# Eight heights of bar, one a week; a week without the page or query is a gap, not a zero.
spark <- function(own, weeks) {
  value <- own$clicks[match(weeks, own$week)]
  bars <- c("\u2581", "\u2582", "\u2583", "\u2584", "\u2585", "\u2586", "\u2587", "\u2588")
  height <- if (max(value, na.rm = TRUE) > 0) ceiling(8 * value / max(value, na.rm = TRUE)) else rep(1, length(value))
  paste(ifelse(is.na(value), " ", bars[pmax(1, height)]), collapse = "")
}

#' @export
format.tide_trace <- function(x, n = 25, width = 80, ...) {
  shown <- utils::head(x$rows, n)
  names <- if (x$kind == "query") format_path(shown$page) else shown$query
  weeks <- if (!is.null(x$weekly)) sort(unique(x$weekly$week))
  key <- if (x$kind == "query") shown$page else shown$query
  trends <- if (is.null(weeks)) rep("", nrow(shown)) else vapply(split(x$weekly, by = "name")[key], spark, "", weeks = weeks)
  led <- if (is.null(shown$weeks_led)) NULL else as.character(shown$weeks_led)
  free <- max(18, width - 42 - (if (is.null(led)) 0 else 5) - if (length(weeks)) max(nchar(trends), 14) else 0)
  line <- function(name, clicks, impressions, ctr, position, share, led, trend) {
    paste0(if (x$kind == "query") fit_path(name, free) else fit_text(name, free), pad_left(clicks, 8), pad_left(impressions, 10), pad_left(ctr, 7), pad_left(position, 7), pad_left(share, 7),
      if (!is.null(led)) pad_left(led, 5), "  ", trend)
  }
  window <- if (is.na(x$to)) "no dates" else format_days(x$from, x$to)
  head <- sprintf("%s: %s", if (x$kind == "query") "Query" else "Page", if (x$kind == "query") x$name else format_path(x$name))
  more <- nrow(x$rows) - nrow(shown)
  wrap_lines(c(head, sprintf("%s, %s; %s clicks, %s impressions, CTR %s, position %s", window,
      format_plural(nrow(x$rows), if (x$kind == "query") "page" else "query", if (x$kind == "query") "pages" else "queries"),
      format_count(x$total$clicks), format_count(x$total$impressions), format_rate(x$total$ctr), format_position(x$total$position)),
    if (!is.null(x$site)) sprintf("its own totals without queries, over all days: %s clicks, %s impressions",
      format_count(x$site$clicks), format_count(x$site$impressions)), "",
    sub(" +$", "", line(if (x$kind == "query") "page" else "query", "clicks", "impr.", "ctr", "pos", "share", if (!is.null(led)) "led", if (length(weeks)) "clicks by week" else "")),
    line(names, format_count(shown$clicks), format_count(shown$impressions), format_rate(shown$ctr), format_position(shown$position), format_share(shown$share), led, trends),
    if (more > 0) sprintf("... and %s more", format_count(more)),
    if (x$kind == "query" && nrow(x$rows) > 1 && !is.null(led)) c("", "led: weeks in which the page had the most clicks of them")), width)
}

#' @export
print.tide_trace <- function(x, ...) {
  cat(format(x, ...), sep = "\n")
  invisible(x)
}
