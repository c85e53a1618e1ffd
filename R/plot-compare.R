# Parts side by side: how each is clicked at equal position, as a ratio with its interval.

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_comparison)
autoplot.tide_comparison <- function(object, ...) {
  at <- object$parts[!is.na(object$parts$ratio)]
  if (!nrow(at)) abort_tide("These parts are not compared at equal position.", where = object$by,
    fix = "Split by something else than position.", class = "figure", fault = "call")
  at <- copy(at)[, "segment" := factor(at$segment, rev(at$segment))]
  at[, "label" := sprintf("CTR %s; %s of clicks", format_rate(at$ctr),
    format_share(at$click_share))]
  ggplot2::ggplot(at, ggplot2::aes(.data$ratio, .data$segment)) +
    ggplot2::geom_vline(xintercept = 1, colour = ink$soft, linewidth = 0.4) +
    ggplot2::geom_segment(ggplot2::aes(x = .data$ratio_low, xend = .data$ratio_high,
    yend = .data$segment),
      colour = ink$main, linewidth = 1.1, alpha = 0.45) +
    ggplot2::geom_point(size = 2.6, colour = ink$main) +
    ggplot2::geom_text(ggplot2::aes(label = .data$label), vjust = -1, size = 3.3,
    colour = ink$soft) +
    ggplot2::scale_x_log10(labels = function(x) paste0("x", format(x, trim = TRUE)),
      expand = ggplot2::expansion(c(0.12, 0.12))) +
    ggplot2::labs(x = "CTR over that of the rest, at equal position", y = NULL,
      title = sprintf("Clicked more or less, by %s", gsub("_", " ", object$by)),
      subtitle = "point: ratio; line: its 90 % interval; right of 1 is clicked more than the rest would be in the same places") +
    tide_theme() + ggplot2::theme(axis.text.y = ggplot2::element_text(colour = ink$text),
      panel.grid.major.y = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_line(colour = ink$rule, linewidth = 0.3))
}

#' @rdname tide_figures
#' @rawNamespace S3method(plot, tide_comparison)
plot.tide_comparison <- function(x, ...) {
  print(ggplot2::autoplot(x, ...))
  invisible(x)
}
