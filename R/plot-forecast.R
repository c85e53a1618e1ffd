# What is ahead: the months known, the baseline with its ranges, what a plan adds.

#' @rdname tide_figures
#' @param known For forecasts: how many months known are drawn.
#' @rawNamespace S3method(ggplot2::autoplot, tide_forecast)
autoplot.tide_forecast <- function(object, what = c("fan", "tasks"), known = 24, ...) {
  if (check_choice(what, c("fan", "tasks"), "what") == "tasks") return(added_figure(object))
  check_number(known, "known", min = 1)
  month_rows <- object$months
  first_plan <- month_rows[["plan"]][1]
  first <- if (is.null(first_plan)) month_rows else month_rows[month_rows$plan == first_plan]
  past <- object$history$months[, utils::tail(.SD, known), by = "segment"]
  last <- past[, utils::tail(.SD, 1), by = "segment"]
  tried <- object$tried[object$tried$month >= min(past$month)]
  joined <- rbind(data.table(segment = last$segment, month = last$month, middle = last$used,
    low = last$used, high = last$used, low_95 = last$used, high_95 = last$used),
    data.table(segment = first$segment, month = first$month, middle = first$baseline,
      low = first$baseline_low, high = first$baseline_high, low_95 = first$baseline_low_95,
      high_95 = first$baseline_high_95))
  figure <- ggplot2::ggplot(joined, ggplot2::aes(as.Date(.data$month))) +
    ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low_95, ymax = .data$high_95), fill = ink$main,
      alpha = 0.12) + ggplot2::geom_ribbon(ggplot2::aes(ymin = .data$low, ymax = .data$high),
      fill = ink$main, alpha = 0.2) +
    ggplot2::geom_line(ggplot2::aes(y = .data$middle), colour = ink$main, linewidth = 0.9) +
    ggplot2::geom_line(data = past, ggplot2::aes(y = .data$value), colour = ink$soft,
      linewidth = 0.7) + ggplot2::geom_point(data = tried, ggplot2::aes(y = .data$said),
      colour = ink$main, shape = 1, size = 2) + ggplot2::geom_point(data = past[past$note != ""],
      ggplot2::aes(y = .data$value), colour = ink$second, size = 2, shape = 4, stroke = 1.1) +
    ggplot2::scale_y_continuous(limits = c(0, NA), labels = scales::label_comma()) +
    ggplot2::labs(x = NULL, y = sprintf("%s a month", object$history$of), title = "What to expect",
      subtitle = paste(c("grey: known; blue: if nothing is changed, with the 80 % and 95 % range",
        if (nrow(tried)) "circles: what we would have forecast a month earlier",
        if (!is.null(month_rows[["plan"]])) "brown: with the plan",
        if (any(past$note != "")) "x: replaced"),
        collapse = "\n")) + tide_theme()
  if (length(unique(joined$segment)) > 1) {
    figure <- figure + ggplot2::facet_wrap("segment", ncol = 2, scales = "free_y")
  }
  if (!is.null(month_rows[["plan"]])) {
    ends <- month_rows[month_rows$month == max(month_rows$month)]
    figure <- figure + stretch_lines(unbroken(month_rows, "plan", "month", "total"),
      ggplot2::aes(y = .data$total, group = .data$stretch), linewidth = 0.9, linetype = "31",
      colour = ink$second) + ggplot2::geom_text(data = ends,
        ggplot2::aes(y = .data$total, label = .data$plan), hjust = 1, vjust = -0.8, size = 3.2,
        colour = ink$second)
  }
  figure
}

# What each task of the first plan adds, the largest by name.
added_figure <- function(object, named = 6) {
  if (is.null(object$tasks)) {
    abort_tide("There is no plan to draw.", where = "the forecast has a baseline only",
      fix = "Give a plan.", class = "figure", fault = "call")
  }
  rows <- object$tasks[object$tasks$plan == object$tasks$plan[1]]
  sums <- rows[, list(added = sum(added)), by = "query"][order(-added)]
  large <- utils::head(sums$query, named)
  rows <- rows[, list(added = sum(added)),
    by = list(month, name = ifelse(query %in% large, query, "all others"))]
  in_order <- c(large, if (nrow(sums) > named) "all others")
  set(rows, j = "name", value = factor(rows$name, rev(in_order)))
  shades <- stats::setNames(c(grDevices::colorRampPalette(c(ink$main, "#c9d6e2"))(length(large)),
    if (nrow(sums) > named) ink$rule),
    in_order)
  ggplot2::ggplot(rows, ggplot2::aes(as.Date(.data$month), .data$added, fill = .data$name)) +
    ggplot2::geom_col(width = 25, colour = "white", linewidth = 0.3) +
    ggplot2::scale_fill_manual(values = shades, name = NULL, breaks = in_order) +
    ggplot2::labs(x = NULL, y = "clicks added a month", title = "What each task adds",
      subtitle = "means: if done x chance, grown over the months and with the season") +
    tide_theme()
}
