# Figures of a trace: its leading pages or queries week by week, or the count of ranking queries.

#' @rdname tide_figures
#' @param type For a trace: `"weeks"` draws clicks and position of its pages or queries by week,
#'   the first `named` of them named and the rest in grey; `"ranking"` how many distinct queries
#'   were shown in each week, by band of position (the default for a folder).
#' @param events A `tide_events` object to mark on a trace; `NULL` for none.
#' @rawNamespace S3method(ggplot2::autoplot, tide_trace)
autoplot.tide_trace <- function(object, type = if (object$kind == "folder") "ranking" else "weeks",
    named = 4, events = NULL, ...) {
  check_choice(type, c("weeks", "ranking"), "type")
  check_number(named, "named", min = 1, max = 6)
  drawn <- if (type == "weeks") object$weekly else object$ranking
  if (is.null(drawn)) {
    abort_tide("There is nothing to draw by week.", where = sprintf("'%s'", object$name),
      fix = if (type == "weeks") "Give a table with dates." else "Trace a page or a folder.",
      class = "figure", fault = "call")
  }
  figure <- if (type == "weeks") weeks_figure(object, named) else ranking_figure(object)
  marks <- event_marks(check_events(events), object$from, object$to)
  figure + marks$layers + ggplot2::labs(caption = marks$caption)
}

line_colours <- c("#1f4e79", "#b8651b", "#5b3a8c", "#1f7a8c", "#8c2f4a", "#4a6b1f")

trace_title <- function(trace) {
  if (trace$kind == "folder" && trace$name == "/") return("The site:")
  sprintf("%s %s", c(query = "Query:", page = "Page:", folder = "Folder:")[[trace$kind]],
    if (trace$kind == "query") trace$name else format_path(trace$name))
}

weeks_figure <- function(trace, named) {
  side <- if (trace$kind == "page") "query" else "page"
  leading <- utils::head(trace$rows[[side]], named)
  weeks <- all_weeks(trace)
  # Weeks without the page or query are gaps in its line.
  full <- trace$weekly[CJ(name = unique(trace$weekly$name), week = weeks), on = c("name", "week")]
  long <- rbind(
    data.table(full[, c("name", "week")], figure = "clicks a week", value = full$clicks),
    data.table(full[, c("name", "week")], figure = "position", value = -full$position))
  long[, "week" := as.Date(long$week)]
  # What is far below the named ones would press them together: its line has gaps there.
  deepest <-
    1.5 * max(-long$value[long$figure == "position" & long$name %in% leading], na.rm = TRUE)
  set(long, which(long$figure == "position" & -long$value > deepest), "value", NA_real_)
  context <- long[!long$name %in% leading]
  lead <- long[long$name %in% leading]
  lead[, "label" := fit_label(if (side == "page") format_path(lead$name) else lead$name, 28)]
  lead[, "colour" := line_colours[match(lead$name, leading)]]
  ends <- last_by(lead[!is.na(lead$value) & lead$figure == "position"], "name", "week")
  ends[, "value" :=
    spread_apart(ends$value, diff(range(long$value[long$figure == "position"], na.rm = TRUE)) / 11)]
  span <- as.numeric(diff(range(long$week)))
  keys <- c("figure", "name")
  ggplot2::ggplot(long, ggplot2::aes(.data$week, .data$value)) +
    stretch_lines(unbroken(context, keys, "week"), linewidth = 0.3, colour = ink$plain) +
    stretch_lines(unbroken(lead, keys, "week"),
      ggplot2::aes(group = .data$stretch, colour = .data$colour)) +
    ggplot2::geom_point(data = lead, ggplot2::aes(colour = .data$colour), size = 1.3,
      na.rm = TRUE) + ggplot2::geom_text(data = ends,
      ggplot2::aes(label = .data$label, colour = .data$colour, x = max(long$week)), hjust = 0,
      nudge_x = span / 60, size = 3.3) + ggplot2::scale_colour_identity() +
    ggplot2::scale_x_date(expand = ggplot2::expansion(c(0.02, 0.38))) +
    ggplot2::scale_y_continuous(breaks = place_breaks,
      labels = function(x) format(abs(x), big.mark = ",", trim = TRUE)) +
    ggplot2::facet_wrap("figure", ncol = 1, scales = "free_y") +
    ggplot2::labs(x = NULL, y = NULL, title = trace_title(trace),
      subtitle = sprintf("by week; position 1 is on top%s",
        if (nrow(context)) {
          sprintf("; grey: %s", format_plural(length(unique(context$name)), paste("other", side),
            c(page = "other pages", query = "other queries")[[side]]))
        } else {
          ""
        })) + tide_theme() +
    ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0, colour = ink$text))
}

# Positions are drawn below zero and begin at 1; clicks get the usual breaks.
place_breaks <- function(limits) {
  if (limits[2] > 0.5) return(scales::breaks_extended()(limits))
  places <- -c(1, 2, 3, 5, 7, 10, 15, 20, 30, 50, 70, 100)
  places <- places[places >= limits[1] & places <= limits[2]]
  # Few lines: those that lie too close to the one above are left out.
  kept <- places[1]
  for (place in places[-1]) {
    if (kept[length(kept)] - place > diff(limits) / 8) kept <- c(kept, place)
  }
  kept
}

# Cut at the front, where addresses are alike.
fit_label <- function(text, width) {
  ifelse(nchar(text) > width, paste0("\u2026", substring(text, nchar(text) - width + 2)), text)
}

# Labels at least `step` apart, in their order.
spread_apart <- function(at, step) {
  in_order <- order(at)
  out <- at[in_order]
  for (i in seq_along(out)[-1]) out[i] <- max(out[i], out[i - 1] + step)
  out <- out - (mean(out) - mean(at))
  out[order(in_order)]
}

ranking_figure <- function(trace) {
  ranking <- copy(trace$ranking)
  last <- ranking[ranking$week == max(ranking$week)]
  setorderv(last, "band")
  last[, "at" := sum(queries) - cumsum(queries) + queries / 2]
  ggplot2::ggplot(ranking, ggplot2::aes(as.Date(.data$week), .data$queries)) +
    ggplot2::geom_col(ggplot2::aes(fill = .data$band), width = 6) +
    ggplot2::geom_text(data = last,
      ggplot2::aes(y = .data$at, label = paste("position", .data$band)), hjust = 0, nudge_x = 5,
      size = 3.3, colour = ink$text) +
    ggplot2::scale_fill_manual(values = band_shades(ranking$band), guide = "none") +
    ggplot2::scale_x_date(expand = ggplot2::expansion(c(0.02, 0.2))) +
    ggplot2::scale_y_continuous(labels = scales::label_comma(),
      expand = ggplot2::expansion(c(0, 0.05))) + ggplot2::labs(x = NULL, y = NULL,
      title = sprintf("%s distinct queries by week", trace_title(trace)),
      subtitle = "each query in the band of its position in that week") + tide_theme()
}
