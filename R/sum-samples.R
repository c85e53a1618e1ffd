# What single rows tell besides their sums, learnt from samples of them.

# Where queries stood month by month, of a sample of them: what finding-chance.R learns from.

# The queries with the smallest hashes, the same in every chunk, so that sums of chunks can be
# merged.
course_queries <- 3000L

# In: codes, figures and date of rows; keys of the codes. Out: list(sums: query, page (hashes),
# month, impressions, weighted; upto: the largest hash of which nothing is missing).
course_sums <- function(work, date, query_keys, page_keys) {
  hash <- digest::digest2int(query_keys)
  upto <- course_upto(query_keys)
  use <- which((hash <= upto)[work$query])
  rows <- setDT(list(query = hash[work$query[use]],
    page = digest::digest2int(page_keys)[work$page[use]],
    month = month_number(as.integer(date[use])), impressions = as.numeric(work$impressions[use]),
    weighted = work$impressions[use] * work$position[use]))
  list(sums = sums_by(rows, c("query", "page", "month"), c("impressions", "weighted")), upto = upto)
}

# The largest hash of the sample.
course_upto <- function(query_keys) {
  if (length(query_keys) <= course_queries) return(.Machine$integer.max)
  sort(digest::digest2int(query_keys), partial = course_queries)[course_queries]
}

add_courses <- function(one, other) {
  if (is.null(one) || is.null(other)) return(if (is.null(one)) other else one)
  upto <- min(one$upto, other$upto)
  sums <- rbind(one$sums, other$sums)
  inside <- which(sums$query <= upto)
  list(sums = sums_by(sums[inside], c("query", "page", "month"), c("impressions", "weighted")),
    upto = upto)
}

# What daily rows tell about the places that one row blends: sums over neighbouring days of one
# pair, by band of position. See curve-blend.R for what is made of them.

blend_bands <- c(1, 1.3, 1.7, 2.3, 3, 4, 5.5, 7.5, 10.5, 14, 20, 30)

# Rows that are looked at; pairs are taken whole.
blend_rows <- 200000L

blend_sums <- function(work, date, use = blend_sample(work, length(date))) {
  use <- use[order(work$query[use], work$page[use], as.integer(date)[use], work$impressions[use],
    work$position[use])]
  k <- length(use)
  if (k < 2) return(NULL)
  one <- use[-k]
  other <- use[-1]
  day <- as.integer(date)
  near <- work$query[one] == work$query[other] & work$page[one] == work$page[other] &
    day[other] - day[one] <= 2
  # Within one month, so that months reduced one by one give the same sums.
  month <- month_number(day)
  near <- near & month[one] == month[other]
  one <- one[near]
  other <- other[near]
  if (!length(one)) return(NULL)
  size <- list(work$impressions[one], work$impressions[other])
  # Both weigh by their size, so that the middle is not drawn by single impressions.
  middle <-
    (work$position[one] * size[[1]] + work$position[other] * size[[2]]) / (size[[1]] + size[[2]])
  u <- (1 / size[[1]] + 1 / size[[2]]) / 2
  y <- (work$position[one] - work$position[other])^2 / 2
  # A jump by more than the position itself is another event, not the luck of impressions.
  usual <- y <= 2 * middle^2
  w <- 1 / (0.15 + u)^2
  moments <- data.table(band = findInterval(middle, blend_bands), n = 1, w = w, u = w * u,
    y = w * y,
    uu = w * u^2, uy = w * u * y, yy = w * y^2, m = w * (middle - 1))
  sums_by(moments[which(usual)], "band", setdiff(names(moments), "band"))
}

# Which rows: pairs by a hash of their codes, so that any site gives a fair share. n: rows of all
# blocks, of which these are some.
blend_sample <- function(work, n) {
  use <- .Call(rows_of_share, as.integer(work$query), as.integer(work$page), blend_share(n))
  use[work$position[use] < 40]
}

# Of so many pairs one.
blend_share <- function(n) as.integer(max(1, ceiling(n / blend_rows)))

month_number <- function(day) {
  known <- unique(day)
  on_day <- as.POSIXlt(as.Date(known, origin = "1970-01-01"))
  (on_day$year * 12L + on_day$mon)[match(day, known)]
}

add_blend_sums <- function(one, other) {
  if (is.null(one) || is.null(other)) return(if (is.null(one)) other else one)
  sums_by(rbind(one, other), "band", setdiff(names(one), "band"))
}

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
