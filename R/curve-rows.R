# Rows in codes, with what the curve expects of them.

# In: rows of a table with queries, dated or not. Out: list(queries, pages: names and keys; segment:
# of each query; rows: query, page, date, clicks, impressions, weighted (x position), `expected`
# clicks on the curve, `demand`: impressions as page one would have had them, of which `views` is
# how many times more page one is seen than page two). Without brand words the curve's own brand
# queries are brand.
coded_rows <- function(rows, curve, brand, views = 1) {
  queries <- code_queries(rows$query, rows$impressions)
  pages <- code_pages(rows[["page"]], rows$impressions)
  main <- names(curve$fits)[1]
  known <- curve$summary$queries
  brand_keys <- known$key[known$segment == "brand"]
  if (!is.null(curve$summary$brand)) brand <- curve$summary$brand
  of_brand <- if (!is.null(brand)) {
    is_brand(queries$keys, brand)
  } else if (length(brand_keys)) {
    queries$keys %in% brand_keys
  } else {
    logical(length(queries$keys))
  }
  segment <- rep(main, length(queries$keys))
  if ("brand" %in% names(curve$fits)) segment[of_brand] <- "brand"
  position <- rows$position
  impressions <- as.numeric(rows$impressions)
  on_curve <- impressions * curve_ctr(curve, position,
    if (all(segment == main)) main else segment[queries$code], 1, impressions)
  if (NROW(curve$levels)) {
    on_curve <- on_curve *
      ifelse(segment[queries$code] == main, audience_of_rows(rows, curve), 1)
  }
  made <- list(
    query = queries$code,
    page = pages$code,
    date = rows[["date"]],
    clicks = as.numeric(rows$clicks),
    impressions = impressions,
    weighted = impressions * position,
    expected = on_curve,
    demand = searches_seen(impressions, position, views))
  list(queries = queries, pages = pages, segment = segment,
    rows = setDT(Filter(Negate(is.null), made)))
}

# Impressions as page one would have seen them.
searches_seen <- function(impressions, position, views) {
  impressions * (1 + (views - 1) * (position > assumed("page_one_ends")))
}

# The spreadsheet's curve, for comparison: positions rounded, clicks summed over impressions.

# In: cells and each cell's segment. Out: per segment and rounded position the sums, the number of
# pairs with evidence there, and their pooled CTR.
position_evidence <- function(cells, segment) {
  segment <- as_levels(segment)
  rounded <- as.integer(pmin(floor(cells$position + 0.5), 100))
  code <- (as.integer(segment) - 1L) * 100L + rounded
  size <- max(1L, nlevels(segment)) * 100L
  # Cells come sorted by pair and bin: a pair's cells at one rounded position stand together.
  n <- length(code)
  new <- if (n) {
    c(TRUE,
      code[-1] != code[-n] | cells$query[-1] != cells$query[-n] | cells$page[-1] != cells$page[-n])
  } else {
    logical()
  }
  pairs <- tabulate(code[new], size)
  used <- which(pairs > 0)
  out <- data.table(segment = levels(segment)[(used - 1L) %/% 100L + 1L],
    position = (used - 1) %% 100 + 1, clicks = sum_codes(cells$clicks, code, size)[used],
    impressions = sum_codes(cells$impressions, code, size)[used], pairs = pairs[used])
  out[, "pivot_ctr" := clicks / impressions]
  setkeyv(out, c("segment", "position"))
  out[]
}

# How many times the impressions of page two a query has on page one: from the site's pairs that
# were on both in different weeks, held to a default that stands for a factor within 1.1 and 2
# (`default_sd` of its log) in two of three sites.
page_one_views <- function(summary, default = assumed("page_one_views"),
    default_sd = assumed("page_one_views_sd")) {
  weekly <- summary$weekly[summary$weekly$week > 0]
  if (is.null(summary$weekly) || !nrow(weekly)) return(default)
  side <- fcase(weekly$position < 9.5, 1L, weekly$position > 11.5 & weekly$position < 20.5, 2L)
  # Where pages take turns, it is another page that has the searches.
  use <- which(!is.na(side) & !weekly$query %in% summary$contested$query)
  # Divide by the weekly total to remove season.
  of_week <- sum_codes(weekly$impressions, weekly$week, max(weekly$week))
  own <- data.table(query = weekly$query[use], page = weekly$page[use], side = side[use],
    impressions = weekly$impressions[use] / of_week[weekly$week[use]])
  sums <- own[, .(weeks = .N, mean = mean(impressions)), by = c("query", "page", "side")]
  both <- merge(sums[sums$side == 1L & sums$weeks >= 2], sums[sums$side == 2L & sums$weeks >= 2],
    by = c("query", "page"))
  ratio <- log(both$mean.x / both$mean.y)
  # The default counts as much as queries that differ from one another as these do (two more, that
  # differ by as much as it may).
  n <- length(ratio)
  spread <- (if (n > 1) stats::var(ratio) * (n - 1) else 0) + 3 * default_sd^2
  worth <- spread / (n + 2) / default_sd^2
  min(assumed("page_one_views_most"),
    max(1, exp((worth * log(default) + sum(ratio)) / (worth + n))))
}
