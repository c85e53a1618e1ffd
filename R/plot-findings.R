# The opportunity map: where every pair stands against the curve.

#' @rdname tide_figures
#' @param what For findings: `"map"`, or `"contests"` for small figures of the cannibalized
#'   queries, who led when at which position.
#' @rawNamespace S3method(ggplot2::autoplot, tide_findings)
autoplot.tide_findings <- function(object, until = 30, named = 6, what = c("map", "contests"),
    ...) {
  if (check_choice(what, c("map", "contests"), "what") == "contests") {
    return(contest_figure(object, named))
  }
  check_number(until, "until", min = 2, max = 100)
  check_number(named, "named", min = 0)
  found <- as.data.table(object$findings)
  found <- found[found$position <= until]
  # Half a click keeps pairs without clicks on a log axis.
  found[, "shown" := (clicks + 0.5) / (impressions + 1)]
  grey <- object$pairs[
    object$pairs$tested & object$pairs$position <= until & object$pairs$impressions >= 10]
  grey <- grey[order(-grey$impressions)][seq_len(min(.N, 2000))]
  grey[, "shown" := (clicks + 0.5) / (impressions + 1)]
  segment <- setdiff(names(object$curve$fits), "brand")[1]
  line <- curve_at(object$curve, seq(1, until, by = 0.1), segment)
  label <- utils::head(found[order(found$rank)], named)
  counts <- table(factor(found$kind, intersect(names(finding_kinds()), found$kind)))
  floor <- max(min(found$shown, line$ctr, na.rm = TRUE) / 1.5, 0.0003)
  ggplot2::ggplot(mapping = ggplot2::aes(.data$position, .data$shown)) +
    ggplot2::geom_point(data = grey, colour = ink$plain, size = 0.7, alpha = 0.6) +
    ggplot2::geom_line(data = line, ggplot2::aes(y = .data$ctr), colour = ink$main,
      linewidth = 0.9) + ggplot2::geom_point(data = found,
      ggplot2::aes(size = .data$gain, colour = .data$kind, fill = .data$kind, shape = .data$kind),
      alpha = 0.65) + ggplot2::geom_text(data = label,
      ggplot2::aes(label = sprintf("%d %s", .data$rank, .data$query)), size = 3.2, hjust = 0,
      nudge_x = 0.015, colour = ink$text, check_overlap = TRUE) +
    ggplot2::scale_colour_manual(values = kind_values("colour"), labels = map_label(counts),
      aesthetics = c("colour", "fill"), name = NULL) + ggplot2::scale_shape_manual(
      values = kind_values("mark"), labels = map_label(counts), name = NULL) +
    ggplot2::scale_size_area(max_size = 8, guide = "none") + position_axis(until) + ctr_axis() +
    ggplot2::coord_cartesian(ylim = c(floor, min(1, 2 * max(found$shown, line$ctr)))) +
    ggplot2::labs(x = "average position", y = "CTR", title = "Where the opportunities are",
      subtitle = paste("line: the curve; grey: all tested pairs; marks: findings, larger where",
        "more clicks are to be won")) + tide_theme() +
    ggplot2::theme(legend.position = "top", legend.justification = 0)
}

# A look for each kind of finding, named by kind.
kind_values <- function(fact) vapply(finding_kinds(), `[[`, if (fact == "mark") 0 else "", fact)

map_label <- function(counts) {
  function(kind) sprintf("%s (%d)", kind_label(kind), counts[kind])
}

# Cannibalized queries side by side: which page was shown where, week by week, and which led.

contest_figure <- function(findings, most = 6) {
  found <- findings$findings
  found <- utils::head(found[found$kind == "cannibalized"], most)
  summary <- findings$summary
  if (!nrow(found) || is.null(summary$contested)) {
    abort_tide("There is no contest to draw.",
      where = "the list has no cannibalized query with dates", fix = "Draw the map instead.",
      class = "figure", fault = "call")
  }
  long <- rbindlist(lapply(seq_len(nrow(found)), function(i) {
    code <- match(found$query[i], summary$queries$query)
    rivals <-
      utils::head(match(strsplit(found$pages[i], " ", fixed = TRUE)[[1]], summary$pages$page), 2)
    weeks <- contested_weeks(summary, code, rivals)
    first <- week_leaders(weeks, "page")
    set(weeks, j = "leads", value = weeks$page == first$leader[match(weeks$week, first$week)])
    all_weeks <- seq(min(weeks$week), max(weeks$week), by = 7L)
    full <- weeks[CJ(page = rivals, week = all_weeks), on = c("page", "week")]
    data.table(query = sprintf("%d. %s", found$rank[i], found$query[i]), order = i,
      side = ifelse(full$page == rivals[1], "keep", "other"), day = as.Date(full$week),
      position = full$position, leads = full$leads %in% TRUE)
  }))
  long[, "query" := factor(long$query, unique(long$query[order(long$order)]))]
  deepest <- min(60, max(long$position[long$leads], na.rm = TRUE) * 2)
  long <- long[is.na(long$position) | long$position <= deepest]
  colours <- c(keep = ink$main, other = ink$second)
  ggplot2::ggplot(long, ggplot2::aes(.data$day, .data$position, colour = .data$side)) +
    ggplot2::geom_line(linewidth = 0.4, na.rm = TRUE, alpha = 0.6) +
    ggplot2::geom_point(ggplot2::aes(shape = .data$leads, size = .data$leads), fill = "white",
      na.rm = TRUE) + ggplot2::facet_wrap("query", ncol = 3) +
    ggplot2::scale_y_reverse(breaks = c(1, 5, 10, 20, 30, 40, 50)) +
    ggplot2::scale_colour_manual(values = colours,
      labels = c(keep = "page to keep", other = "the other page"), name = NULL) +
    ggplot2::scale_shape_manual(values = c(`TRUE` = 16, `FALSE` = 21), guide = "none") +
    ggplot2::scale_size_manual(values = c(`TRUE` = 2.2, `FALSE` = 1.1), guide = "none") +
    ggplot2::labs(x = NULL, y = "position", title = "Who led when",
      subtitle = "a full dot where the page had the most clicks of that week") + tide_theme() +
    ggplot2::theme(legend.position = "top", legend.justification = 0,
      strip.text = ggplot2::element_text(hjust = 0, colour = ink$text))
}
