# One look for all figures: quiet paper, thin rules, labels at the lines instead of legends. Colours
# differ in lightness as well as hue, and every kind has a shape of its own, so nothing rests on
# colour alone.

ink <- list(text = "#22303c", soft = "#5d6b78", rule = "#dfe4e8", plain = "#b9c2ca",
  main = "#1f4e79", second = "#b8651b")

segment_colours <- c(all = ink$main, `non-brand` = ink$main, brand = ink$second)
# Of parts side by side, told apart by those who see few colours, too.
part_colours <- c(ink$main, ink$second, "#3b8b6e", "#8a5a9e", "#b08d1a", "#6d7f8c")

tide_theme <- function() {
  ggplot2::theme_minimal(base_size = 12) + ggplot2::theme(
    text = ggplot2::element_text(colour = ink$text),
    axis.text = ggplot2::element_text(colour = ink$soft),
    axis.title = ggplot2::element_text(colour = ink$soft, size = ggplot2::rel(0.9)),
    panel.grid.minor = ggplot2::element_blank(), panel.grid.major.x = ggplot2::element_blank(),
    panel.grid.major.y = ggplot2::element_line(colour = ink$rule, linewidth = 0.3),
    plot.title = ggplot2::element_text(face = "bold", size = ggplot2::rel(1.1)),
    plot.subtitle = ggplot2::element_text(colour = ink$soft),
    plot.caption = ggplot2::element_text(colour = ink$soft, hjust = 0),
    plot.title.position = "plot", plot.caption.position = "plot",
    plot.background = ggplot2::element_rect(fill = "white", colour = NA))
}

# CTR on a log axis: position 1 and position 20 differ fiftyfold, and both matter.
ctr_axis <- function() {
  ggplot2::scale_y_log10(
    breaks = c(0.0005, 0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1),
    labels = function(x) sub("\\.0%$", "%", format_rate(x)))
}

position_axis <- function(until) {
  ggplot2::scale_x_log10(breaks = c(1, 2, 3, 4, 5, 7, 10, 15, 20, 30, 50, 100),
    limits = c(1, until * 1.12), expand = ggplot2::expansion(c(0.03, 0.02)))
}

# Dates of a narrow panel: the first days of some months; where there are not two of them, of thirds
# of the days.
month_axis <- function(from, to, expand) {
  days <- seq(as.Date(from), as.Date(to), by = "day")
  firsts <- days[format(days, "%d") == "01"]
  month_rows <- length(firsts) >= 2
  breaks <- if (month_rows) {
    firsts[seq(1, length(firsts), by = ceiling(length(firsts) / 6))]
  } else {
    days[1 + length(days) %/% 3 * 0:2]
  }
  ggplot2::scale_x_date(breaks = breaks, date_labels = if (month_rows) "%b" else "%d %b",
    expand = expand)
}

# Bands of position, the best darkest.
band_shades <- function(bands) {
  stats::setNames(grDevices::colorRampPalette(c(ink$main, "#c9d6e2"))(nlevels(bands)),
    levels(bands))
}

# Events on figures over time.

# Events as numbered lines, named in the caption: list(layers, caption).
event_marks <- function(events, from, to) {
  if (!is.null(events)) events <- events[events$date >= from & events$date <= to]
  if (!NROW(events)) return(list(layers = NULL, caption = NULL))
  at <- data.table(at = as.Date(events$date), number = as.character(seq_len(nrow(events))))
  list(layers = list(ggplot2::geom_vline(data = at, ggplot2::aes(xintercept = .data$at),
    colour = ink$soft, linewidth = 0.35, linetype = "22"),
    ggplot2::geom_text(data = at, ggplot2::aes(.data$at, Inf, label = .data$number),
      inherit.aes = FALSE, hjust = -0.4, vjust = 1.3, size = 3.3, colour = ink$soft)),
    caption = paste(sprintf("%d: %s, %s", seq_len(nrow(events)), events$event, format(events$date)),
      collapse = "\n"))
}

# Values over time as unbroken lines: rows with a known value, `stretch` numbering what stands
# between two gaps of each `by`. A period without a value must have a row.
unbroken <- function(rows, by, at = "at", value = "value") {
  rows <- copy(rows)
  setorderv(rows, c(by, at))
  lacking <- is.na(rows[[value]])
  set(rows, j = "stretch", value = cumsum(lacking | !duplicated(rows[, by, with = FALSE])))
  rows[!lacking]
}

# Layers of these stretches; a value between two gaps is a dot.
stretch_lines <- function(rows, mapping = ggplot2::aes(group = .data$stretch), linewidth = 0.8,
    linetype = "solid", ...) {
  long <- rows[, .I[.N > 1L], by = "stretch"]$V1
  list(ggplot2::geom_line(mapping, data = rows[long], linewidth = linewidth,
    linetype = linetype, ...),
    ggplot2::geom_point(mapping, data = rows[!seq_len(nrow(rows)) %in% long],
      size = 1.5 * linewidth, ...))
}

# The four figures over time. by_time: date, clicks, impressions and, where known, position; days
# have a seven-day mean over them. unusual: days to mark, as of tide_unusual().
trend_figure <- function(by_time, events = NULL, unusual = NULL, each = "day", of = NULL) {
  marks <- event_marks(events, min(by_time$date), max(by_time$date))
  figures <- list(clicks = by_time$clicks, impressions = by_time$impressions,
    `CTR, %` = 100 * by_time$clicks / by_time$impressions,
    # The best place stands at the top.
    `position, best at the top` = if (!is.null(by_time[["position"]])) -by_time$position)
  figures <- Filter(Negate(is.null), figures)
  if (!is.null(of)) figures <- figures[of]
  long <- rbindlist(lapply(names(figures), function(figure) {
    data.table(date = as.Date(by_time$date), figure = factor(figure, names(figures)),
      value = figures[[figure]],
      mean = if (each == "day") weekly_mean(by_time$date, figures[[figure]]) else NA_real_)
  }))
  odd <- long[as.integer(long$date) %in% unlist(Map(seq, as.integer(unusual$from),
    as.integer(unusual$to)))]
  by_day <- each == "day"
  ggplot2::ggplot(long, ggplot2::aes(.data$date, .data$value)) +
    stretch_lines(unbroken(long, "figure", "date"), linewidth = if (by_day) 0.3 else 0.8,
      colour = if (by_day) ink$plain else ink$main) +
    (if (by_day) {
      stretch_lines(unbroken(long, "figure", "date", "mean"),
        ggplot2::aes(y = .data$mean, group = .data$stretch), colour = ink$main)
    }) +
    ggplot2::geom_blank(data = long[!startsWith(as.character(long$figure), "position"),
      list(date = min(date), value = 0), by = "figure"]) +
    ggplot2::geom_point(data = odd, shape = 21, size = 2.2, colour = ink$text, fill = "white") +
    ggplot2::facet_wrap("figure", ncol = 1, scales = "free_y") +
    ggplot2::scale_y_continuous(labels = function(x) scales::label_comma()(abs(x))) +
    ggplot2::labs(x = NULL, y = NULL, title = paste("By", each),
      subtitle = paste(c(if (by_day) "thin: days; thick: mean of seven days",
        if (nrow(odd)) "circles: unusual days"), collapse = "; "), caption = marks$caption) +
    marks$layers + tide_theme() +
    ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, colour = ink$text))
}

abort_nothing_to_draw <- function(by) {
  abort_tide("There are no days to draw.", where = sprintf("The list is by %s.", by),
    fix = "List by day, week or month.", class = "figure", fault = "call")
}

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_inventory)
autoplot.tide_inventory <- function(object, events = NULL, unusual = NULL, ...) {
  if (!object$by %in% times) abort_nothing_to_draw(object$by)
  rows <- object$rows
  first <- if (object$by == "month") paste0(rows[[object$by]], "-01") else rows[[object$by]]
  by_time <- data.table(date = as.IDate(first), rows[, c("clicks", "impressions", "position")])
  # A week or month that is not whole would look like a fall.
  if (!is.null(rows[["days"]])) {
    whole <- rows$days == if (object$by == "week") 7L else days_in_month(by_time$date)
    if (any(whole)) by_time <- by_time[whole]
  }
  if (!nrow(by_time)) abort_nothing_to_draw(object$by)
  if (all(is.na(by_time$position))) set(by_time, j = "position", value = NULL)
  trend_figure(by_time[order(by_time$date)], check_events(events), unusual, object$by)
}

# Mean of the seven days around each day; missing where one of them is.
weekly_mean <- function(date, value) {
  days <- seq(min(date), max(date), by = "day")
  full <- value[match(days, date)]
  if (length(full) < 7) return(rep(NA_real_, length(date)))
  stats::filter(full, rep(1 / 7, 7))[match(date, days)]
}

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_summary)
autoplot.tide_summary <- function(object, ...) {
  by_day <- if (is.null(object$site_by_day)) object$by_day else object$site_by_day
  if (is.null(by_day)) {
    abort_tide("There are no days to draw.", where = sprintf("The table is by %s.", object$grain),
      fix = "Export a table by date.", class = "figure")
  }
  trend_figure(by_day)
}
