# How a trace prints: its totals, its rows with a small trend line each, what is known besides.

#' @rdname tide_trace
#' @param x A `tide_trace` object.
#' @param ... Not used.
#' @export
tidy.tide_trace <- function(x, ...) tibble::as_tibble(x$rows)

#' @rdname tide_trace
#' @param object A `tide_trace` object.
#' @export
summary.tide_trace <- function(object, ...) tibble::as_tibble(object$total)

# A week without the page or query is a gap, not a zero.
spark <- function(own, weeks) bars(own$clicks[match(weeks, own$week)])

#' @export
format.tide_trace <- function(x, n = 25, width = 80, ...) {
  shown <- utils::head(x$rows, n)
  side <- if (x$kind == "page") "query" else "page"
  key <- shown[[side]]
  name_texts <- if (side == "page") format_path(key) else key
  weeks <- all_weeks(x)
  trends <- if (is.null(weeks)) {
    rep("", nrow(shown))
  } else {
    vapply(split(x$weekly, by = "name")[key], spark, "", weeks = weeks)
  }
  # One narrow column of its own for each kind: weeks led, band, queries.
  extra <- switch(x$kind, query = if (!is.null(shown$weeks_led)) as.character(shown$weeks_led),
    page = shown$band, folder = if (is.null(x$only)) format_count(shown$queries))
  extra_head <- c(query = "led", page = "band", folder = "queries")[[x$kind]]
  extra_width <- if (is.null(extra)) 0 else max(nchar(c(extra, extra_head))) + 2
  volume <- if (x$kind == "page" && any(!is.na(shown$volume))) shown$volume
  free <- max(18, width - 37 - extra_width - (if (is.null(volume)) 0 else 2) -
    if (length(weeks)) max(nchar(trends), 14) else 0)
  text_line <- function(name, clicks, impressions, ctr, position, share, extra, volume, trend) {
    paste0(if (side == "page") fit_path(name, free) else fit_text(name, free), pad_left(clicks, 8),
      pad_left(impressions, 9), pad_left(ctr, 6), pad_left(position, 6),
      if (is.null(volume)) pad_left(share, 6), if (!is.null(extra)) pad_left(extra, extra_width),
      if (!is.null(volume)) pad_left(volume, 8), ifelse(nzchar(trend), "  ", ""), trend)
  }
  span <- if (is.na(x$to)) "no dates" else format_days(x$from, x$to)
  heading <- sprintf("%s: %s", c(query = "Query", page = "Page", folder = "Folder")[[x$kind]],
    if (x$kind == "query") x$name else format_path(x$name))
  more <- nrow(x$rows) - nrow(shown)
  wrap_lines(c(
    heading,
    sprintf("%s; %s clicks, %s impressions, CTR %s, position %s",
      paste(c(span, if (is.null(x$only) || x$kind == "folder") {
        format_plural(nrow(x$rows), side, c(page = "pages", query = "queries")[[side]])
      }), collapse = ", "),
      format_count(x$total$clicks), format_count(x$total$impressions), format_rate(x$total$ctr),
      format_position(x$total$position)),
    if (!is.null(x$site)) {
      sprintf("its own totals without queries, over all days: %s clicks, %s impressions",
        format_count(x$site$clicks), format_count(x$site$impressions))
    },
    brand_line(x),
    traced_fact_lines(x$facts),
    ranking_lines(x$ranking),
    "",
    sub(" +$", "", text_line(side, "clicks", "impr.", "ctr", "pos", "share",
      if (!is.null(extra)) extra_head, if (!is.null(volume)) "volume",
      if (length(weeks)) "clicks by week" else "")),
    text_line(name_texts, format_count(shown$clicks), format_count(shown$impressions),
      format_rate(shown$ctr),
      format_position(shown$position), format_share(shown$share), extra,
      if (!is.null(volume)) format_count(volume), trends),
    if (more > 0) sprintf("... and %s more", format_count(more)),
    if (x$kind == "query" && nrow(x$rows) > 1 && !is.null(extra)) {
      c("", "led: weeks in which the page had the most clicks of them")
    }),
    width)
}

# What is known of the query or page; texts with their length, a trend as a line.
traced_fact_lines <- function(facts) {
  if (!length(facts)) return(NULL)
  shown <- vapply(names(facts), function(name) {
    value <- facts[[name]]
    if (name == "trend") return(bars(as.numeric(strsplit(value, " ")[[1]])))
    if (is.numeric(value)) return(format(value, big.mark = ",", trim = TRUE))
    sprintf("'%s'%s", value,
      if (name %in% c("title", "description")) sprintf(" (%d characters)", nchar(value)) else "")
  }, "")
  sprintf("%s: %s", gsub("_", " ", names(facts)), shown)
}

ranking_lines <- function(ranking) {
  if (is.null(ranking)) return(NULL)
  weeks <- sums_by(ranking, "week", "queries")
  sprintf("distinct queries a week: %s on average, %s in the last week  %s",
    format_count(mean(weeks$queries)), format_count(weeks$queries[nrow(weeks)]),
    bars(weeks$queries))
}

brand_line <- function(x) {
  if (is.null(x$brand)) return(NULL)
  if (x$kind == "query") return(if (x$brand) "a brand query" else "not a brand query")
  if (x$brand == 0) return("no clicks from brand queries")
  sprintf("brand queries: %s of the clicks (%s)", format_count(x$brand),
    format_share(x$brand / x$total$clicks))
}
