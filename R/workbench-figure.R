# Small figures as SVG, drawn here where they answer to the pointer: points with a name and a click,
# a region that can be dragged out. Figures to hand over are those of ggplot2.

# A scale from values to pixels: list(at = function, domain, log).
figure_scale <- function(domain, range, log = FALSE) {
  trans <- if (log) log10 else identity
  ends <- trans(domain)
  list(at = function(x) {
    round(range[1] + (trans(pmin(pmax(x, domain[1]), domain[2])) - ends[1]) / diff(ends) *
      diff(range), 1)
  },
    domain = domain, range = range, log = log)
}

position_ticks <- c(1, 2, 3, 5, 7, 10, 15, 20, 30, 50, 100)

ctr_ticks <- c(0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1)

# Axes, and what is drawn inside. brush: the state that a dragged region sets ("position" and "ctr"
# or "days"), "" for none.
figure_svg <- function(x, y, inside, x_ticks, y_ticks, x_labels, y_labels, label, brush = "",
    width = 900, height = 420) {
  in_domain <- function(scale, ticks) ticks >= scale$domain[1] & ticks <= scale$domain[2]
  keep_x <- in_domain(x, x_ticks)
  keep_y <- in_domain(y, y_ticks)
  sprintf(paste0("<svg class='figure' viewBox='0 0 %d %d' role='img' aria-label='%s'%s>",
    "<g class='axis'>%s%s</g>%s<rect class='brush' hidden='hidden'></rect></svg>"),
    as.integer(width), as.integer(height), escape_attribute(label),
    if (!nzchar(brush)) "" else {
      sprintf(" data-brush='%s' data-x='%s' data-y='%s'", brush, scale_facts(x), scale_facts(y))
    },
    paste(sprintf("<text x='%s' y='%s' text-anchor='middle'>%s</text>", x$at(x_ticks[keep_x]),
      y$range[1] + 16, escape(x_labels[keep_x])), collapse = ""),
    paste(sprintf(paste0("<line x1='%s' x2='%s' y1='%s' y2='%s'></line>",
      "<text x='%s' y='%s' text-anchor='end'>%s</text>"), x$range[1], x$range[2],
      y$at(y_ticks[keep_y]), y$at(y_ticks[keep_y]), x$range[1] - 6, y$at(y_ticks[keep_y]) + 4,
      escape(y_labels[keep_y])), collapse = ""),
    inside)
}

scale_facts <- function(scale) {
  sprintf("[%g,%g,%g,%g,%d]", scale$domain[1], scale$domain[2], scale$range[1], scale$range[2],
    as.integer(scale$log))
}

svg_path <- function(x, y, class, attributes = "") {
  known <- !is.na(x) & !is.na(y)
  if (!any(known)) return("")
  runs <- split(which(known), cumsum(!known)[known])
  d <- paste(vapply(runs, function(run) {
    paste0("M", paste(x[run], y[run], sep = ",", collapse = "L"))
  }, ""), collapse = "")
  sprintf("<path class='%s' d='%s' %s></path>", class, d, attributes)
}

ribbon_of <- function(x, low, high, class) {
  sprintf("<path class='%s' d='M%sL%sZ'></path>", class, paste(x, low, sep = ",", collapse = "L"),
    paste(rev(x), rev(high), sep = ",", collapse = "L"))
}

# A small course by week: one line, a second one pale where there is something to compare with.
course_svg <- function(values, label, other = NULL, up = FALSE, width = 300, height = 60) {
  if (sum(!is.na(values)) < 2) return("<p class='soft'>too few weeks</p>")
  all <- c(values, other)
  ends <- range(all, na.rm = TRUE)
  if (up) ends <- c(0, ends[2])
  if (diff(ends) == 0) ends <- ends + c(-1, 1) * max(1e-6, abs(ends[1]) / 2)
  x <- round(seq(3, width - 3, length.out = length(values)), 1)
  at <- function(v) round(height - 5 - (height - 10) * (v - ends[1]) / diff(ends), 1)
  sprintf(paste0("<svg class='course' viewBox='0 0 %d %d' preserveAspectRatio='none' ",
    "role='img' aria-label='%s'>%s%s</svg>"),
    as.integer(width), as.integer(height), escape_attribute(label),
    if (is.null(other)) "" else svg_path(x, at(other), "pale"), svg_path(x, at(values), "line"))
}
