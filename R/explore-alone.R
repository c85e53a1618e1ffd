# Tables by page or by query alone beside rows by both: what Explore shows of pages, folders and
# queries rests on them, as the plain inventory does, wherever conditions ask for nothing else.

# Those tables, coded as an explorer's rows are: list(page, query), NULL where there is none.
explorers_alone <- function(data, table, curve, brand, rules) {
  by_page <- listed_alone(data, table, "page")
  by_query <- listed_alone(data, table, "query")
  list(
    page = if (!is.null(by_page)) {
      coded <- plain_rows(by_page$rows)
      own <- new_explorer(part_columns(coded$rows, by_page), coded, by_page, rules)
      c(own, list(curve = curve))
    },
    query = if (!is.null(by_query)) coded_explorer(by_query, curve, brand, rules))
}

# The one that holds what is asked for, or NULL.
explorer_alone <- function(explorer, by, segments) {
  own <- explorer$alone[[c(query = "query", page = "page", folder = "page")[by]]]
  on <- unlist(lapply(segments, conditions_on))
  if (!is.null(own) && all(on %in% own$dimensions)) own
}

# A view of such a table, with what rows with queries and pages tell besides.
viewed_alone <- function(own, beside, by, segments, from, to) {
  view <- explored_view(own, by, segments, from, to)
  if (by == "query") {
    at <- match(query_key(view$rows$query), query_key(beside$rows$query))
    set(view$rows, j = "pages", value = fcoalesce(beside$rows$pages[at], 0L))
  } else {
    view$queries_known <- min(1, sum(beside$rows$clicks) / max(1, sum(view$rows$clicks)))
    top_ctr <- place_ctr(own$curve, names(own$curve$fits)[1], 1)
    add_queried(view$rows, beside$rows, own$curve, top_ctr)
    set(view$rows, j = "missed", value = NULL)
  }
  view$coverage <- beside$coverage
  view
}
