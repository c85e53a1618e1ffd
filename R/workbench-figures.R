# The pages that are figures: the curve, and the map of findings on it.

curve_view <- function(held, state) {
  curve <- held$findings$curve
  names <- seen_segments(curve)
  shown <- if (state$segment %in% names) state$segment else names
  evidence <- curve$evidence[curve$evidence$segment %in% shown & curve$evidence$pivot_ctr > 0]
  until <- 30
  x <- figure_scale(c(1, until), c(60, 880), log = TRUE)
  # A line ends where its data end.
  line <- rbindlist(lapply(shown, function(name) {
    own <- curve$evidence[curve$evidence$segment == name & curve$evidence$pairs >= 3]
    last <- min(until, max(2, own$position))
    curve_at(curve, exp(seq(0, log(last), length.out = 90)), name)
  }))
  y <- figure_scale(c(max(0.0005, min(line$ctr) / 1.5), min(1, max(line$ctr_high) * 1.1)),
    c(420, 12), log = TRUE)
  class <- c("line", "line second", "line third")
  drawn <- vapply(seq_along(shown), function(i) {
    own <- line[line$segment == shown[i]]
    points <- evidence[evidence$segment == shown[i] & evidence$position <= until]
    end <- nrow(own)
    paste0(ribbon_of(x$at(own$position), y$at(own$ctr_low), y$at(own$ctr_high), "ribbon"),
      paste(sprintf("<circle class='pivot%s' cx='%s' cy='%s' r='%s'><title>%s</title></circle>",
        if (i > 1) " second" else "", x$at(points$position), y$at(points$pivot_ctr),
        round(2 + 5 * sqrt(points$pairs / max(evidence$pairs)), 1), escape(sprintf(
          "%s, position %s: pivot %s of %s", shown[i], format_place(points$position),
          format_rate(points$pivot_ctr), format_plural(points$pairs, "pair")))), collapse = ""),
      svg_path(x$at(own$position), y$at(own$ctr), class[min(i, 3)]),
      sprintf("<text x='%s' y='%s' text-anchor='end'>%s</text>", x$at(own$position[end]),
        y$at(own$ctr_high[end]) - 8, escape(shown[i])))
  }, "")
  table <- setDT(as.data.frame(tidy(curve)))
  table <- table[table$segment %in% shown & table$position %in% c(1:10, 15, 20)]
  sprintf(paste0("<h1 tabindex='-1'>CTR by position</h1><p class='soft'>Lines: what this site ",
    "earns at each position, with the %s interval. Circles: simple average CTR. Drag over a ",
    "region to list its queries.</p>%s%s%s"),
    format_share(curve$level),
    if (length(names) > 1) {
      select_box("segment", "Segment", c("", names), c("all", names), state$segment)
    } else {
      ""
    },
    figure_svg(x, y, paste(drawn, collapse = ""), position_ticks, ctr_ticks,
      format(position_ticks), format_rate(ctr_ticks),
      "CTR by position with interval and pivot", brush = "position", height = 450),
    html_table(shown_columns(table, c("segment", "position", "ctr", "ctr_low", "ctr_high"),
      text = list(position = format_place(table$position))), look = "data narrow"))
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
  line <- curve_at(held$findings$curve, exp(seq(0, log(until), length.out = 90)),
    setdiff(names(held$findings$curve$fits), "brand")[1])
  x <- figure_scale(c(1, until), c(60, 880), log = TRUE)
  y <- figure_scale(c(max(0.0003, min(rate, line$ctr) / 1.5), min(1, max(rate, line$ctr) * 1.3)),
    c(440, 12), log = TRUE)
  size <- round(3 + 9 * sqrt(pmax(tasks$gain, 0) / max(tasks$gain, 1e-9)), 1)
  order <- order(-size)
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
      svg_path(x$at(line$position), y$at(line$ctr), "line"), paste(marks[order], collapse = "")),
      position_ticks, ctr_ticks, format(position_ticks), format_rate(ctr_ticks),
      "tasks by position and CTR", brush = "position", height = 470))
}

# A kind has its sign everywhere, so that nothing rests on colour alone.
kind_mark <- function(kind, x, y, r) {
  sprintf("<text x='%s' y='%s' style='font-size:%spx'>%s</text>", x, y, round(2.6 * r, 1),
    kind_fact(kind, "sign"))
}
