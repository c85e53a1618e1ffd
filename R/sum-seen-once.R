# A query is one impression, however many of its pages are shown. Rows by query and page count one
# for each page, so what a query was shown is at least the largest of its pages' impressions on that
# day (and country, device, vertical, where rows have them), at the place of its first page.

# Which rows belong together: a number for each, 0 for those that are alone. rows: query as a code,
# `date` where there are days; by: further columns that tell searches apart, as factors or codes.
seen_together <- function(rows, by = NULL) {
  code <- rows$query
  for (of in c(list(rows[["date"]]), by)) {
    if (!is.null(of)) code <- .Call(pair_codes, as.integer(code), as.integer(factor_code(of)))[[1]]
  }
  several <- tabulate(code)[code] > 1L
  fifelse(several, code, 0L)
}

# Codes from 1 on.
factor_code <- function(x) {
  if (is.factor(x)) return(fcoalesce(as.integer(x), nlevels(x) + 1L))
  as.integer(x) - min(as.integer(x), na.rm = TRUE) + 1L
}

# The sums of each page among rows that belong together, the first page first: data.table(group,
# page, row: its first one, impressions, weighted, expected, clicks, first, most: the largest
# impressions of the group).
pages_seen_together <- function(rows, group, use = NULL) {
  at <- which(some_rows(group, use) > 0L)
  if (!is.null(use)) at <- use[at]
  own <- setDT(list(group = group[at], page = rows$page[at], row = at,
    clicks = rows$clicks[at], impressions = rows$impressions[at], weighted = rows$weighted[at],
    expected = if (is.null(rows[["expected"]])) numeric(length(at)) else rows$expected[at]))
  sums <- own[, list(row = row[1], clicks = sum(clicks), impressions = sum(impressions),
    weighted = sum(weighted), expected = sum(expected)), by = c("group", "page")]
  if (!nrow(sums)) return(list(rows = at, sums = sums))
  sums <- sums[order(sums$group, sums$weighted / sums$impressions)]
  set(sums, j = "first", value = !duplicated(sums$group))
  largest <- sums[, list(most = max(impressions)), by = "group"]
  set(sums, j = "most", value = largest$most[match(sums$group, largest$group)])
  list(rows = at, sums = sums)
}

# impressions, weighted and expected of rows, each query counted once: on its first page's row, none
# on the others'. use: the rows that count, or NULL for all.
seen_once <- function(rows, group, use = NULL) {
  figures <- intersect(c("impressions", "weighted", "expected"), names(rows))
  out <- lapply(stats::setNames(figures, figures), function(of) rows[[of]])
  together <- pages_seen_together(rows, group, use)
  if (!nrow(together$sums)) return(out)
  first <- together$sums[together$sums$first]
  for (of in figures) {
    out[[of]][together$rows] <- 0
    out[[of]][first$row] <- first$most * first[[of]] / first$impressions
  }
  out
}

# Of brand queries the pages beneath the first are links of one result: what is expected of a page
# is its share, by clicks, of what the result is expected to have. Out: list(expected, seen:
# impressions that count for that), a value a row. counts: rows of brand queries.
shared_expected <- function(rows, group, counts) {
  out <- list(expected = rows$expected, seen = rows$impressions)
  together <- pages_seen_together(rows, fifelse(counts, group, 0L))
  sums <- together$sums
  if (!nrow(sums)) return(out)
  # How a query's clicks spread over its pages, over all days, so that a day without is no zero.
  of_pair <- .Call(pair_codes, rows$query[sums$row], sums$page)[[1]]
  set(sums, j = "share",
    value = (sum_codes(sums$clicks, of_pair, max(of_pair)) + half_count)[of_pair])
  first <- sums[sums$first]
  at <- match(sums$group, first$group)
  whole <- sums[, list(share = sum(share)), by = "group"]
  part <- sums$share / whole$share[match(sums$group, whole$group)]
  out$expected[together$rows] <- 0
  out$seen[together$rows] <- 0
  out$expected[sums$row] <- part * first$most[at] * first$expected[at] / first$impressions[at]
  out$seen[sums$row] <- part * first$most[at]
  out
}
