# Parts side by side as text: how much each is of all, where it stands, how it is clicked there.

#' @export
format.tide_comparison <- function(x, width = 80, ...) {
  at <- x$parts
  label <- part_names_shown(at)
  name <- min(max(nchar(label, "width"), 8), max(12, width - 64))
  if (all(is.na(at$positions_1_3))) return(totals_lines(x, label, width))
  line <- function(...) paste0(fit_text(..1, name), pad_left(..2, 9), pad_left(..3, 6),
    pad_left(..4, 6), pad_left(..5, 5), pad_left(..6, 14), "  ", ..7)
  against <- ifelse(is.na(at$ratio), "",
    sprintf("x%.2f (%.2f to %.2f)", at$ratio, at$ratio_low, at$ratio_high))
  stands <- sprintf("%.0f/%.0f/%.0f", 100 * at$positions_1_3, 100 * at$positions_4_10,
    100 * at$positions_11_up)
  window <- if (is.na(x$to)) "no dates" else format_days(x$from, x$to)
  explained <- c(
    comparison_verdict(at, x$by),
    "1-3/4-10/11+: % of impressions at these positions.",
    if (any(!is.na(at$ratio))) {
      "At equal position: CTR over that of the rest, with its 90 % interval."
    })
  c(
    wrap_lines(c(sprintf("By %s, %s", gsub("_", " ", x$by), window), x$note), width),
    "",
    line("", "clicks", "share", "CTR", "pos", "1-3/4-10/11+", "at equal position"),
    sub(" +$", "", line(label, format_count(at$clicks), format_share(at$click_share),
      format_rate(at$ctr), format_position(at$position), stands, against)),
    "",
    wrap_lines(explained, width),
    if (nrow(x$left_out)) wrap_lines(left_out_lines(x$left_out), width))
}

# Without queries: totals alone; of two windows also by how much they differ.
totals_lines <- function(x, label, width) {
  at <- x$parts
  shared <- !all(is.na(at$click_share))
  name <- min(max(nchar(label, "width")), max(12, width - 50))
  line <- function(label, clicks, impressions, share, ctr, position) {
    sub(" +$", "", paste0(fit_text(label, name), pad_left(clicks, 11), pad_left(impressions, 13),
      if (shared) pad_left(share, 8), pad_left(ctr, 8), pad_left(position, 10)))
  }
  window <- if (is.na(x$to)) "no dates" else format_days(x$from, x$to)
  c(
    sprintf("By %s, %s", gsub("_", " ", x$by), window),
    "",
    line("", "clicks", "impressions", "share", "CTR", "position"),
    line(label, format_count(at$clicks), format_count(at$impressions),
      ifelse(is.na(at$click_share), "", format_share(at$click_share)), format_rate(at$ctr),
      format_position(at$position)),
    if (x$by == "window") {
      line("change", percent_change(at$clicks[1] / at$clicks[2]),
        percent_change(at$impressions[1] / at$impressions[2]), "",
        percent_change(at$ctr[1] / at$ctr[2]),
        if (anyNA(at$position)) "" else sprintf("%+.1f", at$position[1] - at$position[2]))
    },
    "",
    wrap_lines(c(if (shared) "share: of the site's clicks.", x$note), width),
    if (nrow(x$left_out)) wrap_lines(left_out_lines(x$left_out), width))
}

part_names_shown <- function(at) {
  ifelse(at$side == "brand", paste(at$segment, "(brand)"), at$segment)
}

# What the widest sure difference says, in words: of queries without brand where there are any.
comparison_verdict <- function(at, by) {
  if (all(is.na(at$ratio))) {
    return(if (by == "band") {
      "Bands of position are not compared at equal position."
    } else if (length(unique(at$segment)) == 1) {
      "There is one part alone, and nothing to compare it with."
    } else {
      "Too few queries are at the same positions to compare the parts there."
    })
  }
  plain <- at[at$side != "brand"]
  if (nrow(plain)) at <- plain
  sure <- which((at$ratio_low > 1 | at$ratio_high < 1) & at$segment != "other")
  brand <- if (at$side[1] == "non-brand") "Without brand queries, at" else "At"
  if (!length(sure)) {
    return(paste(brand, "equal position no part is clicked more or less than the rest by more",
      "than queries differ (90 % intervals)."))
  }
  top <- sure[which.max(abs(log(at$ratio[sure])) * at$impression_share[sure])]
  sprintf("%s equal position %s has a CTR %.0f%% %s than %s: %s, where that would have %s.", brand,
    at$segment[top], 100 * abs(at$ratio[top] - 1), if (at$ratio[top] > 1) "higher" else "lower",
    if (by == "segment") at$segment[-top] else "the rest", format_rate(at$ctr[top]),
    format_rate(at$ctr_at_equal[top]))
}
