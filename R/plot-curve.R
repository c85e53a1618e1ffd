#' Figures
#'
#' `autoplot()` on a curve draws CTR by position with its interval as bars, and the simple average
#' CTR of the data as circles; of more than two segments a line each. On an inventory by day, week
#' or month it draws clicks, impressions, CTR and position over time. On findings it draws the
#' opportunity map: every pair at its position and CTR, the curve behind them, findings marked by
#' kind and shape, the first of the list named. On a trace it draws the weeks, on a comparison each
#' part at equal position; on [tide_compare()] why clicks changed. `plot()` draws the same on the
#' current device.
#'
#' @param object,x A `tide_curve`, `tide_inventory`, `tide_findings`, `tide_trace`,
#'   `tide_comparison` or
#'   `tide_change` object.
#' @param until Last position shown.
#' @param axes Of a curve: `plain` (bars with their values) or `log` (lines on logarithmic axes, on
#'   which far places can be read).
#' @param events Dated marks, see [tide_events()].
#' @param unusual Days to mark, from [tide_unusual()].
#' @param named How many findings are named on the map, where a name crosses nothing.
#' @param grey How many of the other pairs are drawn on the map, those with the most impressions.
#' @param ... Not used.
#' @return A ggplot object; `plot()` returns its argument invisibly.
#' @name tide_figures
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' plot(found$curve)
#' plot(found)
NULL

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_curve)
autoplot.tide_curve <- function(object, until = 20, axes = "plain", ...) {
  check_number(until, "until", min = 2, max = 100)
  axes <- check_choice(axes, c("plain", "log"), "axes")
  if (axes == "log") return(curve_on_log_axes(object, until))
  rows <- curve_table(object, floor(until))
  rows <- rows[rows$segment %in% seen_segments(object)]
  # A bar needs evidence at its place.
  rows <- rows[rows$pairs > 0 | rows$position <= 2]
  set(rows, j = "segment", value = factor(rows$segment, unique(rows$segment)))
  many <- nlevels(rows$segment) > 2
  figure <- ggplot2::ggplot(rows, ggplot2::aes(.data$position, .data$ctr)) +
    ggplot2::scale_x_continuous(breaks = seq_len(until), minor_breaks = NULL) +
    ggplot2::scale_y_continuous(labels = scales::label_percent(accuracy = 1),
      limits = c(0, NA), expand = ggplot2::expansion(c(0, 0.12))) +
    ggplot2::labs(x = "position", y = "CTR", title = "What this site earns at each position") +
    tide_theme()
  if (many) return(figure + parts_layers(rows))
  figure +
    ggplot2::geom_col(fill = ink$main, alpha = 0.35, width = 0.75) +
    ggplot2::geom_linerange(ggplot2::aes(ymin = .data$ctr_low, ymax = .data$ctr_high),
      colour = ink$main, linewidth = 0.5) +
    ggplot2::geom_point(data = rows[rows$pivot_ctr > 0], ggplot2::aes(y = .data$pivot_ctr),
      shape = 21, size = 2, colour = ink$text, fill = "white") +
    ggplot2::geom_text(ggplot2::aes(y = pmax(.data$ctr_high, .data$pivot_ctr, na.rm = TRUE),
      label = format_rate(.data$ctr)), vjust = -0.9, size = 3, colour = ink$text) +
    (if (nlevels(rows$segment) > 1) {
      ggplot2::facet_wrap("segment", ncol = 1, scales = "free_y")
    }) +
    ggplot2::labs(subtitle = sprintf(
      "bars: fitted curve with its %s interval; circles: simple average CTR",
      format_share(object$level))) +
    ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, colour = ink$text))
}

# Parts side by side: a line each, named with what it has at the first place.
parts_layers <- function(rows) {
  first <- rows[rows$position == min(rows$position)]
  named <- stats::setNames(sprintf("%s (%s at %s)", first$segment, format_rate(first$ctr),
    format_place(min(rows$position))), as.character(first$segment))
  colours <- rep_len(part_colours, nlevels(rows$segment))
  list(
    ggplot2::geom_line(ggplot2::aes(colour = .data$segment), linewidth = 0.9),
    ggplot2::geom_point(ggplot2::aes(colour = .data$segment), size = 1.6),
    ggplot2::scale_colour_manual(values = stats::setNames(colours, levels(rows$segment)),
      labels = function(x) fcoalesce(unname(named[x]), x), name = NULL),
    ggplot2::labs(subtitle = "fitted curves of the parts"),
    ggplot2::theme(legend.position = "top", legend.justification = "left"))
}

curve_on_log_axes <- function(object, until) {
  one_line <- curve_table(object, until, sort(unique(c(seq(1, until, by = 0.1), seq_len(until)))))
  one_line <- one_line[one_line$segment %in% seen_segments(object)]
  points <- object$evidence[object$evidence$position <= until & object$evidence$pivot_ctr > 0]
  # A line ends where its data end: beyond, the interval would tell more about the prior than about
  # the site.
  last <- object$evidence[, .(last = max(0, position[pairs >= 3])), by = "segment"]
  one_line <- one_line[
    one_line$position <= pmax(2, last$last[match(one_line$segment,
      last$segment)]) | one_line$position <= 2]
  ends <- last_by(one_line, "segment", "position")
  least_value <- min(one_line$ctr, points$pivot_ctr) / 1.6
  one_line[, "ctr_low" := pmax(one_line$ctr_low, least_value)]
  ggplot2::ggplot(one_line,
    ggplot2::aes(.data$position, .data$ctr, colour = .data$segment, fill = .data$segment)) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$ctr_low, ymax = .data$ctr_high), alpha = 0.15,
      colour = NA) + ggplot2::geom_point(data = points,
      ggplot2::aes(y = .data$pivot_ctr, size = .data$pairs), shape = 21, alpha = 0.45) +
    ggplot2::geom_line(linewidth = 0.9) + ggplot2::geom_text(data = ends,
      ggplot2::aes(label = .data$segment), hjust = 0, nudge_x = 0.01, size = 3.6) +
    ggplot2::scale_colour_manual(values = segment_colours, aesthetics = c("colour", "fill"),
      guide = "none") + ggplot2::scale_size_area(max_size = 6, guide = "none") +
    position_axis(until * 1.25) + ctr_axis() + ggplot2::coord_cartesian(ylim = c(least_value, 1)) +
    ggplot2::labs(x = "average position", y = "CTR",
      title = "What this site earns at each position",
      subtitle = sprintf(paste(
        "line: fitted curve with its %s interval; points: simple average CTR, larger",
        "where more pairs stand"),
        format_share(object$level))) + tide_theme()
}

# One figure that shows whether the curve fits: residuals over position, where two of three should
# lie between the lines.

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_curve_check)
autoplot.tide_curve_check <- function(object, ...) {
  at <- copy(object$residuals)[,
    "class" := findInterval(log(position), seq(0, log(100), length.out = 16))]
  middle <- at[, .(position = exp(mean(log(position))), mean = mean(residual),
    low = stats::quantile(residual, 1 / 6), high = stats::quantile(residual, 5 / 6), n = .N),
    by = "class"]
  middle <- middle[middle$n >= 8]
  ggplot2::ggplot(at, ggplot2::aes(.data$position, .data$residual)) +
    ggplot2::geom_hline(yintercept = c(-1, 1), colour = ink$soft, linewidth = 0.3, linetype = 2) +
    ggplot2::geom_hline(yintercept = 0, colour = ink$soft, linewidth = 0.4) +
    ggplot2::geom_point(ggplot2::aes(size = .data$expected), colour = ink$plain, alpha = 0.6,
      shape = 16) + ggplot2::geom_linerange(data = middle,
      ggplot2::aes(y = .data$mean, ymin = .data$low, ymax = .data$high), colour = ink$main,
      linewidth = 1) + ggplot2::geom_point(data = middle, ggplot2::aes(y = .data$mean),
      colour = ink$main, size = 2.4) + ggplot2::scale_size_area(max_size = 5, guide = "none") +
    ggplot2::scale_x_log10(breaks = c(1, 2, 3, 5, 10, 20, 50)) +
    ggplot2::labs(x = "average position", y = "residual",
      title = sprintf("Does the curve fit? (%s)", object$segment),
      subtitle = paste("grey: pairs, by expected clicks; blue: mean and middle two thirds, which",
        "should reach from -1 to 1")) + tide_theme()
}
