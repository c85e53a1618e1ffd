#' Rows that live in a database
#'
#' Tables of a database as a source: they are asked for sums by day, query, page and the like, and
#' everything else works on those. Wherever [tide_stored()] takes an archive, it takes a source.
#'
#' @details The database sums (`GROUP BY`) by the dimensions of the table that are known, over all
#'   other columns; addresses are folded, brand, patterns and segments applied on what comes back,
#'   exactly as for files, so that the same rows give the same list. With `by_month = TRUE` R holds
#'   a month at a time. Nothing is written. Identifiers are quoted, dates bound; who may connect,
#'   and how, is the connection's matter.
#' @param con A DBI connection, such as `DBI::dbConnect(RSQLite::SQLite(), file)`.
#' @param tables Names of tables or views, with their schema where needed (`search.performance`):
#'   one with queries, and where there are any, totals without. Together they may not have two of
#'   the same dimensions.
#' @param columns Named vector for columns that are called otherwise: `c(query = "search_term")`.
#'   Known are `date`, `query`, `page`, `country`, `device`, `vertical`, `rich_result`, `clicks`,
#'   `impressions`, `position`.
#' @param where A condition in the database's own words that all rows must meet, such as
#'   `"site = 'fernmoor'"`.
#' @param today The day it is: the newest days are unfinished.
#' @return A `tide_source` object: a list with `con`, `tables` (a list, by grain: `table`,
#'   `dimensions`, `columns`), `where`, `today`. Methods: `print`, `format`.
#' @section Errors: `tide_error_source` where a table or column is missing or of the wrong type,
#'   where the condition is more than one, or the database fails, with what it said;
#'   `tide_error_grain` for two tables of the same dimensions.
#' @seealso [tide_stored()], [tide_summary()]
#' @examples
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' rows <- data.table::fread(tide_example()[["pairs"]])
#' rows$Date <- as.character(rows$Date)
#' DBI::dbWriteTable(con, "rows", rows)
#' source <- tide_source(con, "rows")
#' source
#' tide_summary(tide_stored(source, by_month = TRUE), brand = "fernmoor")
#' DBI::dbDisconnect(con)
#' @export
tide_source <- function(con, tables, columns = NULL, where = NULL, today = Sys.Date()) {
  if (!inherits(con, "DBIConnection")) abort_argument("con", "a DBI connection", class(con)[1])
  check_text(tables, "tables", many = TRUE)
  check_text(where, "where", null = TRUE)
  today <- check_date(today, "today")
  unknown <- setdiff(names(columns), c(dimension_names, figure_names))
  if (length(unknown)) {
    abort_argument("columns",
      paste("named among", paste(c(dimension_names, figure_names), collapse = ", ")), unknown)
  }
  check_source_condition(where)
  held <- lapply(tables, source_table, con = con, columns = columns)
  grains <- vapply(held, function(one) grain_label(one$dimensions), "")
  if (anyDuplicated(grains)) {
    abort_tide("Two tables have the same dimensions.",
      where = sprintf("%s: %s.",
        paste(tables[grains == grains[duplicated(grains)][1]], collapse = ", "),
        grains[duplicated(grains)][1]),
      fix = "Name one of them, or a view of both.", class = "grain")
  }
  # What it was asked already, so that one run rests on one state of the table.
  structure(list(con = con, tables = stats::setNames(held, grains), where = where, today = today,
    dir = paste(tables, collapse = ", "), asked = new.env(parent = emptyenv())),
    class = "tide_source")
}

# One condition, and nothing behind it.
check_source_condition <- function(where) {
  if (is.null(where)) return(invisible())
  plain <- gsub("'[^']*'", "''", where)
  if (grepl(";|--|/[*]|[*]/", plain) || lengths(regmatches(plain, gregexpr("'", plain))) %% 2) {
    abort_tide("The condition must be one condition.", where = sprintf("'%s'.", where),
      fix = "Leave out semicolons and comments.", class = "source")
  }
}

# "schema.name" as the database quotes it.
quote_table <- function(con, table) {
  parts <- strsplit(table, ".", fixed = TRUE)[[1]]
  paste(DBI::dbQuoteIdentifier(con, parts), collapse = ".")
}

quote_column <- function(con, column) as.character(DBI::dbQuoteIdentifier(con, column))

# What the database says of a fault, in our words.
ask_source <- function(con, sql, what = "The database does not answer.") {
  tryCatch(withCallingHandlers(DBI::dbGetQuery(con, sql),
    warning = function(w) invokeRestart("muffleWarning")),
    error = function(e) {
      abort_tide(what,
        where = sprintf("%s: %s", gsub("\\s+", " ", sql), gsub("\\s+", " ", conditionMessage(e))),
        fix = "Check the table, its columns, the condition and what this user may read.",
        class = "source")
    })
}

# The columns of a table that are known: list(table, dimensions, columns).
source_table <- function(table, con, columns) {
  sql <- sprintf("SELECT * FROM %s WHERE 1 = 0", quote_table(con, table))
  have <- names(ask_source(con, sql, sprintf("The table '%s' cannot be read.", table)))
  known <- find_columns(have, columns)
  found <- vapply(known, function(at) if (length(at)) have[at[1]] else NA_character_, "")
  found <- found[!is.na(found)]
  missing <- setdiff(c("clicks", "impressions"), names(found))
  dimensions <- intersect(dimension_names, names(found))
  if (!"date" %in% dimensions) missing <- c("date", missing)
  if ("query" %in% dimensions && !"position" %in% names(found)) missing <- c(missing, "position")
  if (length(missing)) {
    abort_tide(sprintf("The table has no column for `%s`.", missing[1]),
      where = sprintf("'%s' has: %s.", table, paste(have, collapse = ", ")),
      fix = sprintf("Say which it is by `columns`: %s = its name.", missing[1]), class = "source",
      argument = "columns")
  }
  list(table = table, dimensions = dimensions,
    columns = found[intersect(c(dimension_names, figure_names), names(found))])
}

#' @export
format.tide_source <- function(x, ...) {
  c("<tide_source>", sprintf("  %s: %s", vapply(x$tables, `[[`, "", "table"), names(x$tables)),
    if (!is.null(x$where)) sprintf("  where %s", x$where))
}
