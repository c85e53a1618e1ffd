# Parts side by side: how each is clicked at equal position, as a ratio with its interval.

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_comparison)
autoplot.tide_comparison <- function(object, ...) {
  at <- object$parts[!is.na(object$parts$ratio)]
  if (!nrow(at)) {
    abort_tide("These parts are not compared at equal position.", where = object$by,
      fix = "Split by something else than position.", class = "figure", fault = "call")
  }
  at <- copy(at)[, "segment" := factor(part_names_shown(at), rev(part_names_shown(at)))]
  at[,
    "label" := sprintf("CTR %s; %s of clicks", format_rate(at$ctr), format_share(at$click_share))]
  ggplot2::ggplot(at, ggplot2::aes(.data$ratio, .data$segment)) +
    ggplot2::geom_vline(xintercept = 1, colour = ink$soft, linewidth = 0.4) +
    ggplot2::geom_segment(
      ggplot2::aes(x = .data$ratio_low, xend = .data$ratio_high, yend = .data$segment),
      colour = ink$main, linewidth = 1.1, alpha = 0.45) +
    ggplot2::geom_point(size = 2.6, colour = ink$main) + ggplot2::geom_text(
      ggplot2::aes(label = .data$label), vjust = -1, size = 3.3, colour = ink$soft) +
    ggplot2::scale_x_log10(labels = function(x) paste0("x", format(x, trim = TRUE)),
      expand = ggplot2::expansion(c(0.12, 0.12))) + ggplot2::labs(
      x = "CTR over that of the rest, at equal position", y = NULL,
      title = sprintf("Clicked more or less, by %s", gsub("_", " ", object$by)),
      subtitle = paste("point: ratio; line: its 90 % interval; right of 1 is clicked more than",
        "the rest would be in the same places")) + tide_theme() +
    ggplot2::theme(axis.text.y = ggplot2::element_text(colour = ink$text),
      panel.grid.major.y = ggplot2::element_blank(),
      panel.grid.major.x = ggplot2::element_line(colour = ink$rule, linewidth = 0.3))
}

# What changed clicks: from before to after by the parts of the change.

#' @rdname tide_figures
#' @rawNamespace S3method(ggplot2::autoplot, tide_change)
autoplot.tide_change <- function(object, ...) {
  site <- whole_lines(object$site)
  parts <- unlist(site[, part_names, with = FALSE])
  ends <- site$clicks_before + cumsum(parts)
  named <- if (is.null(object$sides)) c("before", "after") else object$sides
  steps <- data.table(
    label = c(named[1], part_words[part_names], named[2]),
    from = c(0, site$clicks_before, utils::head(ends, -1), 0),
    to = c(site$clicks_before, ends, site$clicks_after),
    what = c("total", ifelse(parts < 0, "lost", "gained"), "total"),
    text = c(format_count(site$clicks_before), signed_count(parts),
      format_count(site$clicks_after)))
  steps[, "label" :=
    factor(gsub(" queries", "\nqueries", steps$label), gsub(" queries", "\nqueries", steps$label))]
  steps[, "at" := seq_len(nrow(steps))]
  low <- min(steps$from[2:5], steps$to[2:5], site$clicks_after)
  span <- max(steps$to) - low
  least_value <- if (low > 3 * span) low - span else 0
  ggplot2::ggplot(steps) + ggplot2::geom_rect(ggplot2::aes(xmin = .data$at - 0.4,
    xmax = .data$at + 0.4, ymin = pmax(.data$from, least_value), ymax = .data$to,
    fill = .data$what)) +
    ggplot2::geom_segment(data = steps[-nrow(steps)],
      ggplot2::aes(x = .data$at + 0.4, xend = .data$at + 0.6, y = .data$to, yend = .data$to),
      colour = ink$soft, linewidth = 0.3) + ggplot2::geom_text(
      ggplot2::aes(.data$at, pmax(.data$from, .data$to), label = .data$text), vjust = -0.5,
      size = 3.8, colour = ink$text) +
    ggplot2::scale_x_continuous(breaks = steps$at, labels = steps$label) +
    ggplot2::scale_y_continuous(labels = scales::label_comma(),
      expand = ggplot2::expansion(c(0, 0.12))) + ggplot2::scale_fill_manual(
      values = c(total = ink$plain, lost = ink$second, gained = ink$main), guide = "none") +
    ggplot2::labs(x = NULL, y = if (object$scaled) "clicks per 30 days" else "clicks",
      title = if (is.null(object$sides)) "Why clicks changed" else "Why clicks differ",
      subtitle = paste0(sides_title(object),
      if (least_value > 0) "; the scale does not begin at 0")) +
    tide_theme()
}
