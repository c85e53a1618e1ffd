# What daily rows tell about the places that one row blends: sums over neighbouring days of one
# pair, by band of position. See curve-blend.R for what is made of them.

blend_bands <- c(1, 1.3, 1.7, 2.3, 3, 4, 5.5, 7.5, 10.5, 14, 20, 30)
# Rows that are looked at; pairs are taken whole.
blend_rows <- 200000L

blend_sums <- function(work, date) {
  n <- length(date)
  # Pairs by a hash of their codes, so that any site gives a fair share.
  share <- max(1, ceiling(n / blend_rows))
  use <- if (share == 1) seq_len(n) else which(((work$query * 7919 +
    work$page) %% 104729) %% share == 0)
  use <- use[work$position[use] < 40]
  use <- use[order(work$query[use], work$page[use], as.integer(date)[use], work$impressions[use],
    work$position[use])]
  k <- length(use)
  if (k < 2) return(NULL)
  one <- use[-k]
  other <- use[-1]
  day <- as.integer(date)
  near <- work$query[one] == work$query[other] & work$page[one] == work$page[other] & day[other] -
    day[one] <= 2
  # Within one month, so that months reduced one by one give the same sums.
  month <- month_number(day)
  near <- near & month[one] == month[other]
  one <- one[near]
  other <- other[near]
  if (!length(one)) return(NULL)
  size <- list(work$impressions[one], work$impressions[other])
  # Both weigh by their size, so that the middle is not drawn by single impressions.
  middle <- (work$position[one] * size[[1]] + work$position[other] * size[[2]]) /
    (size[[1]] + size[[2]])
  u <- (1 / size[[1]] + 1 / size[[2]]) / 2
  y <- (work$position[one] - work$position[other])^2 / 2
  # A jump by more than the position itself is another event, not the luck of impressions.
  usual <- y <= 2 * middle^2
  sums <- data.table(band = findInterval(middle, blend_bands), u = u, y = y, m = middle - 1,
    w = 1 / (0.15 + u)^2)[usual]
  sums[, .(n = as.numeric(.N), w = sum(w), u = sum(w * u), y = sum(w * y), uu = sum(w * u^2),
    uy = sum(w * u * y),
    yy = sum(w * y^2), m = sum(w * m)), by = "band"]
}

month_number <- function(day) {
  known <- unique(day)
  date <- as.POSIXlt(as.Date(known, origin = "1970-01-01"))
  (date$year * 12L + date$mon)[match(day, known)]
}

add_blend_sums <- function(one, other) {
  if (is.null(one) || is.null(other)) return(if (is.null(one)) other else one)
  rbind(one, other)[, lapply(.SD, sum), by = "band"]
}
