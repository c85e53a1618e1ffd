#' Keep a part of the data
#'
#' Filters rows by date, query, page, country, device and vertical. What is
#' filtered out is added to the `left_out` ledger, so that no result can hide
#' that a filter was on. A filter on a dimension that a table does not have
#' removes that table, because its figures cannot be split.
#'
#' @param data A `tide_data` object from [tide_read()].
#' @param from,to First and last day, as dates or text like `"2026-03-31"`.
#' @param days Keep the last so many days. On a table without dates it says how
#'   many days the figures stand for.
#' @param query,not_query,page,not_page Regular expressions (case ignored) that
#'   the query or page must match, or must not.
#' @param country,device,vertical Values to keep, case ignored.
#' @return A `tide_data` object.
#' @section Errors:
#' `tide_error_argument`, `tide_error_regex`, and `tide_error_nothing_left`
#' where no row passes.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' tide_filter(data, query = "tomato", device = "mobile")
#' @export
tide_filter <- function(data, from = NULL, to = NULL, days = NULL, query = NULL, not_query = NULL,
                        page = NULL, not_page = NULL, country = NULL, device = NULL, vertical = NULL) {
  check_class(data, "tide_data", "data")
  from <- check_date(from, "from")
  to <- check_date(to, "to")
  check_number(days, "days", min = 1, null = TRUE)
  patterns <- list(query = query, not_query = not_query, page = page, not_page = not_page)
  for (arg in names(patterns)) check_regex(patterns[[arg]], arg)
  values <- list(country = country, device = device, vertical = vertical)
  for (arg in names(values)) check_text(values[[arg]], arg, null = TRUE, many = TRUE)

  tests <- c(window_tests(from, to, days), pattern_tests(patterns), value_tests(values))
  if (!length(tests) && is.null(days)) return(data)
  ledger <- list()
  for (grain in names(data$tables)) {
    table <- data$tables[[grain]]
    for (test in tests) {
      if (!nrow(table$rows)) break
      keep <- if (test$dimension %in% table$dimensions) test$keep(table$rows)
        else if (test$dimension == "date") rep(TRUE, nrow(table$rows)) else rep(FALSE, nrow(table$rows))
      if (all(keep)) next
      ledger[[length(ledger) + 1]] <- left_out_line(test$label, grain, table$rows, which(!keep))
      table <- new_table(table$rows[keep], table$dimensions)
    }
    if (!is.null(days) && is.na(table$days)) table$days <- as.integer(days)
    data$tables[[grain]] <- table
  }
  data$tables <- Filter(function(table) nrow(table$rows) > 0, data$tables)
  if (!length(data$tables)) {
    abort_tide("No row is left after filtering.", where = paste(unique(vapply(tests, `[[`, "", "label")), collapse = "; "),
      mend = "Loosen one of these filters.", class = "nothing_left")
  }
  data$left_out <- sum_left_out(rbindlist(c(list(data$left_out), ledger)))
  data
}

# A test: the dimension it needs, its name in the ledger, and rows -> logical.
window_tests <- function(from, to, days) {
  tests <- list()
  if (!is.null(from)) tests$from <- list(dimension = "date", label = sprintf("before %s", format(from)),
    keep = function(rows) rows$date >= from)
  if (!is.null(to)) tests$to <- list(dimension = "date", label = sprintf("after %s", format(to)),
    keep = function(rows) rows$date <= to)
  if (!is.null(days)) tests$days <- list(dimension = "date", label = sprintf("before the last %g days", days),
    keep = function(rows) rows$date > max(rows$date) - days)
  unname(tests)
}

pattern_tests <- function(patterns) {
  patterns <- Filter(Negate(is.null), patterns)
  unname(Map(function(pattern, arg) {
    dimension <- sub("^not_", "", arg)
    wanted <- !startsWith(arg, "not_")
    list(dimension = dimension, label = sprintf("%s %s '%s'", dimension, if (wanted) "does not match" else "matches", pattern),
      keep = function(rows) {
        texts <- as_levels(rows[[dimension]])
        hit <- grepl(pattern, levels(texts), perl = TRUE, ignore.case = TRUE)
        (hit == wanted)[as.integer(texts)]
      })
  }, patterns, names(patterns)))
}

value_tests <- function(values) {
  values <- Filter(Negate(is.null), values)
  unname(Map(function(wanted, dimension) {
    list(dimension = dimension, label = sprintf("%s is not %s", dimension, paste(wanted, collapse = " or ")),
      keep = function(rows) {
      texts <- as_levels(rows[[dimension]])
      (tolower(levels(texts)) %in% tolower(wanted))[as.integer(texts)]
    })
  }, values, names(values)))
}
