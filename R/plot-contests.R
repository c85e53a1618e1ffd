# Cannibalized queries side by side: which page was shown where, week by week, and which led.

contest_figure <- function(findings, most = 6) {
  found <- findings$findings
  found <- utils::head(found[found$kind == "cannibalized"], most)
  summary <- findings$summary
  if (!nrow(found) || is.null(summary$contested)) {
    abort_tide("There is no contest to draw.",
      where = "the list has no cannibalized query with dates",
      fix = "Draw the map instead.", class = "figure", fault = "call")
  }
  long <- rbindlist(lapply(seq_len(nrow(found)), function(i) {
    code <- match(found$query[i], summary$queries$query)
    rivals <- utils::head(match(strsplit(found$pages[i], " ", fixed = TRUE)[[1]],
      summary$pages$page), 2)
    weeks <- contested_weeks(summary, code, rivals)
    first <- week_leaders(weeks, "page")
    set(weeks, j = "leads", value = weeks$page == first$leader[match(weeks$week, first$week)])
    all_weeks <- seq(min(weeks$week), max(weeks$week), by = 7L)
    full <- weeks[CJ(page = rivals, week = all_weeks), on = c("page", "week")]
    data.table(query = sprintf("%d. %s", found$rank[i], found$query[i]), order = i,
      side = ifelse(full$page == rivals[1], "keep", "other"),
      day = as.Date(full$week), position = full$position,
      leads = full$leads %in% TRUE)
  }))
  long[, "query" := factor(long$query, unique(long$query[order(long$order)]))]
  deepest <- min(60, max(long$position[long$leads], na.rm = TRUE) * 2)
  long <- long[is.na(long$position) | long$position <= deepest]
  colours <- c(keep = ink$main, other = ink$second)
  ggplot2::ggplot(long, ggplot2::aes(.data$day, .data$position, colour = .data$side)) +
    ggplot2::geom_line(linewidth = 0.4, na.rm = TRUE, alpha = 0.6) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$leads, size = .data$leads), fill = "white",
    na.rm = TRUE) +
    ggplot2::facet_wrap("query", ncol = 3) +
    ggplot2::scale_y_reverse(breaks = c(1, 5, 10, 20, 30, 40, 50)) +
    ggplot2::scale_colour_manual(values = colours,
    labels = c(keep = "page to keep", other = "the other page"),
      name = NULL) +
    ggplot2::scale_shape_manual(values = c(`TRUE` = 16, `FALSE` = 21), guide = "none") +
      ggplot2::scale_size_manual(values = c(`TRUE` = 2.2, `FALSE` = 1.1), guide = "none") +
    ggplot2::labs(x = NULL, y = "position", title = "Who led when",
      subtitle = "a full dot where the page had the most clicks of that week") +
    tide_theme() + ggplot2::theme(legend.position = "top", legend.justification = 0,
      strip.text = ggplot2::element_text(hjust = 0, colour = ink$text))
}
