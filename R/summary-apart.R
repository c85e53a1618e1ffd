# Pairs that are shown at very different places: to some people near the top, to others far down.
# Their average is a place where they hardly ever stand, so neither the curve nor what is expected
# of them can rest on it.

# In: recent cells, weeks of the pairs seen most (NULL without dates), cells by parts, days of
# queries with several pages. Out: those pairs, query and page, and whether each was `seen` to be
# so. Averages of few impressions stray by the luck of who searched, from day to day, the further
# the fewer they are; what strays alike whatever their number is the ranking itself. A move from one
# week to another counts for neither.
places_apart <- function(cells, weekly, parts = list(), contested = NULL) {
  none <- data.table(query = integer(), page = integer(), seen = logical())
  if (is.null(weekly)) return(none)
  squares <- weekly$impressions * weekly$position^2
  weeks <- sums_by(data.table(weekly[, c("query", "page", "impressions")], squares),
    c("query", "page"),
    c("impressions", "squares"), count = "weeks")
  rows <- cells[weeks, on = c("query", "page"), nomatch = NULL]
  set(rows, j = "of_cell", value = rows$weighted * rows$position)
  pairs <- sums_by(rows, c("query", "page"), c("impressions", "weighted", "of_cell", "rows"))
  weeks <- weeks[pairs, on = c("query", "page")]
  position <- pairs$weighted / pairs$impressions
  beyond <- position - 1
  freedom <- pairs$rows - weeks$weeks
  # Mean square of rows within weeks, each weighed by its impressions.
  strays <- pmax(0, pairs$of_cell - weeks$squares - between_parts(pairs, parts)) / pmax(freedom, 1)
  size <- pairs$impressions / pairs$rows
  # Where several pages take turns, places follow who leads; where weeks do not hold all rows (days
  # that were taken out), they do not tell what is within them.
  known <- freedom >= data_limits$apart_rows & !pairs$query %in% contested$query &
    abs(weeks$impressions - pairs$impressions) < 0.5
  if (sum(known) < 20) return(none)
  too_wide <- pmax(data_limits$apart_least^2, (data_limits$apart_wide * beyond)^2 + beyond / 2)
  # What moved from week to week, and within one of them, is no mixture.
  between <- weeks$squares / pairs$impressions - position^2
  by_few <- weeks$weeks / pairs$impressions
  # Places of one row cannot lie further apart than from the top to so far down.
  most <- beyond * (data_limits$apart_deepest - position)
  apart <- logical(nrow(pairs))
  # What pairs stray by day, near the top by places and further down by shares of the position, is
  # told without those that are found to be apart.
  large <- min(10, stats::quantile(size[known], 0.75))
  middle <- function(x, use) if (any(use)) stats::median(x[use]) else 0
  for (turn in 1:2) {
    often <- known & size >= large & !apart
    of_ranking <- size * pmax(middle(strays / size, often & position < 5),
      middle(strays / size / position^2, often) * position^2)
    by_luck <- strays - of_ranking
    apart <- known & by_luck > too_wide & by_luck < most & between < (0.1 + 3 * by_few) * by_luck &
      strays > data_limits$apart_beside * of_ranking
  }
  found <- pairs[apart, c("query", "page")]
  if (sum(apart) <= data_limits$apart_few * sum(known)) return(set(found, j = "seen", value = TRUE))
  # Where many are, those that are seen too seldom to tell may be, too.
  every <- unique(cells[!cells$query %in% contested$query, c("query", "page")])
  set(every, j = "seen", value = seq_len(nrow(every)) %in% among_pairs(every, found))
  every[every$seen | !seq_len(nrow(every)) %in% among_pairs(every, pairs[known])]
}

# Squares that come from places which differ by device or country: rows tell these apart.
between_parts <- function(pairs, parts) {
  out <- numeric(nrow(pairs))
  for (own in lapply(parts, `[[`, "recent")) {
    sums <- sums_by(own, c("query", "page", "part"), c("impressions", "weighted"))
    set(sums, j = "squares", value = sums$weighted^2 / sums$impressions)
    sums <- sums_by(sums, c("query", "page"), c("impressions", "weighted", "squares"))
    between <- sums$squares - sums$weighted^2 / sums$impressions
    out <- out + fcoalesce(between[sums[pairs, on = c("query", "page"), which = TRUE]], 0)
  }
  out
}

# Sums of neighbouring days without those pairs, which would make all rows look as mixed as they
# are.
blend_without <- function(source, reduced, apart) {
  blend <- NULL
  for (chunk in source$chunks) {
    rows <- chunk()
    if (is.null(rows) || !nrow(rows)) next
    codes <- setDT(codes_of(rows, reduced))
    use <- which(is.na(apart[codes, on = c("query", "page"), which = TRUE, mult = "first"]))
    work <- c(codes[use], list(impressions = rows$impressions[use], position = rows$position[use]))
    blend <- add_blend_sums(blend, blend_sums(work, rows$date[use]))
  }
  blend
}
