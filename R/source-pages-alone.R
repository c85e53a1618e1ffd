# Tables by page without queries: each page is held against the curve at its mean place, as one
# query would be. A mean of many places hides good and bad ones, so what is found so is less
# certain.

# data: that has a table by page and none by query and page. Out: the same with the page as the
# query of its rows; NULL where there is no such table.
pages_for_queries <- function(data) {
  if (!is.null(pick_table(data, c("query", "page")))) return(NULL)
  standing_in <- function(tables) {
    of_pages <- vapply(tables, function(own) {
      "page" %in% own$dimensions && !"rich_result" %in% own$dimensions &&
        !anyNA(own$rows$position)
    }, NA)
    tables <- lapply(tables[of_pages], function(own) {
      own <- window_beside(own, data)
      own$rows <- copy(own$rows)
      set(own$rows, j = "query", value = own$rows$page)
      own$dimensions <- intersect(dimension_names, c(own$dimensions, "query"))
      own
    })
    stats::setNames(tables, vapply(tables, function(own) grain_label(own$dimensions), ""))
  }
  tables <- standing_in(data$tables)
  if (!length(tables)) return(NULL)
  earlier <- if (length(data$earlier)) standing_in(data$earlier)
  grains <- data$left_out$grain
  data$left_out <- copy(data$left_out)
  by_page <- grains %in% names(data$tables)[vapply(data$tables, function(own) {
    "page" %in% own$dimensions
  }, NA)]
  set(data$left_out, which(by_page), "grain", sub("page", "query x page", grains[by_page]))
  data$tables <- c(data$tables[!grepl("page", names(data$tables))], tables)
  if (!is.null(earlier)) data$earlier <- earlier
  data$of_pages <- TRUE
  data
}
