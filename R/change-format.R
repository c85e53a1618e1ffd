# A comparison as a table of whole clicks, in which every row and every column adds up.

#' @export
format.tide_change <- function(x, n = 20, width = 80, keep = "all_days = TRUE", ...) {
  tbl <- comparison_table(x, n)
  own <- tbl[tbl$row == "line"]
  marked <- if (x$level != "site") utils::head(which(own$significant), 3)
  sentences <- vapply(marked,
    function(i) change_sentence(own[i], line_name(own$name[i], x$level), x), "")
  positions <- lost_position_lines(x)
  c(comparison_head(x, width, keep), "", table_lines(x, tbl, width),
    if (length(sentences)) c("", unlist(lapply(paste("*", sentences), strwrap, width, exdent = 2))),
    if (length(positions)) c("", unlist(lapply(positions, strwrap, width, exdent = 2))))
}

comparison_head <- function(x, width, keep = NULL) {
  wrap_lines(c(sides_line(x, keep), site_sentences(x), season_line(x), events_line(x),
    came_line(x), significant_line(x)),
    width)
}

table_lines <- function(x, table, width) {
  free <- max(16, width - 60)
  shown_names <- ifelse(table$row == "line" & x$level == "page", format_path(table$name),
    table$name)
  if (x$level == "site" && length(x$chosen)) shown_names <- "what was chosen"
  shown_names <- if (x$level == "page") fit_path(shown_names, free) else fit_text(shown_names, free)
  heads <- if (is.null(x$sides)) c("before", "after") else trimws(fit_text(x$sides, 7))
  text_line <- function(name, cells, real) {
    paste0(name, paste0(pad_left(cells, c(8, 8, 8, 8, 9, 8, 9)), collapse = ""), real)
  }
  signs <- c("change", part_names)
  cells <- do.call(cbind, c(
    lapply(c("clicks_before", "clicks_after"), function(of) format_count(table[[of]])),
    lapply(signs, function(of) signed_count(table[[of]]))))
  c(text_line(fit_text(x$level, free), c(heads, "change", "demand", "position", "CTR", "new/lost"),
    ""),
    vapply(seq_len(nrow(table)),
      function(i) text_line(shown_names[i], cells[i, ], if (table$significant[i]) " *" else ""),
      ""))
}

# The first n lines, the others in one, and all: data.table(row: line, more or all; name,
# clicks_before, clicks_after, change, the parts, real), in whole clicks.
comparison_table <- function(x, n) {
  figures <- c("clicks_before", "clicks_after", part_names)
  site_row <- whole_lines(x$site)
  shown <- utils::head(x$moves, n)
  others <- nrow(x$moves) - nrow(shown)
  lines <- shown[, c("name", figures, "significant"), with = FALSE]
  if (others > 0) {
    sums <- lapply(figures, function(of) x$site[[of]] - sum(shown[[of]]))
    lines <- rbind(lines, c(list(name = sprintf("%s more", format_count(others))),
      stats::setNames(sums, figures), list(significant = FALSE)))
  }
  lines <- whole_lines(lines, site_row, free = if (others > 0) nrow(lines))
  set(lines, j = "row", value = rep(c("line", "more"), c(nrow(shown), others > 0)))
  if (nrow(x$moves) == 1) return(lines)
  set(site_row, j = c("name", "significant", "row"),
    value = list(sprintf("all %s", level_count(nrow(x$moves), x$level)), FALSE, "all"))
  rbind(lines, site_row, fill = TRUE)
}

# Figures of lines in whole clicks: parts add up to the change of their line and, where `all` is
# given, lines to it. free: the row that takes what rounding leaves, if there is one.
whole_lines <- function(lines, all = NULL, free = NULL) {
  out <- copy(lines)
  for (of in c("clicks_before", "clicks_after")) {
    whole <- round(lines[[of]])
    if (!is.null(free)) whole[free] <- all[[of]] - sum(whole[-free])
    if (!is.null(all) && is.null(free)) whole <- whole_shares(lines[[of]], all[[of]])
    set(out, j = of, value = whole)
  }
  set(out, j = "change", value = out$clicks_after - out$clicks_before)
  parts <- as.matrix(lines[, part_names, with = FALSE])
  whole <- parts
  for (i in seq_len(nrow(parts))) whole[i, ] <- whole_shares(parts[i, ], out$change[i])
  if (!is.null(all)) {
    whole <- balance_columns(whole, parts, unlist(all[, part_names, with = FALSE]), free)
  }
  for (i in seq_along(part_names)) set(out, j = part_names[i], value = whole[, i])
  out
}

# Whole numbers next to x with a given sum; what is nothing stays nothing where it can.
whole_shares <- function(x, total) {
  whole <- round(x)
  while (abs(total - sum(whole)) > 0.5) {
    unit <- sign(total - sum(whole))
    cost <- abs(whole + unit - x) - abs(whole - x) + ifelse(abs(x) < 1e-9, 10, 0)
    at <- which.min(cost)
    whole[at] <- whole[at] + unit
  }
  whole
}

# Moves single clicks between the columns of a row until columns have their sums too, where it costs
# least, or in the row that is free for it.
balance_columns <- function(whole, exact, sums, free = NULL) {
  repeat {
    off <- sums - colSums(whole)
    if (all(abs(off) < 0.5)) return(whole)
    to <- which.max(off)
    from <- which.min(off)
    cost <- abs(whole[, to] + 1 - exact[, to]) + abs(whole[, from] - 1 - exact[, from]) -
      abs(whole[, to] - exact[, to]) - abs(whole[, from] - exact[, from])
    at <- if (is.null(free)) which.min(cost) else free
    whole[at, to] <- whole[at, to] + 1
    whole[at, from] <- whole[at, from] - 1
  }
}

# Parts side by side as text: how much each is of all, where it stands, how it is clicked there.

#' @export
format.tide_comparison <- function(x, width = 80, ...) {
  at <- x$parts
  label <- part_names_shown(at)
  name <- min(max(nchar(label, "width"), 8), max(12, width - 64))
  if (all(is.na(at$positions_1_3))) return(totals_lines(x, label, width))
  text_line <- function(...) paste0(fit_text(..1, name), pad_left(..2, 9), pad_left(..3, 6),
    pad_left(..4, 6), pad_left(..5, 5), pad_left(..6, 14), "  ", ..7)
  against <- ifelse(is.na(at$ratio), "",
    sprintf("x%.2f (%.2f to %.2f)", at$ratio, at$ratio_low, at$ratio_high))
  stands <- sprintf("%.0f/%.0f/%.0f", 100 * at$positions_1_3, 100 * at$positions_4_10,
    100 * at$positions_11_up)
  span <- if (is.na(x$to)) "no dates" else format_days(x$from, x$to)
  explained <- c(
    comparison_verdict(at, x$by),
    "1-3/4-10/11+: % of impressions at these positions.",
    if (any(!is.na(at$ratio))) {
      "At equal position: CTR over that of the rest, with its 90 % interval."
    })
  c(
    wrap_lines(c(sprintf("By %s, %s", gsub("_", " ", x$by), span), x$note), width),
    "",
    text_line("", "clicks", "share", "CTR", "pos", "1-3/4-10/11+", "at equal position"),
    sub(" +$", "", text_line(label, format_count(at$clicks), format_share(at$click_share),
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
  text_line <- function(label, clicks, impressions, share, ctr, position) {
    sub(" +$", "", paste0(fit_text(label, name), pad_left(clicks, 11), pad_left(impressions, 13),
      if (shared) pad_left(share, 8), pad_left(ctr, 8), pad_left(position, 10)))
  }
  span <- if (is.na(x$to)) "no dates" else format_days(x$from, x$to)
  c(
    sprintf("By %s, %s", gsub("_", " ", x$by), span),
    "",
    text_line("", "clicks", "impressions", "share", "CTR", "position"),
    text_line(label, format_count(at$clicks), format_count(at$impressions),
      ifelse(is.na(at$click_share), "", format_share(at$click_share)), format_rate(at$ctr),
      format_position(at$position)),
    if (x$by == "window") {
      text_line("change", percent_change(at$clicks[1] / at$clicks[2]),
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
