# Where positions were lost: the pages that carry it, on each the queries that do, and since when.

# In: the pairs of a comparison with `page_name`, `query_name`; rows with `pair`, their index; the
# windows. Out: the page that lost most first, its queries likewise: data.table(page, page_clicks:
# what positions cost the page, query, clicks, position_before, position_after, since: the first day
# of the lower position, missing where it slipped little by little or windows lie apart).
lost_positions <- function(pairs, rows, pair, windows, pages = 2, queries = 3, most = 0.1) {
  whole <- sums_by(pairs, "page_name", "by_position")
  all <- sum(whole$by_position)
  lost <- whole[whole$by_position < 0 & whole$by_position < -most * sum(abs(whole$by_position))]
  lost <- utils::head(lost[order(lost$by_position)], if (all < 0) pages else 0)
  rbindlist(c(list(lost_line()), lapply(seq_len(nrow(lost)), function(i) {
    own <- which(pairs$page_name == lost$page_name[i] & pairs$by_position < 0)
    own <- utils::head(own[order(pairs$by_position[own])], queries)
    own <- own[pairs$by_position[own] <= most * lost$by_position[i]]
    at <- pairs[own]
    lower <- at$weighted_2 / at$impressions_2 - at$weighted_1 / at$impressions_1 >= 0.1
    own <- own[lower]
    at <- at[lower]
    if (!nrow(at)) return(NULL)
    lost_line(lost$page_name[i], lost$by_position[i], at$query_name, at$by_position,
      at$weighted_1 / at$impressions_1, at$weighted_2 / at$impressions_2,
      as.IDate(vapply(own, function(one) slipped_since(rows[which(pair == one)], windows), 0L)))
  })))
}

lost_line <- function(page = character(), page_clicks = numeric(), query = character(),
    clicks = numeric(), position_before = numeric(), position_after = numeric(),
    since = as.IDate(integer())) {
  data.table(page, page_clicks, query, clicks, position_before, position_after, since)
}

# The day from which on a pair stands lower, as a number: the split of its days into two levels that
# explains most of how positions differ by day, weighted by impressions; missing where two levels
# explain less than `enough` of it.
slipped_since <- function(rows, windows, least = 5L, enough = 0.25) {
  if (windows$after[1] != windows$before[2] + 1L) return(NA_integer_)
  days <- sums_by(rows, "date", c("impressions", "weighted"))
  setorderv(days, "date")
  n <- nrow(days)
  if (n < 2L * least) return(NA_integer_)
  weight <- cumsum(days$impressions)
  sums <- cumsum(days$weighted)
  at <- seq(least, n - least)
  mean <- sums[n] / weight[n]
  first <- sums[at] / weight[at]
  second <- (sums[n] - sums[at]) / (weight[n] - weight[at])
  between <- weight[at] * (first - mean)^2 + (weight[n] - weight[at]) * (second - mean)^2
  all <- sum(days$impressions * (days$weighted / days$impressions - mean)^2)
  best <- which.max(between)
  since <- days$date[at[best] + 1L]
  if (between[best] < enough * all || second[best] < first[best]) return(NA_integer_)
  as.integer(since)
}
