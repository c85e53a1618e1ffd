# Pages over time: one page large, several as small multiples.

#' @rdname tide_figures
#' @details `autoplot()` of a `tide_follow` object: `type` is `positions` (of the leading
#'   queries; of one page each is named, of several pages the first of each), `ctr`
#'   (against what the curve expects at these positions) or `queries` (distinct, by band).
#'   Weeks without a row are gaps; dashed lines are events.
#' @rawNamespace S3method(ggplot2::autoplot, tide_follow)
autoplot.tide_follow <- function(object, type = c("positions", "ctr", "queries"), ...) {
  type <- check_choice(type, c("positions", "ctr", "queries"), "type")
  figure <- switch(type, positions = positions_figure(object),
    ctr = ctr_figure(object), queries = bands_figure(object))
  marks <- event_marks(object$events[object$events$here], object$from, object$to)
  figure + marks$layers + ggplot2::labs(caption = marks$caption) + tide_theme() +
    ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, colour = ink$text),
      panel.spacing.x = grid::unit(14, "pt"))
}

path_labels <- function(pages) {
  factor(fit_label(format_path(pages), 34), unique(fit_label(format_path(pages), 34)))
}

panels <- function(pages) {
  if (length(unique(pages)) > 1) {
    ggplot2::facet_wrap("panel", ncol = if (length(unique(pages)) > 4) 3 else 2)
  }
}

follow_title <- function(followed, what) {
  pages <- unique(followed$pages$page)
  if (length(pages) == 1) {
    sprintf("%s: %s", format_path(pages), what)
  } else {
    sprintf("%s, %d pages", sub("^(.)", "\\U\\1", what, perl = TRUE), length(pages))
  }
}

positions_figure <- function(followed) {
  lines <- copy(followed$lines)
  pages <- unique(followed$pages$page)
  lines[, c("panel", "at", "value") :=
    list(factor(path_labels(pages)[match(page, pages)]), as.Date(period), -log(position))]
  named <- if (length(pages) == 1) 4L else 1L
  lead <- lines[lines$rank <= named & !is.na(lines$value)]
  lead[, "colour" := line_colours[rank]]
  ends <- last_by(lead, c("page", "query"), "at")
  deepest <- min(lines$value, na.rm = TRUE)
  if (length(pages) == 1) {
    ends[, "value" := spread_apart(value, diff(range(lines$value, na.rm = TRUE)) / 16)]
  }
  span <- as.numeric(as.Date(followed$to) - as.Date(followed$from))
  label <- if (length(pages) == 1) {
    list(ggplot2::geom_text(data = ends, ggplot2::aes(label = fit_label(.data$query, 30),
      colour = .data$colour, x = as.Date(followed$to)),
      hjust = 0, nudge_x = span / 60, size = 3.5),
      ggplot2::scale_x_date(expand = ggplot2::expansion(c(0.02, 0.3))))
  } else {
    list(ggplot2::geom_text(data = ends, ggplot2::aes(label = fit_label(.data$query, 30),
      x = as.Date(followed$from), y = deepest, colour = .data$colour),
      hjust = 0, vjust = 0, size = 3.1),
      month_axis(followed$from, followed$to, ggplot2::expansion(0.02)))
  }
  gaps <- unbroken(lines, c("page", "query"))
  ggplot2::ggplot(gaps, ggplot2::aes(.data$at, .data$value)) +
    stretch_lines(gaps[gaps$rank > named], linewidth = 0.35, colour = ink$plain) +
    stretch_lines(gaps[gaps$rank <= named],
      ggplot2::aes(group = .data$stretch, colour = line_colours[.data$rank])) +
    (if (length(unique(lines$at)) <= 40) {
      ggplot2::geom_point(data = lead, ggplot2::aes(colour = .data$colour), size = 1)
    }) + label + ggplot2::scale_colour_identity() + ggplot2::scale_y_continuous(
      breaks = -log(c(1, 2, 3, 5, 10, 20, 50, 100)),
      labels = function(x) format(round(exp(-x)), trim = TRUE)) + panels(pages) +
    ggplot2::labs(x = NULL, y = NULL,
      title = follow_title(followed, "positions of leading queries"),
      subtitle = sprintf("by %s; position 1 is on top%s", followed$by,
        if (length(pages) > 1) "; blue: the query that leads the page, grey: the next" else ""))
}

ctr_figure <- function(followed) {
  pages <- unique(followed$pages$page)
  own <- copy(followed$pages)
  own[, c("panel", "at") := list(factor(path_labels(pages)[match(page, pages)]), as.Date(period))]
  long <- rbind(data.table(own[, c("page", "panel", "at")], query = "CTR", value = own$ctr),
    data.table(own[, c("page", "panel", "at")], query = "expected", value = own$expected_ctr))
  gaps <- unbroken(long, c("page", "query"))
  ends <- last_by(gaps, c("page", "query"), "at")
  ends[, "value" := spread_apart(value, max(gaps$value) / if (length(pages) > 1) 9 else 16),
    by = "page"]
  # Names that were moved apart stay above nothing, where the panel ends.
  ends[, "value" := value - min(0, value, na.rm = TRUE), by = "page"]
  colours <- c(CTR = ink$main, expected = ink$soft)
  ggplot2::ggplot(gaps, ggplot2::aes(.data$at, .data$value)) +
    stretch_lines(gaps[gaps$query == "expected"], linewidth = 0.5, linetype = "42",
      colour = ink$soft) + stretch_lines(gaps[gaps$query == "CTR"], colour = ink$main) +
    ggplot2::geom_text(data = ends,
      ggplot2::aes(label = .data$query, colour = colours[.data$query]), hjust = 0,
      nudge_x = as.numeric(followed$to - followed$from) / 60, size = 3.1) +
    ggplot2::scale_colour_identity() + month_axis(followed$from, followed$to,
      ggplot2::expansion(c(0.02, if (length(pages) > 1) 0.28 else 0.12))) +
    ggplot2::scale_y_continuous(labels = format_rate, limits = c(0, NA)) + panels(pages) +
    ggplot2::labs(x = NULL, y = NULL,
      title = follow_title(followed, "CTR against what the curve expects"),
      subtitle = sprintf("by %s; expected: CTR of the site's curve at these positions",
        followed$by))
}

bands_figure <- function(followed) {
  pages <- unique(followed$pages$page)
  bands <- copy(followed$bands)
  bands[, c("panel", "at") := list(factor(path_labels(pages)[match(page, pages)]), as.Date(period))]
  ggplot2::ggplot(bands, ggplot2::aes(.data$at, .data$queries)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$band),
      width = if (followed$by == "week") 6 else 1) +
    ggplot2::scale_fill_manual(values = band_shades(bands$band), name = "position") +
    month_axis(followed$from, followed$to, ggplot2::expansion(0.02)) +
    ggplot2::scale_y_continuous(labels = scales::label_comma(),
      expand = ggplot2::expansion(c(0, 0.05))) + panels(pages) +
    ggplot2::labs(x = NULL, y = NULL,
      title = follow_title(followed, sprintf("distinct queries by %s", followed$by)),
      subtitle = "each query in the band of its position in that time")
}
