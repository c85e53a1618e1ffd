# Events on figures over time.

# Events as numbered lines, told in the caption: list(layers, caption).
event_marks <- function(events, from, to) {
  if (!is.null(events)) events <- events[events$date >= from & events$date <= to]
  if (!NROW(events)) return(list(layers = NULL, caption = NULL))
  at <- data.table(at = as.Date(events$date), number = as.character(seq_len(nrow(events))))
  list(layers = list(
    ggplot2::geom_vline(data = at, ggplot2::aes(xintercept = .data$at), colour = ink$soft,
      linewidth = 0.35,
      linetype = "22"),
    ggplot2::geom_text(data = at, ggplot2::aes(.data$at, Inf, label = .data$number),
    inherit.aes = FALSE, hjust = -0.4,
      vjust = 1.3, size = 3.3, colour = ink$soft)),
    caption = paste(sprintf("%d: %s, %s", seq_len(nrow(events)), events$event,
    format(events$date)), collapse = "\n"))
}
