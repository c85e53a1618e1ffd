# A comparison as a table of whole clicks, in which every row and every column adds up.

#' @export
format.tide_change <- function(x, n = 20, width = 80, keep = "all_days = TRUE", ...) {
  table <- comparison_table(x, n)
  own <- table[table$row == "line"]
  marked <- if (x$level != "site") utils::head(which(own$significant), 3)
  said <- vapply(marked,
    function(i) change_sentence(own[i], line_name(own$name[i], x$level), x), "")
  positions <- lost_position_lines(x)
  c(comparison_head(x, width, keep), "", table_lines(x, table, width),
    if (length(said)) c("", unlist(lapply(paste("*", said), strwrap, width, exdent = 2))),
    if (length(positions)) c("", unlist(lapply(positions, strwrap, width, exdent = 2))))
}

comparison_head <- function(x, width, keep = NULL) {
  wrap_lines(c(sides_line(x, keep), site_sentences(x), season_line(x), events_line(x),
    came_line(x), significant_line(x)),
    width)
}

table_lines <- function(x, table, width) {
  free <- max(16, width - 60)
  names <- ifelse(table$row == "line" & x$level == "page", format_path(table$name), table$name)
  if (x$level == "site" && length(x$chosen)) names <- "what was chosen"
  names <- if (x$level == "page") fit_path(names, free) else fit_text(names, free)
  heads <- if (is.null(x$sides)) c("before", "after") else trimws(fit_text(x$sides, 7))
  line <- function(name, cells, real) {
    paste0(name, paste0(pad_left(cells, c(8, 8, 8, 8, 9, 8, 9)), collapse = ""), real)
  }
  signs <- c("change", part_names)
  cells <- do.call(cbind, c(
    lapply(c("clicks_before", "clicks_after"), function(of) format_count(table[[of]])),
    lapply(signs, function(of) signed_count(table[[of]]))))
  c(line(fit_text(x$level, free), c(heads, "change", "demand", "position", "CTR", "new/lost"), ""),
    vapply(seq_len(nrow(table)),
      function(i) line(names[i], cells[i, ], if (table$significant[i]) " *" else ""), ""))
}

# The first n lines, the others in one, and all: data.table(row: line, more or all; name,
# clicks_before, clicks_after, change, the parts, real), in whole clicks.
comparison_table <- function(x, n) {
  figures <- c("clicks_before", "clicks_after", part_names)
  all <- whole_lines(x$site)
  shown <- utils::head(x$moves, n)
  others <- nrow(x$moves) - nrow(shown)
  lines <- shown[, c("name", figures, "significant"), with = FALSE]
  if (others > 0) {
    sums <- lapply(figures, function(of) x$site[[of]] - sum(shown[[of]]))
    lines <- rbind(lines, c(list(name = sprintf("%s more", format_count(others))),
      stats::setNames(sums, figures), list(significant = FALSE)))
  }
  lines <- whole_lines(lines, all, free = if (others > 0) nrow(lines))
  set(lines, j = "row", value = rep(c("line", "more"), c(nrow(shown), others > 0)))
  if (nrow(x$moves) == 1) return(lines)
  set(all, j = c("name", "significant", "row"),
    value = list(sprintf("all %s", level_count(nrow(x$moves), x$level)), FALSE, "all"))
  rbind(lines, all, fill = TRUE)
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
    step <- sign(total - sum(whole))
    cost <- abs(whole + step - x) - abs(whole - x) + ifelse(abs(x) < 1e-9, 10, 0)
    at <- which.min(cost)
    whole[at] <- whole[at] + step
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
