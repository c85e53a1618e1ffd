# Tables of which rows are missing by a rule that looks at clicks: only rows with a click, or the
# best so many rows of each day. What is left is clicked too often, so curve and findings must know.

# In: the source and its reduction; the first recent day and the days that were taken out. Out: NULL
# where no rule is seen, else list(rule: "clicked" or "best"; each_day: rows of a day, NA; least:
# clicks that every row of `rows` has; rows: rows of a sample of pairs, of which nothing else is
# missing, as cells of one row; whole: list(all, recent), cells of the rows that would be there
# whatever their clicks, or NULL).
missing_rows <- function(source, reduced, recent_from, odd = NULL) {
  each_day <- rows_each_day(reduced)
  if (is.na(each_day)) {
    if (!only_clicked(source, reduced$all)) return(NULL)
    return(rows_by_clicks(source, reduced, 1, NA, odd))
  }
  cuts <- day_cuts(source)
  by_size <- cuts$smallest >= cuts$last_size
  if (mean(by_size) > data_limits$cut_days) return(NULL)
  # Where rows of one impression are the last of those without clicks, they stand in no order.
  in_order <- mean(cuts$last_size > 1 | cuts$least > 0) > data_limits$cut_days
  if (in_order && mean(cuts$least == 0) > data_limits$cut_days) {
    return(list(rule = "best", each_day = each_day, least = 0,
      whole = rows_above_cuts(source, reduced, cuts[cuts$least == 0], recent_from, odd)))
  }
  rows_by_clicks(source, reduced, max(cuts$least) + 1, each_day, odd)
}

# The same number of rows on nearly every day, of ever other pairs: NA where it is none.
rows_each_day <- function(reduced) {
  rows <- reduced$by_day[["rows"]]
  if (length(rows) < 7) return(NA_real_)
  usual <- max(rows)
  pairs <- sum(!duplicated(reduced$all[, c("query", "page")]))
  if (usual < data_limits$cut_rows || mean(rows == usual) <= data_limits$cut_days ||
      pairs < data_limits$cut_pairs * usual) {
    return(NA_real_)
  }
  usual
}

# No row without a click, where those of one and of two clicks say that there were many: at least
# the square of the former over twice the latter (Chao 1984).
only_clicked <- function(source, cells) {
  # Sums of rows that are all clicked have as many clicks as rows.
  if (any(cells$clicks < cells$rows)) return(FALSE)
  once <- twice <- 0
  for (chunk in source$chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    if (any(rows$clicks < 1)) return(FALSE)
    once <- once + sum(rows$clicks == 1)
    twice <- twice + sum(rows$clicks == 2)
  }
  once^2 / (2 * max(1, twice)) >= data_limits$cut_unseen
}

# Where each day was cut: `least` clicks of its rows, the fewest impressions of those (`last_size`)
# and of all.
day_cuts <- function(source) {
  cuts <- rbindlist(lapply(source$chunks, function(chunk) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) return(NULL)
    rows[order(date, clicks, impressions),
      .(least = clicks[1], last_size = impressions[1], smallest = min(impressions)), by = "date"]
  }))
  smallest <- cuts[, .(smallest = min(smallest)), by = "date"]
  setorderv(cuts, c("date", "least", "last_size"))
  cuts <- cuts[!duplicated(cuts$date), c("date", "least", "last_size")]
  cuts[smallest, on = "date"]
}

# Rows with more impressions than the last of their day are there whatever their clicks.
rows_above_cuts <- function(source, reduced, cuts, recent_from, odd) {
  cuts <- cuts[!cuts$date %in% odd]
  sums <- begin_cells(recent_from)
  for (chunk in source$chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    last_size <- cuts$last_size[match(rows$date, cuts$date)]
    put_cells(sums, coded_figures(rows, which(rows$impressions > last_size), reduced),
      rows$date[which(rows$impressions > last_size)], recent_from)
  }
  finish_cells(end_cells(sums))
}

rows_by_clicks <- function(source, reduced, least, each_day, odd) {
  total <- sum(reduced$all$rows)
  rows <- rbindlist(lapply(source$chunks, function(chunk) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) return(NULL)
    use <- rows$clicks >= least
    if (length(odd)) use <- use & !rows$date %in% odd
    work <- coded_figures(rows, which(use), reduced)
    share <- as.integer(max(1, ceiling(total / data_limits$cut_sample)))
    setDT(work)[.Call(rows_of_share, work$query, work$page, share)]
  }))
  set(rows, j = c("bin", "weighted", "rows"),
    value = list(position_bin(rows$position), rows$impressions * rows$position, 1))
  setorderv(rows, c("query", "page", "bin"))
  list(rule = "clicked", each_day = each_day, least = least, rows = rows[])
}

# Some rows of a chunk in the codes of the reduction.
coded_figures <- function(rows, use, reduced) {
  c(codes_of(rows[use], reduced), list(clicks = as.numeric(rows$clicks[use]),
    impressions = as.numeric(rows$impressions[use]), position = as.numeric(rows$position[use])))
}

missing_lines <- function(missing) {
  if (is.null(missing)) return(character())
  if (missing$rule == "best") {
    sprintf(paste("  cut: the best %s rows of each day, so rows with few clicks are missing;",
      "curve and low CTR rest on the rows above each day's cut"), format_count(missing$each_day))
  } else if (missing$least > 1) {
    sprintf(paste("  cut: the best %s rows of each day, all with clicks; the curve is corrected",
      "for it, low CTR rests on rows of many clicks"), format_count(missing$each_day))
  } else {
    paste("  cut: no row is without a click, so rows are missing; the curve is corrected for it,",
      "low CTR rests on rows of many clicks")
  }
}
