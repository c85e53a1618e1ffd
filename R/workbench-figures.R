# The pages that are figures: the curve, and the map of findings on it.

curve_view <- function(held, state) {
  curve <- shown_curve(held, state)
  if (inherits(curve, "condition")) return(empty_state(curve$what, curve$fix))
  name_texts <- seen_segments(curve)
  shown <- if (state$segment %in% name_texts) state$segment else name_texts
  # Of devices and countries their own curves, as many as can be told apart.
  parts <- setdiff(name_texts, names(held$findings$curve$fits))
  if (length(shown) > 1 && length(parts)) shown <- utils::head(parts, 3)
  evidence <- curve$evidence[curve$evidence$segment %in% shown & curve$evidence$pivot_ctr > 0]
  in_logs <- state$axes == "log"
  until <- if (in_logs) 30 else 20
  x <- figure_scale(c(1, until), c(60, 880), log = in_logs)
  # A line ends where its data end.
  one_line <- rbindlist(lapply(shown, function(name) {
    own <- curve$evidence[curve$evidence$segment == name & curve$evidence$pairs >= 3]
    last <- min(until, max(2, own$position))
    curve_at(curve, exp(seq(0, log(last), length.out = 90)), name)
  }))
  top <- min(1, max(one_line$ctr_high) * if (in_logs) 1.1 else 1.02)
  y <- figure_scale(c(if (in_logs) max(0.0005, min(one_line$ctr) / 1.5) else 0, top), c(420, 12),
    log = in_logs)
  y_ticks <- if (in_logs) ctr_ticks else pretty(y$domain, 6)
  x_ticks <- if (in_logs) position_ticks else c(1, seq(2, until, 2))
  css_class <- c("line", "line second", "line third")
  drawn <- vapply(seq_along(shown), function(i) {
    own <- one_line[one_line$segment == shown[i]]
    points <- evidence[evidence$segment == shown[i] & evidence$position <= until]
    last_at <- nrow(own)
    paste0(ribbon_of(x$at(own$position), y$at(own$ctr_low), y$at(own$ctr_high), "ribbon"),
      paste(sprintf("<circle class='pivot%s' cx='%s' cy='%s' r='%s'><title>%s</title></circle>",
        c("", " second", " third")[min(i, 3)], x$at(points$position), y$at(points$pivot_ctr),
        round(2 + 5 * sqrt(points$pairs / max(evidence$pairs)), 1), escape(sprintf(
          "%s, position %s: pivot %s of %s", shown[i], format_place(points$position),
          format_rate(points$pivot_ctr), format_plural(points$pairs, "pair")))), collapse = ""),
      svg_path(x$at(own$position), y$at(own$ctr), css_class[min(i, 3)]),
      curve_points(curve, shown[i], own$position[last_at], x, y))
  }, "")
  tbl <- setDT(as.data.frame(tidy(curve)))
  tbl <- tbl[tbl$segment %in% shown & tbl$position %in% c(1:10, 15, 20)]
  sprintf(paste0("<h1 tabindex='-1'>CTR by position</h1><p class='soft'>Lines: what this site ",
    "earns at each position, with the %s interval; data of %s. Circles: simple average CTR. Drag ",
    "over a region to list its queries.</p><div class='tools'>%s %s %s %s</div>%s%s"),
    format_share(curve$level), data_window(curve$summary), curve_parts_box(held, state),
    if (length(name_texts) > 1) {
      select_box("segment", "Segment", c("", name_texts), c("all", name_texts), state$segment)
    } else {
      ""
    },
    select_box("axes", "Axes", c("", "log"), c("linear", "log"), state$axes),
    paste(sprintf("<span class='lead %s'>%s</span>",
      c("first", "second", "third")[pmin(seq_along(shown), 3)], escape(shown)), collapse = " "),
    figure_svg(x, y, paste(drawn, collapse = ""), x_ticks, y_ticks,
      format(x_ticks), format_rate(y_ticks),
      "CTR by position with interval and pivot", brush = "position", height = 450),
    html_table(shown_columns(tbl, c("segment", "position", "ctr", "ctr_low", "ctr_high"),
      text = list(position = format_place(tbl$position))), look = "data narrow"))
}

# The list's own curve, or one for each device or country of the same data.
shown_curve <- function(held, state) {
  if (!state$by %in% curve_parts(held)) return(held$findings$curve)
  kept_result(held, list("curve", state$by), function() {
    tryCatch(tide_curve(tide_summary(held$data, brand = held$rules$brand, split = state$by),
      by = state$by, rules = held$rules), tide_error = identity)
  })
}

# What rows can be parted by, as far as they are.
curve_parts <- function(held) {
  if (is.null(held$data)) return(character())
  known <- intersect(c("device", "country"), names(held$explorer$rows))
  known[vapply(known, function(by) nlevels(held$explorer$rows[[by]]) > 1, NA)]
}

curve_parts_box <- function(held, state) {
  parts <- curve_parts(held)
  if (!length(parts)) return("")
  select_box("by", "Curves by", c("", parts),
    c(if (is.null(held$rules$brand)) "none" else "brand", parts), state$by)
}

# Places of a curve that say their figures under the pointer.
curve_points <- function(curve, segment, until, x, y) {
  at <- curve_at(curve, seq_len(max(1, floor(until))), segment)
  paste(sprintf("<circle class='place' cx='%s' cy='%s' r='7'><title>%s</title></circle>",
    x$at(at$position), y$at(at$ctr), escape(sprintf("%s, position %d: %s (%s to %s)", segment,
      as.integer(at$position), format_rate(at$ctr), format_rate(at$ctr_low),
      format_rate(at$ctr_high)))), collapse = "")
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
      max(y$range) + 16, escape(x_labels[keep_x])), collapse = ""),
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

# A course in time: lines of values at days, with events and the days that the list rests on. lines:
# by their class, drawn in this order; points: the same as dots. places: positions, the best on top.
course_figure <- function(held, days, lines, label, write = format_count, places = FALSE,
    points = NULL, width = 560, height = 118) {
  known <- unlist(c(lines, points))
  if (sum(!is.na(known)) < 2) return("<p class='soft'>Too few days.</p>")
  foot <- height - 20
  ends <- if (places) c(1, max(known, 2, na.rm = TRUE)) else c(0, max(known, 1e-6, na.rm = TRUE))
  x <- figure_scale(as.numeric(range(days)), c(44, width - 8))
  y <- figure_scale(ends, if (places) c(8, foot) else c(foot, 8))
  recent <- shown_window(held)
  # Shaded where they are not all that is shown.
  shade <- if (is.null(recent) || as.IDate(recent$from) <= min(days)) "" else {
    at <- x$at(as.numeric(as.IDate(unlist(recent))))
    sprintf("<rect class='window' x='%s' y='8' width='%s' height='%s'></rect>", at[1],
      max(1, at[2] - at[1]), foot - 8)
  }
  drawn <- vapply(names(lines), function(look) {
    svg_path(x$at(as.numeric(days)), y$at(lines[[look]]), look)
  }, "")
  dots <- vapply(names(points), function(look) {
    of <- which(!is.na(points[[look]]))
    paste(sprintf("<circle class='%s' cx='%s' cy='%s' r='1.6'></circle>", look,
      x$at(as.numeric(days[of])), y$at(points[[look]][of])), collapse = "")
  }, "")
  begun <- month_starts(as.Date(days), width / 75)
  ticks <- unique(if (places) round(c(1, pretty(ends, 2)[-1])) else pretty(ends, 2))
  figure_svg(x, y, paste0(shade, paste(c(dots, drawn), collapse = ""),
    day_marks(held$events$marks, x, x$domain, "event", held$events$marks$event, foot)),
    as.numeric(begun), ticks, format(begun, "%Y-%m"), write(ticks), label, width = width,
    height = height)
}
