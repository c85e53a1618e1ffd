# The arithmetic behind one finding, from rows to score.

#' @rdname tide_trace
#' @export
tide_trace.tide_findings <- function(data, what, ...) {
  check_no_more(...)
  check_text(what, "what")
  findings <- data
  id <- what
  lines <- rbind(findings$findings, findings$decided, fill = TRUE)
  at_row <- match(id, lines$id)
  if (is.na(at_row)) {
    abort_tide(sprintf("The list holds no finding %s.", id),
      where = sprintf("It has %s.", format_plural(nrow(lines), "finding")),
      fix = "Take an id from the list as it is now.",
      class = "finding", fault = "call")
  }
  same <- which(lines$task == lines$task[at_row] & lines$id != id)
  explained(in_sentences(findings, lines[at_row]), lines[same],
    finding_cells(findings, lines[at_row]),
    derivation_lines(findings, id)[[1]], assumption_lines(lines$kind[at_row], findings$assumptions))
}

explained <- function(finding, along, cells, derivation, assumptions) {
  structure(list(finding = finding, cells = cells,
    steps = c(derivation, score_steps(finding, along), assumptions)),
    class = c("tide_explained", "tide_result"))
}

# The position cells that lines rest on: data.table(page, position, clicks, impressions, curve,
# expected), with `id` where lines are several.
finding_cells <- function(findings, lines) {
  site_summary <- findings$summary
  pages <- strsplit(lines$pages, " ", fixed = TRUE)
  about <- data.table(id = rep(lines$id, lengths(pages)),
    query = rep(match(lines$query, site_summary$queries$query), lengths(pages)),
    page = match(unlist(pages), site_summary$pages$page))
  own <- site_summary$recent_cells[about, on = c("query", "page"), nomatch = NULL]
  # The curve for those who search for it.
  audience <- findings$pairs$audience[findings$pairs[own, on = c("query", "page"), which = TRUE]]
  ctr <- audience * cells_on_curve(own, site_summary, findings$curve) / own$impressions
  cells <- data.table(id = own$id, page = site_summary$pages$page[own$page],
    position = own$position,
    clicks = own$clicks, impressions = own$impressions, curve = ctr,
    expected = ctr * own$impressions)
  setorderv(cells, c("page", "position"))
  if (nrow(lines) == 1) set(cells, j = "id", value = NULL)
  cells[]
}

score_steps <- function(finding, along) {
  money <- !is.null(finding[["gain_value"]])
  c(
    sprintf("90 %% interval of what it brings if done: %.2f to %.2f", finding$if_done_low,
      finding$if_done_high),
    sprintf("gain = if done x confidence x chance = %.4g x %.3f x %.3f = %.4g", finding$if_done,
      finding$confidence, finding$chance, finding$gain),
    if (money) {
      sprintf("if done %.2f conversions and %.2f in money; gain %.2f and %.2f",
        finding$if_done_conversions, finding$if_done_value, finding$gain_conversions,
        finding$gain_value)
    },
    if (finding$hours > 0) {
      task_gains <- c(sorted_by(finding), sorted_by(along))
      sprintf("score = gain%s / hours = %.2f / %g = %.2f",
        if (nrow(along)) sprintf(" of the task's %d lines", length(task_gains)) else "",
        sum(task_gains),
        finding$hours, finding$score)
    } else {
      "other lines of its task are served by the same step; the first has the hours and the score"
    })
}

#' @export
format.tide_explained <- function(x, width = 80, cells = TRUE, ...) {
  c(
    wrap_lines(c(
      sprintf("%s: %s, \"%s\"", x$finding$id, kind_label(x$finding$kind), x$finding$query),
      sprintf("Next step: %s", x$finding$action),
      x$finding$reason,
      "",
      sprintf("%d. %s", seq_along(x$steps), x$steps)),
      width),
    if (cells) c("", explained_cells(x)))
}

# Clicks by position, and what the curve expects of each.
explained_cells <- function(x) {
  cells <- x$cells
  text_line <- function(...) paste0("  ", pad_left(..1, 9), pad_left(..2, 8), pad_left(..3, 9),
    pad_left(..4, 9), pad_left(..5, 10))
  shown <- utils::head(cells[order(-cells$expected)], 12)
  shown <- shown[order(shown$page, shown$position)]
  rest <- nrow(cells) - nrow(shown)
  of_pages <- unlist(lapply(unique(shown$page), function(address) {
    own <- shown[shown$page == address]
    c(
      format_path(address),
      text_line("position", "clicks", "impr.", "curve", "expected"),
      text_line(sprintf("%.2f", own$position), format_count(own$clicks),
        format_count(own$impressions),
        sprintf("%.4f", own$curve), sprintf("%.2f", own$expected)))
  }))
  c(
    "Position cells of the recent window, and what the curve expects of each",
    of_pages,
    if (rest > 0) sprintf("  and %s more cells", format_count(rest)),
    sprintf("  all: %s clicks, %s impressions, %.2f expected", format_count(sum(cells$clicks)),
      format_count(sum(cells$impressions)), sum(cells$expected)))
}
