#' @rdname tide_filter
#' @export
tide_filter.tide_summary <- function(data, ..., segments = NULL, rules = tide_rules()) {
  summary <- data
  segments <- stacked_segments(segments, ...)
  if (!length(segments)) return(summary)
  sums <- reduce_pairs(summary$cells)
  inside <- pairs_inside(summary, sums, segments, rules)
  if (!any(inside)) abort_nothing_inside(segments)
  keep <- sums[inside, c("query", "page")]
  for (table in c("cells", "recent_cells", "pairs")) {
    own <- summary[[table]]
    summary[[table]] <- own[among_pairs(own, keep)]
  }
  setkeyv(summary$cells, c("query", "page", "bin"))
  setkeyv(summary$recent_cells, c("query", "page", "bin"))
  if (!is.null(summary$contested)) {
    summary$contested <- summary$contested[summary$contested$query %in% keep$query]
  }
  if (!is.null(summary$weekly)) summary$weekly <- summary$weekly[among_pairs(summary$weekly, keep)]
  summary$left_out <-
    sum_left_out(rbind(summary$left_out, outside_line(summary, sums, inside, segments)))
  summary
}

abort_nothing_inside <- function(segments) {
  abort_tide("No row is left after filtering.",
    where = paste(vapply(segments, `[[`, "", "name"), collapse = "; "),
    fix = "Loosen one of these filters.", class = "nothing_left")
}

# Share and sums of what segments leave out.
outside_line <- function(summary, sums, inside, segments) {
  data.table(
    grain = summary$grain,
    reason = sprintf("outside '%s'", paste(vapply(segments, segment_title, ""), collapse = "', '")),
    rows = sum(!inside),
    clicks = sum(sums$clicks[!inside]),
    impressions = sum(sums$impressions[!inside]))
}

# The same as shares of all.
outside_shares <- function(outside, sums) {
  list(clicks = outside$clicks / max(1, sum(sums$clicks)),
    impressions = outside$impressions / sum(sums$impressions), reason = outside$reason)
}

segment_title <- function(segment) paste0(if (segment$not) "not ", segment$name)

# In: sums by query and page code. Out: which of them are in all segments.
pairs_inside <- function(summary, sums, segments, rules) {
  inside <- rep(TRUE, nrow(sums))
  if (!is.null(summary$brand)) rules$brand <- summary$brand
  for (segment in segments) {
    own <- rep(TRUE, nrow(sums))
    for (arg in names(segment$conditions)) {
      condition <- segment_conditions[[arg]]
      hit <- switch(
        condition$on,
        query = condition$test(summary$queries$query, segment$conditions[[arg]], rules)[sums$query],
        page = condition$test(summary$pages$page, segment$conditions[[arg]], rules)[sums$page],
        pair = condition$test(sums, segment$conditions[[arg]], rules),
        abort_tide(sprintf("`%s` is summed up already.", arg),
          where = sprintf("segment '%s'", segment$name),
          fix = "Filter the data with tide_filter() before tide_summary().", class = "grain",
          fault = "call"))
      own <- own & hit
    }
    inside <- inside & (own != segment$not)
  }
  inside
}

# What of a segment can wait until rows are summed up, and what cannot. Out: list(rows, pairs),
# segments or NULL.
split_segment <- function(segment) {
  on <- vapply(segment_conditions[names(segment$conditions)], `[[`, "", "on")
  late <- on %in% c("query", "page", "pair")
  part <- function(which) {
    if (any(which)) {
      structure(
        list(name = segment$name, conditions = segment$conditions[which], not = segment$not),
        class = c("tide_segment", "tide_result"))
    }
  }
  # The complement of a mixed stack is no stack of complements.
  if (segment$not && any(!late)) return(list(rows = segment, pairs = NULL))
  list(rows = part(!late), pairs = part(late))
}

# The table that holds what the segments ask for, by page too where there is one.
segmented_table <- function(data, segments, least) {
  asked <- unlist(lapply(segments,
    function(segment) vapply(segment_conditions[names(segment$conditions)], `[[`, "", "on")))
  needs <- union(least, setdiff(asked, "pair"))
  table <- pick_table(data, union(needs, "page"))
  if (is.null(table)) table <- pick_table(data, needs)
  if (is.null(table)) {
    abort_tide(sprintf("No table has %s.", paste(needs, collapse = " and ")),
      where = tables_read(data),
      fix = "Export with these dimensions, or split by something else.", class = "grain")
  }
  table
}

# Which rows are in each of two segments, or in one and the rest: a list of two, named.
segments_inside <- function(rows, segments, rules) {
  inside <- lapply(segments, function(segment) {
    gone <- unlist(segment_step(segment, rules)(rows), use.names = FALSE)
    !seq_len(nrow(rows)) %in% gone
  })
  if (length(segments) == 1) inside[[2]] <- !inside[[1]]
  names(inside) <- c(vapply(segments, segment_title, ""), if (length(segments) == 1) "the rest")
  empty <- !vapply(inside, any, NA)
  if (any(empty)) {
    abort_tide("A segment holds no rows.", where = sprintf("'%s'.", names(inside)[empty][1]),
      fix = "Loosen its conditions.", class = "nothing_left")
  }
  inside
}
