# The inventory as text and table.

#' @rdname tide_inventory
#' @param x,object A `tide_inventory` object.
#' @param ... Not used.
#' @export
tidy.tide_inventory <- function(x, ...) tibble::as_tibble(x$rows)

#' @rdname tide_inventory
#' @export
summary.tide_inventory <- function(object, ...) tibble::as_tibble(object$total)

#' @export
format.tide_inventory <- function(x, n = 20, width = 80, ...) {
  rows <- utils::head(x$rows, n)
  trend <- inventory_trend(x, nrow(rows))
  columns <- inventory_cells(x, rows)
  under <- if (!is.null(x$beneath)) inventory_cells(x, x$beneath[x$beneath$page %in% rows$page])
  wide <- vapply(names(columns), function(of) {
    max(nchar(c(of, columns[[of]], under[[of]]), "width")) + 2L
  }, 0L)
  weeks <- if (!is.null(trend)) format_plural(ncol(x$weekly), "week")
  shown_trend <- if (is.null(trend)) 0L else max(nchar(c(weeks, trend))) + 2L
  # What a narrow terminal cannot hold goes, the least needed first.
  for (of in intersect(c("searches", "pages", "queries", "exp."), names(columns))) {
    if (sum(wide) + shown_trend + 16 <= width) break
    columns[[of]] <- NULL
    wide <- wide[names(wide) != of]
  }
  name <- inventory_names(x, rows)
  free <- name_width(c(name, paste0("  ", x$beneath$query)), width - sum(wide) - shown_trend)
  fit <- if (x$by %in% c("page", "pair")) fit_path else fit_text
  text_line <- function(name, cells, trend) {
    sub(" +$", "", paste0(name, paste(pad_left(cells, wide), collapse = ""),
      if (!is.null(trend)) paste0("  ", trend)))
  }
  of_row <- function(i) {
    c(text_line(fit(name[i], free), vapply(columns, `[`, "", i), trend[i]),
      beneath_lines(x, rows$page[i], columns, text_line, free))
  }
  c(
    wrap_lines(inventory_head(x), width),
    "",
    text_line(fit_text(gsub("_", " ", x$by), free), names(columns), weeks),
    unlist(lapply(seq_len(nrow(rows)), of_row)),
    if (nrow(x$rows) > n) sprintf("... and %s more", format_count(nrow(x$rows) - n)),
    if (length(x$would_add)) c("", wrap_lines(x$would_add, width)),
    if (NROW(x$left_out)) wrap_lines(left_out_lines(x$left_out), width))
}

# What stands above the table: how much it is, of which days, how much of all that is.
inventory_head <- function(x) {
  many <- function(word) if (word == "query") "queries" else paste0(gsub("_", " ", word), "s")
  of <- if (is.null(x$of)) "the brand" else sprintf("\"%s\"", paste(x$of, collapse = "\" or \""))
  what <- switch(x$by, modifier = paste("words with", of), pair = "pairs of query and page",
    country = "countries", many(x$by))
  c(
    sprintf("%s %s, %s: %s clicks, %s impressions, CTR %s%s", format_count(nrow(x$rows)), what,
      if (!is.na(x$to)) {
        format_days(x$from, x$to)
      } else if (is.null(x$days)) {
        "no dates"
      } else {
        sprintf("no dates, taken as %s", format_plural(x$days, "day"))
      }, format_count(x$total$clicks),
      format_count(x$total$impressions), format_rate(x$total$ctr),
      if (is.na(x$total$position)) {
        ""
      } else {
        paste0(", position ", format_position(x$total$position))
      }),
    if (!is.null(x$total[["lost"]])) {
      sprintf("lost: %s clicks against %s%s", format_count(x$total$lost), target_words(x),
        if (is.na(x$coverage)) "" else sprintf("; coverage: %s of the site's clicks",
          format_share(x$coverage)))
    } else if (!is.na(x$coverage)) {
      sprintf("coverage: %s of the site's clicks", format_share(x$coverage))
    },
    private_words(x$queries_known))
}

# What tables of pages say of private queries; nothing of others.
private_words <- function(queries_known) {
  if (is.null(queries_known)) return(NULL)
  sprintf("private queries are in: %s of these clicks have a query that is known",
    format_share(queries_known))
}

target_words <- function(x) {
  if (is.null(x$against$ctr)) {
    sprintf("the CTR of position %g", x$against$target)
  } else {
    sprintf("a CTR of %s", format_rate(x$against$ctr))
  }
}

# What the columns mean.
inventory_legend <- function(x) {
  c(
    if (!is.null(x$rows[["expected_ctr"]])) {
      "exp.: CTR that the site's curve gives at these positions, whatever the filter."
    },
    if (!is.null(x$total[["lost"]])) {
      sprintf(paste("lost: impressions x %s, less clicks: what the place would bring, not what can",
        "be had."), target_words(x))
    },
    if (identical(x$impressions_of, "pages")) {
      "impr.: of a query, the largest of its pages' impressions each day."
    },
    if (!is.null(x$weekly)) "weeks: clicks by week, the last one on the right.",
    if (!is.na(x$coverage)) {
      sprintf("coverage: the rest of the site's clicks is %s.",
        if (x$by == "modifier") "without these words, or private" else "private")
    },
    if (!is.null(x$rows[["change"]])) {
      sprintf("change: clicks less those of the %s%s.",
        if (x$by %in% times) paste(x$by, "before") else "earlier window",
        if (is.null(x$rows[["change_year"]])) "" else "; on year: less those a year before")
    },
    if (!is.null(x$rows[["own_page"]])) {
      paste("own page: whether the leading page's address or title names it; \"exists\" where",
        "another page does, and this one leads.")
    },
    if (length(x$windows)) {
      sprintf("%s: clicks of the last days less those of as many before.",
        paste(sprintf("%+dd", x$windows), collapse = ", "))
    })
}

inventory_names <- function(x, rows) {
  switch(x$by, page = format_path(rows$page),
    pair = paste(rows$query, format_path(rows$page), sep = " | "), rows[[x$by]])
}

inventory_trend <- function(x, n) {
  if (is.null(x$weekly)) return(NULL)
  vapply(seq_len(n), function(i) bars(unlist(x$weekly[i])), "")
}

# The leading queries of a page, with those figures that a pair has in the same columns.
beneath_lines <- function(x, page, columns, line, free) {
  if (is.null(x$beneath)) return(NULL)
  rows <- which(x$beneath$page == page)
  if (!length(rows)) return(NULL)
  cells <- inventory_cells(x, x$beneath[rows])[names(columns)]
  vapply(seq_along(rows), function(i) {
    line(fit_text(paste0("  ", x$beneath$query[rows[i]]), free),
      vapply(cells, function(of) if (is.null(of)) "" else of[i], ""), NULL)
  }, "")
}

# Cells of each column, by its head; what the rows are sorted by is among them.
inventory_cells <- function(x, rows) {
  windows <- if (!is.null(rows[[paste0("change_", x$windows[1])]])) x$windows
  short_columns <- function(names) shown_columns(rows, names, heads = "short")
  last <- c("own_page", "volume", "value", "trend")
  # Changes over windows have heads of their own.
  sorted <- setdiff(x$sort, c(last, paste0("change_", x$windows)))
  if (length(sorted) && !is.numeric(rows[[sorted]])) sorted <- NULL
  c(
    short_columns(unique(c("clicks", "impressions", "ctr", "expected_ctr", "lost", "position",
      "queries", if (x$by != "modifier") "pages", "days", "change", "change_year", sorted))),
    stats::setNames(lapply(windows, function(days) {
      column_text("change", rows[[paste0("change_", days)]])
    }), if (length(windows)) sprintf("%+dd", windows)),
    shown_columns(rows, last, heads = "short",
      text = own_page_text(rows)))
}

# A page that names the modifier may be there and be outranked.
own_page_text <- function(rows) {
  if (is.null(rows[["own_page"]])) return(list())
  outranked <- rows$own_page %in% FALSE & nzchar(rows$named_page)
  list(own_page = ifelse(outranked, sprintf("exists, %s leads",
    trimws(fit_text(format_path(rows$page), 20))), column_text("own_page", rows$own_page)))
}
