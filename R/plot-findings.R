# The opportunity map: where every pair stands against the curve.

#' @rdname tide_figures
#' @param what For findings: `"map"`, or `"contests"` for small figures of the cannibalized
#'   queries, who led when at which position.
#' @rawNamespace S3method(ggplot2::autoplot, tide_findings)
autoplot.tide_findings <- function(object, until = 30, named = 6, what = c("map", "contests"),
    grey = 2000, ...) {
  if (check_choice(what, c("map", "contests"), "what") == "contests") {
    return(contest_figure(object, named))
  }
  check_number(until, "until", min = 2, max = 100)
  check_number(named, "named", min = 0)
  check_number(grey, "grey", min = 0)
  found <- as.data.table(object$findings)
  found <- found[found$position <= until]
  # Half a click keeps pairs without clicks on a log axis.
  found[, "shown" := (clicks + 0.5) / (impressions + 1)]
  pairs <- object$pairs[
    object$pairs$tested & object$pairs$position <= until & object$pairs$impressions >= 10]
  pairs <- utils::head(pairs[order(-pairs$impressions)], grey)
  pairs[, "shown" := (clicks + 0.5) / (impressions + 1)]
  segment <- setdiff(names(object$curve$fits), "brand")[1]
  one_line <- curve_at(object$curve, seq(1, until, by = 0.1), segment)
  counts <- table(factor(found$kind, intersect(names(finding_kinds()), found$kind)))
  least_value <- max(min(found$shown, one_line$ctr, na.rm = TRUE) / 1.5, 0.0003)
  top <- min(1, 2 * max(found$shown, one_line$ctr))
  # Two beside each other fit a narrow screen, too.
  of_kinds <- ggplot2::guide_legend(ncol = 2, byrow = TRUE)
  label <- placed_labels(found[order(found$rank)], named, log10(c(1, until * 1.12)),
    log10(c(least_value, top)))
  ggplot2::ggplot(mapping = ggplot2::aes(.data$position, .data$shown)) +
    ggplot2::geom_point(data = pairs, colour = ink$plain, size = 0.7, alpha = 0.6) +
    ggplot2::geom_line(data = one_line, ggplot2::aes(y = .data$ctr), colour = ink$main,
      linewidth = 0.9) + ggplot2::geom_point(data = found,
      ggplot2::aes(size = .data$gain, colour = .data$kind, fill = .data$kind, shape = .data$kind),
      alpha = 0.65) + ggplot2::geom_text(data = label,
      ggplot2::aes(10^.data$at_x, 10^.data$at_y, label = .data$said), size = 3.2,
      hjust = label$hjust, vjust = 0.5, colour = ink$text) +
    ggplot2::scale_colour_manual(values = kind_values("colour"), labels = map_label(counts),
      aesthetics = c("colour", "fill"), name = NULL, guide = of_kinds) +
    ggplot2::scale_shape_manual(values = kind_values("mark"), labels = map_label(counts),
      name = NULL, guide = of_kinds) +
    ggplot2::scale_size_area(max_size = 8, guide = "none") + position_axis(until) + ctr_axis() +
    ggplot2::coord_cartesian(ylim = c(least_value, top)) +
    ggplot2::labs(x = "average position", y = "CTR", title = "Where the opportunities are",
      subtitle = paste("line: the curve; grey: all tested pairs; marks: findings, larger where",
        "more clicks are to be won")) + tide_theme() +
    ggplot2::theme(legend.position = "top", legend.justification = 0)
}

# Names of the first findings where they cross no mark and no other name; who finds no such place
# goes without. Sizes are those of a figure of 9 by 5 inches: shares of the panel.
label_sizes <- list(letter = 0.0082, height = 0.036, mark = 0.012)

# x, y: ends of the axes, as logarithms. Out: the findings that are named, with `said`, `at_x`,
# `at_y` (logarithms) and `hjust`.
placed_labels <- function(found, named, x, y) {
  at_x <- (log10(found$position) - x[1]) / diff(x)
  at_y <- (log10(found$shown) - y[1]) / diff(y)
  labels_shown <- sprintf("%d %s", found$rank, substr(found$query, 1, 40))
  boxes <- NULL
  size <- label_sizes
  rows <- lapply(seq_len(min(named, nrow(found))), function(i) {
    wide <- nchar(labels_shown[i]) * size$letter
    gap <- 1.6 * size$mark
    tries <- list(c(at_x[i] + gap, at_y[i], 0), c(at_x[i] - gap, at_y[i], 1),
      c(at_x[i], at_y[i] + size$height, 0), c(at_x[i], at_y[i] - size$height, 0),
      c(at_x[i], at_y[i] + size$height, 1), c(at_x[i], at_y[i] - size$height, 1))
    for (attempt in tries) {
      box <- c(attempt[1] - attempt[3] * wide, attempt[1] + (1 - attempt[3]) * wide,
        attempt[2] - size$height / 2,
        attempt[2] + size$height / 2)
      inside <- box[1] >= 0 && box[2] <= 1 && box[3] >= 0 && box[4] <= 1
      marks <- at_x > box[1] - size$mark & at_x < box[2] + size$mark &
        at_y > box[3] - size$mark & at_y < box[4] + size$mark
      marks[i] <- FALSE
      crossed <- any(vapply(boxes, function(other) {
        box[1] < other[2] && box[2] > other[1] && box[3] < other[4] && box[4] > other[3]
      }, NA))
      if (inside && !any(marks) && !crossed) {
        boxes[[length(boxes) + 1L]] <<- box
        return(data.table(said = labels_shown[i], at_x = x[1] + attempt[1] * diff(x),
          at_y = y[1] + attempt[2] * diff(y), hjust = attempt[3]))
      }
    }
  })
  none <- data.table(said = character(), at_x = numeric(), at_y = numeric(), hjust = numeric())
  rbindlist(c(list(none), rows))
}

# A look for each kind of finding, named by kind.
kind_values <- function(fact) vapply(finding_kinds(), `[[`, if (fact == "mark") 0 else "", fact)

map_label <- function(counts) {
  function(kind) sprintf("%s (%d)", kind_label(kind), counts[kind])
}

# Cannibalized queries side by side: which page was shown where, week by week, and which led.

contest_figure <- function(findings, most = 6) {
  found <- findings$findings
  found <- utils::head(found[kind_is(found$kind, "contest")], most)
  site_summary <- findings$summary
  if (!nrow(found) || is.null(site_summary$contested)) {
    abort_tide("There is no contest to draw.",
      where = "the list has no cannibalized query with dates", fix = "Draw the map instead.",
      class = "figure", fault = "call")
  }
  long <- rbindlist(lapply(seq_len(nrow(found)), function(i) {
    code <- match(found$query[i], site_summary$queries$query)
    rivals <-
      utils::head(match(strsplit(found$pages[i], " ", fixed = TRUE)[[1]], site_summary$pages$page),
      2)
    weeks <- contested_weeks(site_summary, code, rivals)
    first <- week_leaders(weeks, "page")
    set(weeks, j = "leads", value = weeks$page == first$leader[match(weeks$week, first$week)])
    all_weeks <- seq(min(weeks$week), max(weeks$week), by = 7L)
    full <- weeks[CJ(page = rivals, week = all_weeks), on = c("page", "week")]
    data.table(query = sprintf("%d. %s", found$rank[i], found$query[i]), order = i,
      side = ifelse(full$page == rivals[1], "keep", "other"), day = as.Date(full$week),
      position = full$position, leads = full$leads %in% TRUE)
  }))
  long[, "query" := factor(long$query, unique(long$query[order(long$order)]))]
  led <- range(long$position[long$leads], na.rm = TRUE)
  deepest <- 2 * min(max(30, led[1]), led[2])
  set(long, which(long$position > deepest), "position", NA_real_)
  colours <- c(keep = ink$main, other = ink$second)
  ggplot2::ggplot(long, ggplot2::aes(.data$day, .data$position, colour = .data$side)) +
    stretch_lines(unbroken(long, c("query", "side"), "day", "position"), linewidth = 0.4,
      alpha = 0.6) +
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
