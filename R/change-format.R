# A comparison as a table of whole clicks, in which every row and every column adds up.

#' @export
format.tide_change <- function(x, n = 20, width = 80, keep = "all_days = TRUE", ...) {
  c(change_answer(x, n, width, keep), "", wrap_lines(change_causes(x), width), "",
    wrap_lines(change_besides(x), width))
}

# The sentence, the windows, the table. lines: of the table, in the order they are to stand.
change_answer <- function(x, n, width, keep = NULL, lines = x$moves) {
  c(wrap_lines(c(paste(site_sentences(x), collapse = " "), sides_line(x, keep)), width), "",
    table_lines(x, comparison_table(x, n, lines), width))
}

# Why: what the lines have in common, the season, events, what drives it.
change_causes <- function(x, most = 2) {
  c(significant_line(x), private_line(x), season_line(x), events_line(x),
    if (is.null(x$sides)) utils::head(x$drivers, most)$sentence)
}

# What else is known of the change.
change_besides <- function(x) {
  c(came_line(x), lost_position_lines(x))
}

comparison_head <- function(x, width, keep = NULL) {
  wrap_lines(c(site_sentences(x), private_line(x), sides_line(x, keep), significant_line(x)),
    width)
}

# Two lines a row: its name and why it changed, then clicks, impressions, CTR and position.
table_lines <- function(x, table, width) {
  if (x$level == "site" && length(x$chosen)) set(table, j = "name", value = "what was chosen")
  heads <- if (is.null(x$sides)) c("before", "after") else trimws(fit_text(x$sides, 7))
  rate_change <- 100 * (table$ctr_after - table$ctr_before)
  place_change <- table$position_after - table$position_before
  known <- function(x) ifelse(is.na(x), "", x)
  groups <- list(
    clicks = list(format_count(table$clicks_before), format_count(table$clicks_after),
      signed_count(table$change)),
    impressions = list(format_count(table$impressions_before),
      format_count(table$impressions_after),
      signed_count(round(table$impressions_after) - round(table$impressions_before))),
    CTR = list(known(format_rate(table$ctr_before)), known(format_rate(table$ctr_after)),
      signed_tenth(rate_change)),
    position = list(known(format_position(table$position_before)),
      known(format_position(table$position_after)), signed_tenth(place_change)))
  titles <- Map(function(name) c(heads, if (name == "CTR") "points" else "change"), names(groups))
  columns <- unlist(Map(function(cells, heads) {
    Map(function(cell, head) pad_left(c(head, cell), max(nchar(c(head, cell), "width"))), cells,
      heads)
  }, groups, titles), recursive = FALSE, use.names = FALSE)
  gap <- rep(c("  ", " ", " "), 4)
  text <- do.call(paste0, c(rbind(as.list(gap), columns)))
  ends <- cumsum(nchar(gap) + vapply(columns, function(of) nchar(of[1], "width"), 0L))
  ends <- ends[c(3, 6, 9, 12)]
  over <- Reduce(function(line, i) paste0(line, pad_left(names(groups)[i], ends[i] -
    nchar(line, "width"))), seq_along(groups), "")
  parts <- why_parts(table)
  free <- width - nchar(parts, "width") - 1L
  fit <- if (x$level == "page") fit_path else fit_text
  shown <- ifelse(table$row == "line" & x$level == "page", format_path(table$name), table$name)
  shown <- paste0(mapply(function(name, free) trimws(fit(name, min(nchar(name, "width"), free))),
    shown, pmax(16, free - 2)), ifelse(table$significant, " *", ""))
  c(over, text[1], rbind(paste0(shown, parts), text[-1]))
}

# ": 164 by position, 12 by CTR", the largest first, of whole clicks.
why_parts <- function(table, most = 3) {
  parts <- as.matrix(table[, part_names, with = FALSE])
  vapply(seq_len(nrow(parts)), function(i) {
    own <- parts[i, order(-abs(parts[i, ]))]
    own <- utils::head(own[round(own) != 0], most)
    if (!length(own)) return("")
    paste0(": ", paste(signed_count(own), "by", part_words[names(own)], collapse = ", "))
  }, "")
}

# The first n lines, the others in one, and all: data.table(row: line, more or all; name, clicks,
# the change and its parts in whole clicks, impressions, CTR and position of both windows,
# significant). lines: those shown first.
comparison_table <- function(x, n, lines = x$moves) {
  figures <- c("clicks_before", "clicks_after", part_names)
  exact <- c("impressions_before", "impressions_after", "position_before", "position_after")
  site_row <- whole_lines(x$site)
  shown <- utils::head(lines, n)
  others <- nrow(x$moves) - nrow(shown)
  out <- shown[, c("name", figures, exact, "significant"), with = FALSE]
  if (others > 0) {
    rest <- x$moves[!x$moves$name %in% shown$name]
    sums <- lapply(figures, function(of) x$site[[of]] - sum(shown[[of]]))
    mean_position <- function(side) {
      shown_times <- rest[[paste0("impressions_", side)]]
      stats::weighted.mean(rest[[paste0("position_", side)]], shown_times, na.rm = TRUE)
    }
    out <- rbind(out, c(list(name = sprintf("%s more", format_count(others))),
      stats::setNames(sums, figures), list(impressions_before = sum(rest$impressions_before),
        impressions_after = sum(rest$impressions_after),
        position_before = mean_position("before"), position_after = mean_position("after"),
        significant = FALSE)))
  }
  out <- whole_lines(out, site_row, free = if (others > 0) nrow(out))
  set(out, j = "row", value = rep(c("line", "more"), c(nrow(shown), others > 0)))
  if (nrow(x$moves) > 1) {
    set(site_row, j = c("name", "significant", "row"),
      value = list(sprintf("all %s", level_count(nrow(x$moves), x$level)), FALSE, "all"))
    out <- rbind(out, site_row[, names(out), with = FALSE])
  }
  set(out, j = c("ctr_before", "ctr_after"), value = list(
    fifelse(out$impressions_before > 0, out$clicks_before / out$impressions_before, NA_real_),
    fifelse(out$impressions_after > 0, out$clicks_after / out$impressions_after, NA_real_)))
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
        signed_tenth(at$position[1] - at$position[2]))
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
