#' Copy an archive into a database
#'
#' Writes the days that count into tables of a database, where other programs can ask for them and
#' [tide_source()] can work on them. Day by day the same: a day that the table holds with the same
#' sums stays, one with others is replaced, each month in one transaction.
#'
#' @param store A `tide_store` object.
#' @param con A DBI connection that may write, such as to SQLite or PostgreSQL. A column store that
#'   has no transactions is refused.
#' @param table Name of the table for rows with queries (with its schema where needed). It is made
#'   where it is missing; its columns are `date`, the dimensions of the archive's finest table with
#'   queries, `clicks`, `impressions`, `position`.
#' @param totals Name of a table for the totals by day without queries; `NULL` leaves them out.
#' @param from,to First and last day; `NULL` for all.
#' @param progress A function that is called with what is being done.
#' @return A tibble: `table`, and the number of `days` it should hold, of those that were `written`
#'   and of their `rows`.
#' @section Errors: `tide_error_source` where the database refuses, or the table has other columns.
#' @seealso [tide_source()]; [tide_load()] for the way back.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["pairs"]])
#' con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
#' tide_copy_to(store, con, "search_rows")
#' tide_copy_to(store, con, "search_rows")
#' DBI::dbDisconnect(con)
#' @export
tide_copy_to <- function(store, con, table, totals = NULL, from = NULL, to = NULL,
    progress = NULL) {
  check_class(store, "tide_store", "store")
  if (!inherits(con, "DBIConnection")) abort_argument("con", "a DBI connection", class(con)[1])
  check_text(table, "table")
  check_text(totals, "totals", null = TRUE)
  plan <- plan_window(store, from, to, NULL, 0, NULL)
  dimensions <- lapply(unique(plan$wanted$grain), grain_dimensions)
  finest <- function(fits) {
    grains <- Filter(function(own) "date" %in% own && fits(own), dimensions)
    if (length(grains)) grains[[which.max(lengths(grains))]]
  }
  wanted <- list(finest(function(own) "query" %in% own),
    finest(function(own) !any(no_totals %in% own) && !"page" %in% own))
  tables <- c(table, totals)
  tibble::as_tibble(rbindlist(lapply(seq_along(tables), function(k) {
    if (is.null(wanted[[k]])) {
      abort_tide(sprintf("The archive has nothing for '%s'.", tables[k]),
        where = sprintf("'%s' holds: %s.", store$dir,
          paste(unique(plan$wanted$grain), collapse = "; ")),
        fix = "Load exports by date first.", class = "grain")
    }
    copy_table(store, con, plan$wanted, plan$parts, wanted[[k]], tables[k], progress)
  })))
}

copy_table <- function(store, con, wanted, parts, dimensions, table, progress) {
  days <- wanted[wanted$grain == grain_label(dimensions)]
  columns <- c(dimensions, figure_names)
  need_table(con, table, columns)
  in_target <- target_days(con, table)
  same <- merge(days[, c("day", "clicks", "impressions", "rows")], in_target, by = "day",
    suffixes = c("", "_there"))
  same <- same$day[same$clicks == same$clicks_there & same$rows == same$rows_there &
    same$impressions == same$impressions_there]
  due <- days[!days$day %in% same]
  rows <- 0
  month_rows <- split(due, month_start(due$day))
  for (month in names(month_rows)) {
    if (!is.null(progress)) progress(sprintf("Copying %s", month))
    own <- read_slices(store, month_rows[[month]], parts, dimensions)
    if (length(own$damaged)) abort_all_damaged(store, own$damaged)
    rows <- rows + write_days(con, table, columns, own$rows[, columns, with = FALSE])
  }
  data.table(table = table, days = nrow(days), written = nrow(due), rows = rows)
}

# The table is made where it is missing.
need_table <- function(con, table, columns) {
  there <- null_if_it_fails(DBI::dbGetQuery(con,
    sprintf("SELECT * FROM %s WHERE 1 = 0", quote_table(con, table))))
  if (is.null(there)) {
    types <- c(date = "date", clicks = "bigint", impressions = "bigint",
      position = "double precision")
    own <- ifelse(columns %in% names(types), types[columns], "text")
    write_to(con, sprintf("CREATE TABLE %s (%s)", quote_table(con, table),
      paste(quote_column(con, columns), own, collapse = ", ")))
  } else if (!setequal(names(there), columns)) {
    abort_tide(sprintf("The table '%s' has other columns.", table),
      where = sprintf("It has %s; the archive %s.", paste(names(there), collapse = ", "),
        paste(columns, collapse = ", ")),
      fix = "Name a table that is not there yet.", class = "source")
  }
}

target_days <- function(con, table) {
  sums <- setDT(DBI::dbGetQuery(con, sprintf(paste("SELECT %s AS day_of, sum(%s) AS sum_clicks,",
    "sum(%s) AS sum_shown, count(*) AS many FROM %s GROUP BY %s"),
    quote_column(con, "date"), quote_column(con, "clicks"), quote_column(con, "impressions"),
    quote_table(con, table), quote_column(con, "date"))))
  data.table(day = as.integer(source_dates(sums$day_of, list(table = table,
    columns = c(date = "date")))),
    clicks = as.numeric(sums$sum_clicks), impressions = as.numeric(sums$sum_shown),
    rows = as.numeric(sums$many))
}

# Rows of one statement.
rows_a_statement <- 500L

# Days as a whole: what was there of them goes in the same transaction.
write_days <- function(con, table, columns, rows) {
  days <- unique(rows$date)
  literals <- DBI::dbQuoteString(con, format(as.Date(days)))
  values <- as.data.frame(lapply(rows[, columns, with = FALSE], function(column) {
    if (is.factor(column) || inherits(column, "Date")) as.character(column) else column
  }))
  tryCatch({
    DBI::dbBegin(con)
    write_to(con, sprintf("DELETE FROM %s WHERE %s IN (%s)", quote_table(con, table),
      quote_column(con, "date"), paste(literals, collapse = ", ")))
    for (some in split(values, (seq_len(nrow(values)) - 1L) %/% rows_a_statement)) {
      write_to(con, DBI::sqlAppendTable(con, DBI::SQL(quote_table(con, table)), some,
        row.names = FALSE))
    }
    DBI::dbCommit(con)
  },
    error = function(e) {
      try(DBI::dbRollback(con), silent = TRUE)
      stop(e)
    })
  nrow(rows)
}

write_to <- function(con, sql) {
  tryCatch(DBI::dbExecute(con, sql), error = function(e) {
    abort_tide("The database refuses to store this.",
      where = sprintf("%s: %s", shortened(sql, 200L), gsub("\\s+", " ", conditionMessage(e))),
      fix = "Check what this user may write.", class = "source")
  })
}
