# What every result answers: its class ends in `tide_result`. format() and tidy() are each class's
# own, autoplot() where there is something to draw.

#' @export
print.tide_result <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

# Names of queries and pages come from elsewhere: signs that would be obeyed are shown.
print_lines <- function(lines) cat(visible_text(lines), sep = "\n")

#' @export
as.data.frame.tide_result <- function(x, row.names = NULL, optional = FALSE, ...) {
  as.data.frame(tidy(x, ...), row.names = row.names, optional = optional)
}

#' @rdname tide_figures
#' @export
plot.tide_result <- function(x, ...) {
  print(ggplot2::autoplot(x, ...))
  invisible(x)
}
