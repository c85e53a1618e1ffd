# Where pages lie: clicks from the home page against the clicks they earn.

#' @rdname tide_figures
#' @param summary For pages: a `tide_summary` object, for the clicks they earn.
#' @rawNamespace S3method(ggplot2::autoplot, tide_pages)
autoplot.tide_pages <- function(object, summary, named = 6, ...) {
  check_class(summary, "tide_summary", "summary")
  check_number(named, "named", min = 0)
  shown <- sums_of_pages(summary)
  own <- object$pages
  at <- match(own$key, shown$key)
  rows <- data.table(page = format_path(own$page), depth = own$depth,
    clicks = fcoalesce(shown$clicks[at], 0) * per_month(summary))
  deepest <- max(rows$depth, 0L, na.rm = TRUE)
  rows[, "column" := fcoalesce(rows$depth, deepest + 1L)]
  # Pages of one column stand beside each other, in a fixed order.
  rows[, "aside" := (rank(page, ties.method = "first") / .N - 0.5) * 0.7, by = "column"]
  middle <- rows[, list(clicks = stats::median(clicks), pages = .N), by = "column"]
  label <- utils::head(rows[order(-rows$clicks)][column > 3 | is.na(depth)], named)
  label_texts <- c(seq(0, deepest), "not reached")
  lonely <- any(is.na(rows$depth))
  ggplot2::ggplot(rows, ggplot2::aes(.data$column, .data$clicks + 1)) +
    ggplot2::geom_point(ggplot2::aes(x = .data$column + .data$aside), colour = ink$main,
      alpha = 0.45, size = 1.6) +
    ggplot2::geom_segment(data = middle, ggplot2::aes(x = .data$column - 0.38,
      xend = .data$column + 0.38, yend = .data$clicks + 1), colour = ink$second, linewidth = 1) +
    ggplot2::geom_text(data = label, ggplot2::aes(x = .data$column + .data$aside,
      label = .data$page), size = 3.1, hjust = 1.05, colour = ink$text, check_overlap = TRUE) +
    ggplot2::scale_x_continuous(breaks = seq(0, deepest + lonely),
      labels = sprintf("%s\n%s", label_texts[seq_len(deepest + 1 + lonely)],
        format_plural(middle$pages[match(seq(0, deepest + lonely), middle$column)], "page"))) +
    ggplot2::scale_y_log10(breaks = c(1, 11, 101, 1001, 10001),
      labels = c("0", "10", "100", "1,000", "10,000")) +
    ggplot2::labs(x = "clicks from the home page", y = "clicks per 30 days",
      title = "How deep pages lie, and what they earn",
      subtitle = "a dot for each page; line: the median; named: deep pages that earn most") +
    tide_theme()
}
