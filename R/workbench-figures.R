# The pages that are figures: the curve, and the map of findings on it.

curve_view <- function(held, state) {
  curve <- held$findings$curve
  name_texts <- seen_segments(curve)
  shown <- if (state$segment %in% name_texts) state$segment else name_texts
  evidence <- curve$evidence[curve$evidence$segment %in% shown & curve$evidence$pivot_ctr > 0]
  until <- 30
  x <- figure_scale(c(1, until), c(60, 880), log = TRUE)
  # A line ends where its data end.
  one_line <- rbindlist(lapply(shown, function(name) {
    own <- curve$evidence[curve$evidence$segment == name & curve$evidence$pairs >= 3]
    last <- min(until, max(2, own$position))
    curve_at(curve, exp(seq(0, log(last), length.out = 90)), name)
  }))
  y <- figure_scale(c(max(0.0005, min(one_line$ctr) / 1.5), min(1, max(one_line$ctr_high) * 1.1)),
    c(420, 12), log = TRUE)
  css_class <- c("line", "line second", "line third")
  drawn <- vapply(seq_along(shown), function(i) {
    own <- one_line[one_line$segment == shown[i]]
    points <- evidence[evidence$segment == shown[i] & evidence$position <= until]
    last_at <- nrow(own)
    paste0(ribbon_of(x$at(own$position), y$at(own$ctr_low), y$at(own$ctr_high), "ribbon"),
      paste(sprintf("<circle class='pivot%s' cx='%s' cy='%s' r='%s'><title>%s</title></circle>",
        if (i > 1) " second" else "", x$at(points$position), y$at(points$pivot_ctr),
        round(2 + 5 * sqrt(points$pairs / max(evidence$pairs)), 1), escape(sprintf(
          "%s, position %s: pivot %s of %s", shown[i], format_place(points$position),
          format_rate(points$pivot_ctr), format_plural(points$pairs, "pair")))), collapse = ""),
      svg_path(x$at(own$position), y$at(own$ctr), css_class[min(i, 3)]),
      sprintf("<text x='%s' y='%s' text-anchor='end'>%s</text>", x$at(own$position[last_at]),
        y$at(own$ctr_high[last_at]) - 8, escape(shown[i])))
  }, "")
  tbl <- setDT(as.data.frame(tidy(curve)))
  tbl <- tbl[tbl$segment %in% shown & tbl$position %in% c(1:10, 15, 20)]
  sprintf(paste0("<h1 tabindex='-1'>CTR by position</h1><p class='soft'>Lines: what this site ",
    "earns at each position, with the %s interval. Circles: simple average CTR. Drag over a ",
    "region to list its queries.</p>%s%s%s"),
    format_share(curve$level),
    if (length(name_texts) > 1) {
      select_box("segment", "Segment", c("", name_texts), c("all", name_texts), state$segment)
    } else {
      ""
    },
    figure_svg(x, y, paste(drawn, collapse = ""), position_ticks, ctr_ticks,
      format(position_ticks), format_rate(ctr_ticks),
      "CTR by position with interval and pivot", brush = "position", height = 450),
    html_table(shown_columns(tbl, c("segment", "position", "ctr", "ctr_low", "ctr_high"),
      text = list(position = format_place(tbl$position))), look = "data narrow"))
}

# Marks beyond these would hide each other.
marks_most <- 1500L

map_view <- function(held, state) {
  tasks <- chosen_tasks(held, state)$tasks
  if (!nrow(tasks)) return(empty_state("No task to draw.", "Take a filter of the list away."))
  until <- 30
  pairs <- held$findings$pairs
  pairs <- pairs[pairs$tested & pairs$position <= until & pairs$impressions >= 10]
  pairs <- utils::head(pairs[order(-pairs$impressions)], marks_most)
  shown_rate <- function(clicks, impressions) (clicks + 0.5) / (impressions + 1)
  tasks <- tasks[tasks$position <= until]
  tasks <- utils::head(tasks[order(-tasks$gain)], marks_most)
  rate <- shown_rate(tasks$clicks, tasks$impressions)
  others <- shown_rate(pairs$clicks, pairs$impressions)
  one_line <- curve_at(held$findings$curve, exp(seq(0, log(until), length.out = 90)),
    setdiff(names(held$findings$curve$fits), "brand")[1])
  x <- figure_scale(c(1, until), c(60, 880), log = TRUE)
  y <- figure_scale(c(max(0.0003, min(rate, one_line$ctr) / 1.5),
    min(1, max(rate, one_line$ctr) * 1.3)),
    c(440, 12), log = TRUE)
  size <- round(3 + 9 * sqrt(pmax(tasks$gain, 0) / max(tasks$gain, 1e-9)), 1)
  in_order <- order(-size)
  marks <- sprintf(paste0("<g class='mark %s' tabindex='-1' %s><title>%s</title>%s</g>"),
    tasks$kind, go_each("line", "id", tasks$id), escape(sprintf(
      "%s. %s, %s: position %s, +%s clicks a month", tasks$rank, tasks$query,
      kind_label(tasks$kind), format_position(tasks$position), format_clicks(tasks$gain))),
    kind_mark(tasks$kind, x$at(tasks$position), y$at(rate), size))
  counts <- table(tasks$kind)
  counts <- counts[intersect(names(finding_kinds()), names(counts))]
  sprintf(paste0("<h1 tabindex='-1'>Opportunity map</h1><p class='soft'>Each mark is a task (the ",
    "%s with most gain), ",
    "larger where more clicks are to be won; the line is the curve, dots are all tested pairs. ",
    "Click a mark to open it, drag over a region to list its queries.</p>",
    "<p class='legend'>%s</p>%s"),
    format_count(nrow(tasks)), paste(sprintf("<span class='kind %s'>%s (%d)</span>", names(counts),
      escape(kind_label(names(counts))), as.integer(counts)), collapse = " "),
    figure_svg(x, y, paste0(paste(sprintf("<circle class='dot' cx='%s' cy='%s' r='1.2'></circle>",
      x$at(pairs$position), y$at(others)), collapse = ""),
      svg_path(x$at(one_line$position), y$at(one_line$ctr), "line"),
      paste(marks[in_order], collapse = "")),
      position_ticks, ctr_ticks, format(position_ticks), format_rate(ctr_ticks),
      "tasks by position and CTR", brush = "position", height = 470))
}

# A kind has its sign everywhere, so that nothing rests on colour alone.
kind_mark <- function(kind, x, y, r) {
  sprintf("<text x='%s' y='%s' style='font-size:%spx'>%s</text>", x, y, round(2.6 * r, 1),
    kind_fact(kind, "sign"))
}

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
  both_values <- c(values, other)
  ends <- range(both_values, na.rm = TRUE)
  if (up) ends <- c(0, ends[2])
  if (diff(ends) == 0) ends <- ends + c(-1, 1) * max(1e-6, abs(ends[1]) / 2)
  x <- round(seq(3, width - 3, length.out = length(values)), 1)
  at <- function(v) round(height - 5 - (height - 10) * (v - ends[1]) / diff(ends), 1)
  sprintf(paste0("<svg class='course' viewBox='0 0 %d %d' preserveAspectRatio='none' ",
    "role='img' aria-label='%s'>%s%s</svg>"),
    as.integer(width), as.integer(height), escape_attribute(label),
    if (is.null(other)) "" else svg_path(x, at(other), "pale"), svg_path(x, at(values), "line"))
}
