# Days that tell nothing of how people click: tracking that stood still, bots that see and never
# click. The curve is fitted without them; everything else keeps and shows them.

# Unusual days whose clicks and impressions do not go together. Out: date, clicks, impressions, ctr,
# usual_ctr.
odd_days <- function(by_day) {
  none <- data.table(date = as.IDate(character()), clicks = numeric(), impressions = numeric(),
    ctr = numeric(),
    usual_ctr = numeric())
  if (is.null(by_day) || nrow(by_day) < 21) return(none)
  runs <- odd_runs(by_day, 1L)
  runs <- runs[runs$what %in% c("clicks missing", "seen, not clicked", "clicked beyond the usual")]
  if (!nrow(runs)) return(none)
  days <- listed_dates(runs)
  run <- rep(seq_len(nrow(runs)), runs$days)
  data.table(by_day[match(days, by_day$date), c("date", "clicks", "impressions", "ctr")],
    usual_ctr = (runs$usual_clicks / runs$usual_impressions)[run])
}

# Sums add up, so what those days brought can be taken off again.
without_days <- function(reduced, chunks, days, split) {
  for (chunk in chunks) {
    rows <- chunk(min(days))
    if (is.null(rows) || !nrow(rows)) next
    at <- which(rows$date %in% days)
    if (!length(at)) next
    codes <- if (!is.null(reduced$codes)) lapply(reduced$codes, `[`, at) else
      list(query = known_codes(rows$query[at], reduced$queries$keys, query_key),
        page = if (is.null(rows[["page"]])) rep(1L, length(at)) else known_codes(rows$page[at],
        reduced$pages$keys,
          page_key))
    work <- c(codes, list(clicks = rows$clicks[at], impressions = rows$impressions[at],
      position = rows$position[at]))
    reduced$all <- key_cells(take_off(reduced$all, reduce_cells(work), c("query", "page", "bin")))
    if (!is.null(split)) {
      reduced$split_cells <- take_off(reduced$split_cells,
        reduce_split(work, split_labels(rows[at], split)),
        c("part", "query", "page", "bin"))
    }
  }
  reduced
}

take_off <- function(cells, away, by) {
  sums <- c("clicks", "impressions", "weighted", "rows")
  away <- copy(away)
  for (column in sums) set(away, j = column, value = -away[[column]])
  columns <- c(by, sums)
  left <- rbind(cells[, columns, with = FALSE], away[, columns, with = FALSE])[, lapply(.SD, sum),
    by = by]
  left[left$impressions > 0.5]
}

odd_day_lines <- function(odd) {
  if (!NROW(odd)) return(character())
  sprintf("  left out of the curve: %s of unlikely CTR, the first %s (%s, usually %s)",
    format_plural(nrow(odd), "day"),
    format(odd$date[1]), format_rate(odd$ctr[1]), format_rate(odd$usual_ctr[1]))
}
