#' @rdname tide_filter
#' @export
tide_filter.tide_summary <- function(data, ..., segments = NULL, rules = tide_rules()) {
  site_summary <- data
  segments <- stacked_segments(segments, ...)
  if (!length(segments)) return(site_summary)
  sums <- reduce_pairs(site_summary$cells)
  inside <- pairs_inside(site_summary, sums, segments, rules)
  if (!any(inside)) abort_nothing_inside(segments)
  keep <- sums[inside, c("query", "page")]
  of_kept <- function(own) if (!is.null(own)) own[among_pairs(own, keep)]
  for (tbl in c("cells", "recent_cells", "pairs", "apart")) {
    if (!is.null(site_summary[[tbl]])) site_summary[[tbl]] <- of_kept(site_summary[[tbl]])
  }
  cells_of <- c("all", "recent")
  site_summary$parts <- lapply(site_summary$parts, function(part) {
    part[cells_of] <- lapply(part[cells_of], of_kept)
    part
  })
  if (!is.null(site_summary$missing$rows)) {
    site_summary$missing$rows <- of_kept(site_summary$missing$rows)
  }
  if (!is.null(site_summary$missing$whole)) {
    site_summary$missing$whole <- lapply(site_summary$missing$whole, of_kept)
  }
  setkeyv(site_summary$cells, c("query", "page", "bin"))
  setkeyv(site_summary$recent_cells, c("query", "page", "bin"))
  if (!is.null(site_summary$contested)) {
    site_summary$contested <- site_summary$contested[site_summary$contested$query %in% keep$query]
  }
  if (!is.null(site_summary$weekly)) site_summary$weekly <- of_kept(site_summary$weekly)
  site_summary$left_out <-
    sum_left_out(rbind(site_summary$left_out, outside_line(site_summary, sums, inside, segments)))
  site_summary
}

# Share and sums of what segments leave out.
outside_line <- function(summary, sums, inside, segments) {
  data.table(
    grain = summary$grain,
    reason = sprintf("outside '%s'", paste(vapply(segments, segment_title, ""), collapse = "', '")),
    rows = sum(!inside),
    clicks = sum(sums$clicks[!inside]),
    impressions = sum(sums$impressions[!inside]), cause = "asked")
}

# The same as shares of all.
outside_shares <- function(outside, sums) {
  list(clicks = outside$clicks / max(1, sum(sums$clicks)),
    impressions = outside$impressions / sum(sums$impressions), reason = outside$reason)
}

# In: sums by query and page code. Out: which of them are in all segments.
pairs_inside <- function(summary, sums, segments, rules) {
  use <- rows_inside(sums_seen(summary, sums, rules), segments)
  if (is.null(use)) rep(TRUE, nrow(sums)) else seq_len(nrow(sums)) %in% use
}

# What of a segment can wait until rows are summed up, and what cannot. Out: list(rows, pairs),
# segments or NULL.
split_segment <- function(segment) {
  if (length(segment$all_of) || length(segment$any_of)) {
    late <- all(conditions_on(segment) %in% c("query", "page", "pair"))
    return(list(rows = if (!late) segment, pairs = if (late) segment))
  }
  on <- conditions_on(segment)
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
  asked <- unlist(lapply(segments, conditions_on))
  needs <- union(least, setdiff(asked, "pair"))
  tbl <- pick_table(data, union(needs, "page"))
  if (is.null(tbl)) tbl <- pick_table(data, needs)
  if (is.null(tbl)) {
    abort_tide(sprintf("No table has %s.", paste(needs, collapse = " and ")),
      where = tables_read(data),
      fix = "Export with these dimensions, or split by something else.", class = "grain")
  }
  tbl
}
