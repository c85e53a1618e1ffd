# plot() of every class that draws shows its autoplot().

plot_drawn <- function(x, ...) {
  print(ggplot2::autoplot(x, ...))
  invisible(x)
}

#' @rdname tide_figures
#' @export
plot.tide_comparison <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_curve <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_curve_check <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_findings <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_follow <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_change <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_forecast <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_pages <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_summary <- plot_drawn

#' @rdname tide_figures
#' @export
plot.tide_trace <- plot_drawn
