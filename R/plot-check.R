# One figure that shows whether the curve fits: residuals over position, where two of three should
# lie between the lines.

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_curve_check)
autoplot.tide_curve_check <- function(object, ...) {
  at <- copy(object$residuals)[, "class" :=
    findInterval(log(position), seq(0, log(100), length.out = 16))]
  middle <- at[, .(position = exp(mean(log(position))), mean = mean(residual),
    low = stats::quantile(residual, 1 / 6),
    high = stats::quantile(residual, 5 / 6), n = .N), by = "class"]
  middle <- middle[middle$n >= 8]
  ggplot2::ggplot(at, ggplot2::aes(.data$position, .data$residual)) +
    ggplot2::geom_hline(yintercept = c(-1, 1), colour = ink$soft, linewidth = 0.3, linetype = 2) +
    ggplot2::geom_hline(yintercept = 0, colour = ink$soft, linewidth = 0.4) +
    ggplot2::geom_point(ggplot2::aes(size = .data$expected), colour = ink$plain, alpha = 0.6,
    shape = 16) +
    ggplot2::geom_linerange(data = middle,
    ggplot2::aes(y = .data$mean, ymin = .data$low, ymax = .data$high),
      colour = ink$main, linewidth = 1) +
    ggplot2::geom_point(data = middle, ggplot2::aes(y = .data$mean), colour = ink$main,
    size = 2.4) +
    ggplot2::scale_size_area(max_size = 5, guide = "none") +
    ggplot2::scale_x_log10(breaks = c(1, 2, 3, 5, 10, 20, 50)) +
    ggplot2::labs(x = "average position", y = "residual",
    title = sprintf("Does the curve fit? (%s)", object$segment),
      subtitle = "grey: pairs, by expected clicks; blue: mean and middle two thirds, which should reach from -1 to 1") +
    tide_theme()
}

#' @rdname tide_figures
#' @rawNamespace S3method(plot, tide_curve_check)
plot.tide_curve_check <- function(x, ...) {
  print(ggplot2::autoplot(x, ...))
  invisible(x)
}
