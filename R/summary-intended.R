#' Intended pages
#'
#' Which page should answer a query is often known. Where it is named in the rules, this tells
#' whether it does.
#'
#' @param summary A `tide_summary` object.
#' @param rules A [tide_rules()] object with `intended`.
#' @return A tibble with a row for each query that has an intended page, those that are not led by
#'   it first: `query`, `intended` (its address), `clicks`, `impressions`, `position` (of that page
#'   for the query, missing where it does not rank), `leader` (the page with the best position, of
#'   those with a tenth of the query's impressions), `leader_position`, and `status`: `leads`,
#'   `outranked`, `does not rank`, or `query not seen`.
#' @seealso [tide_rules()]; [cannibalized], where an intended page settles which one to keep.
#' @examples
#' rules <- tide_rules(brand = "fernmoor", intended = c(`/radish/` = "/shop/radish/"))
#' tide_intended(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"), rules)
#' @export
tide_intended <- function(summary, rules) {
  check_class(summary, "tide_summary", "summary")
  check_class(rules, "tide_rules", "rules")
  queries <- summary$queries
  page_at <- if (length(rules$intended)) intended_codes(summary, rules) else rep(NA, nrow(queries))
  shown <- which(!is.na(page_at) & seq_len(nrow(queries)) %in% summary$pairs$query)
  pairs <- summary$pairs
  leader <- best_placed(pairs, nrow(queries))[shown]
  should <- data.table(query = shown, page = page_at[shown])
  position_of <- function(codes) {
    pairs$position[pairs[data.table(query = shown, page = codes), on = c("query", "page"),
      which = TRUE]]
  }
  total <- sums_by(pairs, "query", c("clicks", "impressions"))[list(query = shown), on = "query"]
  position <- position_of(should$page)
  status <- fcase(leader == should$page, "leads", !is.na(position), "outranked",
    rep(TRUE, length(shown)), "does not rank")
  out <- data.table(
    query = queries$query[shown],
    intended = ifelse(should$page > 0, summary$pages$page[pmax(should$page, 1L)],
      said_of_queries(queries$key[shown], rules$intended)),
    clicks = total$clicks,
    impressions = total$impressions,
    position = position,
    leader = summary$pages$page[leader],
    leader_position = position_of(leader),
    status = status)
  named <- rules$intended[!grepl("^/.+/$", names(rules$intended))]
  unseen <- named[!query_key(names(named)) %in% queries$key[unique(pairs$query)]]
  if (length(unseen)) {
    out <- rbind(out, data.table(query = names(unseen), intended = unname(unseen), clicks = 0,
      impressions = 0, position = NA_real_, leader = "", leader_position = NA_real_,
      status = "query not seen"))
  }
  turn <- match(out$status, c("outranked", "does not rank", "query not seen", "leads"))
  first <- order(turn, -out$impressions)
  tibble::as_tibble(out[first])
}

# The page of each query with the best position, of those that have a good part of its impressions.
best_placed <- function(pairs, queries) {
  share <- pairs$impressions / sum_codes(pairs$impressions, pairs$query, queries)[pairs$query]
  seen <- pairs[share >= assumed("weighty_share")]
  seen <- seen[order(seen$query, seen$position, -seen$impressions)]
  seen$page[match(seq_len(queries), seen$query)]
}

# By query the code of the page that should answer it: NA where none is named, 0 where the data do
# not have that page.
intended_codes <- function(summary, rules) {
  name <- said_of_queries(summary$queries$key, rules$intended)
  named <- which(!is.na(name))
  out <- rep(NA_integer_, length(name))
  keys <- summary$pages$key
  out[named] <- fcoalesce(match(known_page_keys(name[named], keys), keys), 0L)
  out
}
