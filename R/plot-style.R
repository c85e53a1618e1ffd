# One look for all figures: quiet paper, thin rules, labels at the lines instead of legends. Colours
# differ in lightness as well as hue, and every kind has a shape of its own, so nothing rests on
# colour alone.

ink <- list(text = "#22303c", soft = "#5d6b78", rule = "#dfe4e8", plain = "#b9c2ca",
  main = "#1f4e79",
  second = "#b8651b")

segment_colours <- c(all = ink$main, `non-brand` = ink$main, brand = ink$second)
kind_colours <- c(low_ctr = "#b23a2e", striking_distance = "#1f7a8c", cannibalized = "#5b3a8c",
  falling = "#8a6d00",
  rising = "#2f7d32", tail_demand = "#00695c", new_page = "#455a64")
kind_shapes <- c(low_ctr = 25, striking_distance = 21, cannibalized = 23, falling = 6, rising = 24,
  tail_demand = 22,
  new_page = 3)

tide_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) + ggplot2::theme(
    text = ggplot2::element_text(colour = ink$text),
    axis.text = ggplot2::element_text(colour = ink$soft),
    axis.title = ggplot2::element_text(colour = ink$soft, size = ggplot2::rel(0.9)),
    panel.grid.minor = ggplot2::element_blank(),
    panel.grid.major.x = ggplot2::element_blank(),
    panel.grid.major.y = ggplot2::element_line(colour = ink$rule, linewidth = 0.3),
    plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.1)),
    plot.subtitle = ggplot2::element_text(colour = ink$soft),
    plot.caption = ggplot2::element_text(colour = ink$soft, hjust = 0),
    plot.title.position = "plot", plot.caption.position = "plot",
    plot.background = ggplot2::element_rect(fill = "white", colour = NA)
  )
}

# CTR on a log axis: position 1 and position 20 differ fiftyfold, and both matter.
ctr_axis <- function() {
  ggplot2::scale_y_log10(breaks = c(0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5,
    1),
    labels = function(x) sub("\\.0%$", "%", format_rate(x)))
}

position_axis <- function(until) {
  ggplot2::scale_x_log10(breaks = c(1, 2, 3, 4, 5, 7, 10, 15, 20, 30, 50, 100),
    limits = c(1, until * 1.12),
    expand = ggplot2::expansion(c(0.03, 0.02)))
}

# Bands of position, the best darkest.
band_shades <- function(bands) stats::setNames(grDevices::colorRampPalette(c(ink$main,
  "#c9d6e2"))(nlevels(bands)),
  levels(bands))
