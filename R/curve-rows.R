# Rows in codes, with what the curve expects of them.

# In: rows of a table with queries, dated or not. Out: list(queries, pages: names and keys; segment:
# of each query; rows: query, page, date, clicks, impressions, weighted (x position), `expected`
# clicks on the curve, `demand`: impressions as page one would have had them, of which `views` is
# how many times more page one is seen than page two). Without brand words the curve's own brand
# queries are brand.
coded_rows <- function(rows, curve, brand, views = 1) {
  queries <- code_queries(rows$query, rows$impressions)
  pages <- if (is.null(rows[["page"]])) list(code = rep(1L, nrow(rows)), names = "",
    keys = "") else code_pages(rows$page, rows$impressions)
  main <- names(curve$fits)[1]
  known <- curve$summary$queries
  brand_keys <- known$key[known$segment == "brand"]
  of_brand <- if (!is.null(brand)) is_brand(queries$keys, brand) else if (length(brand_keys))
    queries$keys %in% brand_keys else logical(length(queries$keys))
  segment <- rep(main, length(queries$keys))
  if ("brand" %in% names(curve$fits)) segment[of_brand] <- "brand"
  position <- rows$position
  impressions <- as.numeric(rows$impressions)
  made <- list(query = queries$code, page = pages$code, date = rows[["date"]],
    clicks = as.numeric(rows$clicks),
    impressions = impressions, weighted = impressions * position,
    expected = impressions * curve_ctr(curve, position,
    if (all(segment == main)) main else segment[queries$code], 1,
      impressions),
    demand = searches_seen(impressions, position, views))
  list(queries = queries, pages = pages, segment = segment,
    rows = setDT(Filter(Negate(is.null), made)))
}

# Impressions as page one would have seen them.
searches_seen <- function(impressions, position, views) impressions *
  (1 + (views - 1) * (position > 10.5))
