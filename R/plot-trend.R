# Clicks and impressions by day, with a seven-day mean over them.

trend_figure <- function(by_day, events = NULL) {
  marks <- event_marks(events, min(by_day$date), max(by_day$date))
  long <- rbindlist(lapply(c("clicks", "impressions"), function(figure) {
    data.table(date = as.Date(by_day$date), figure = figure, value = by_day[[figure]],
      mean = weekly_mean(by_day$date, by_day[[figure]]))
  }))
  ggplot2::ggplot(long, ggplot2::aes(.data$date, .data$value)) +
    ggplot2::geom_line(colour = ink$plain, linewidth = 0.3) +
    ggplot2::geom_line(ggplot2::aes(y = .data$mean), colour = ink$main, linewidth = 0.8,
    na.rm = TRUE) +
    ggplot2::facet_wrap("figure", ncol = 1, scales = "free_y") +
    ggplot2::scale_y_continuous(limits = c(0, NA), labels = scales::label_comma()) +
    ggplot2::labs(x = NULL, y = NULL, title = "By day",
    subtitle = "thin: days; thick: mean of seven days",
      caption = marks$caption) +
    marks$layers + tide_theme() + ggplot2::theme(strip.text = ggplot2::element_text(hjust = 0,
    colour = ink$text))
}

# Mean of the seven days around each day; missing where one of them is.
weekly_mean <- function(date, value) {
  days <- seq(min(date), max(date), by = "day")
  full <- value[match(days, date)]
  stats::filter(full, rep(1 / 7, 7))[match(date, days)]
}
