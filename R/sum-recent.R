# What is needed of the recent days besides sums: `contested`, by day, of queries that more than one
# page is shown for, and `weekly`, of the pairs seen most, without the odd days. One chunk is in
# memory still; of several, those with recent days are gone through once more, for these queries
# alone.
recent_rows <- function(source, reduced, pairs, recent_from, last, odd = NULL) {
  several <- pairs[pairs$impressions >= 5, .N, by = "query"]
  several <- several$query[several$N > 1]
  often <- pairs_seen_most(pairs)
  flag <- function(codes) replace(logical(length(reduced$queries$keys)), codes, TRUE)
  contested <- flag(several)
  weighed <- flag(often$query)
  by_day <- begin_cells(NULL)
  by_week <- begin_cells(NULL)
  for (chunk in source$of_queries(reduced, union(several, often$query), recent_from)) {
    rows <- chunk(recent_from)
    if (is.null(rows) || !nrow(rows)) next
    codes <- first_given(reduced$codes, codes_of(rows, reduced))
    day <- as.integer(rows$date)
    recent <- day >= as.integer(recent_from)
    put <- function(sums, wanted, bin) {
      use <- which(wanted)
      put_cells(sums, c(lapply(codes, `[`, use), list(clicks = rows$clicks[use],
        impressions = rows$impressions[use], position = rows$position[use])),
        bin = bin[use])
    }
    put(by_day, contested[codes$query] & recent, day)
    # Whole weeks, counted back from the last day; 0: the days before the first.
    put(by_week, weighed[codes$query] & recent & !day %in% as.integer(odd),
      as.integer(last - recent_from + 1) %/% 7L - (as.integer(last) - day) %/% 7L)
  }
  days <- binned_cells(by_day, "date")
  weekly <- binned_cells(by_week, "week")
  set(days, j = "date", value = as.IDate(days$date))
  list(contested = setkeyv(days, c("query", "page", "date")),
    weekly = if (nrow(weekly)) {
      setkeyv(weekly[among_pairs(weekly, often)], c("query", "page", "week"))
    })
}

# Sums whose bins are days or weeks.
binned_cells <- function(sums, bin) {
  cells <- end_cells(sums)$all
  setnames(cells, "bin", bin)
  add_ratios(cells)
  set(cells, j = c("weighted", "rows"), value = NULL)
  cells[]
}

# Pairs whose course by week can tell something.
pairs_seen_most <- function(pairs, most = 20000L, least = 20) {
  often <- which(pairs$impressions >= least)
  if (length(often) > most) {
    often <-
      often[order(-pairs$impressions[often], pairs$query[often], pairs$page[often])[seq_len(most)]]
  }
  pairs[often, c("query", "page")]
}
