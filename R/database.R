#' Rows that live in a database
#'
#' Tables of a database as a source: they are asked for sums by day, query, page and the like, and
#' everything else works on those. Functions that take data take a source, or an archive, in their
#' place.
#'
#' @details For [tide_summary()] (and so for the list) the database sums (`GROUP BY`) by query,
#'   page and position, so that what comes back is as large as the answer, not as the table.
#'   [tide_compare()], [tide_watched()], [tide_trace()] and [tide_follow()] read the rows of the
#'   days that they need, [tide_check()] and [tide_unusual()] none, what lists or explores rows all
#'   of them; [tide_stored()] takes a window out. By month (`tide_stored(by_month = TRUE)`)
#'   conditions on one of country, device, vertical and rich result are the database's as well.
#'   Conditions on texts are tried row by row, a month at a time. Addresses are folded and brand
#'   and patterns applied on what comes back, exactly as for files, so that the same rows give the
#'   same list (of millions of rows only some days tell how places blend within a row). Nothing is
#'   written. Identifiers and values are quoted; who may connect, and how, is the connection's
#'   matter: a user that may read these tables and nothing else is enough.
#' @param con A DBI connection, such as `DBI::dbConnect(RSQLite::SQLite(), file)`, or a function
#'   that opens one: then a connection that is lost is opened once more.
#' @param tables Names of tables or views, with their schema where needed (`search.performance`):
#'   one with queries, and where there are any, totals without. Together they may not have two of
#'   the same dimensions.
#' @param columns Named vector for columns that are called otherwise: `c(query = "search_term")`.
#'   Known are `date`, `query`, `page`, `country`, `device`, `vertical`, `rich_result`, `clicks`,
#'   `impressions`, `position`.
#' @param where A condition in the database's own words that all rows must meet, such as
#'   `"site = 'fernmoor'"`.
#' @param today The day it is: the newest days are unfinished.
#' @return A `tide_source` object: a list with `tables` (a list, by grain: `table`, `dimensions`,
#'   `columns`), `where`, `today` and `state` (the connection). Methods: `print`, `format`.
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
#' tide_summary(source, brand = "fernmoor")
#' tide_trace(source, "radish spacing")
#' DBI::dbDisconnect(con)
#' @export
tide_source <- function(con, tables, columns = NULL, where = NULL, today = Sys.Date()) {
  opens <- if (is.function(con)) con
  if (!is.null(opens)) con <- opens()
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
  # What it was asked already, so that one run rests on one state of the table.
  state <- list2env(list(con = con, opens = opens), parent = emptyenv())
  tables_known <- lapply(tables, source_table, state = state, columns = columns)
  check_mapped(columns, lapply(tables_known, function(one) list(header = one$have)), "source")
  grains <- vapply(tables_known, function(one) grain_label(one$dimensions), "")
  if (anyDuplicated(grains)) {
    abort_tide("Two tables have the same dimensions.",
      where = sprintf("%s: %s.",
        paste(tables[grains == grains[duplicated(grains)][1]], collapse = ", "),
        grains[duplicated(grains)][1]),
      fix = "Name one of them, or a view of both.", class = "grain")
  }
  structure(list(tables = stats::setNames(tables_known, grains), where = where, today = today,
    dir = paste(tables, collapse = ", "), state = state),
    class = c("tide_source", "tide_result"))
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

source_con <- function(source) source$state$con

source_column <- function(source, table, name) {
  quote_column(source_con(source), table$columns[[name]])
}

source_day <- function(source, day) {
  as.character(DBI::dbQuoteLiteral(source_con(source), format(as.Date(as.IDate(day)))))
}

is_sqlite <- function(source) inherits(source_con(source), "SQLiteConnection")

# Rows that are fetched at a time.
rows_at_once <- 500000L

# The answer to a question, fetched block by block, texts as factors, so that of all rows at once
# only codes are held.
ask_blocks <- function(source, sql) {
  ask_source(source$state, sql, ask = function(con) {
    answer <- DBI::dbSendQuery(con, sql)
    on.exit(DBI::dbClearResult(answer))
    blocks <- list()
    repeat {
      block <- setDT(as.list(DBI::dbFetch(answer, rows_at_once)))
      if (nrow(block) || !length(blocks)) blocks[[length(blocks) + 1L]] <- plain_columns(block)
      if (!nrow(block) || DBI::dbHasCompleted(answer)) break
    }
    rbindlist(blocks)
  })
}

# Texts as factors, as the database spells them; integers of any width as numbers.
plain_columns <- function(block) {
  for (name in names(block)) {
    column <- block[[name]]
    if (is.character(column)) {
      set(block, j = name, value = as_levels(column))
    } else if (inherits(column, "integer64")) {
      set(block, j = name, value = as.numeric(column))
    }
  }
  block
}

# White space of other kinds than blanks becomes such.
fold_texts <- function(rows) {
  for (name in names(rows)) {
    if (is.factor(rows[[name]])) set(rows, j = name, value = fold_levels(rows[[name]]))
  }
  rows
}

# What the database says of a fault, in our words. A connection that was lost is opened once more
# where it can be: reading twice does no harm.
ask_source <- function(state, sql, what = "The database does not answer.",
    ask = function(con) DBI::dbGetQuery(con, sql)) {
  try_once <- function() {
    withCallingHandlers(
      if (works_inside(state)) ask_bounded(state$opens, ask) else ask(state$con),
      warning = function(w) invokeRestart("muffleWarning"))
  }
  tryCatch(try_once(), error = function(e) {
    if (!is.null(state$opens) && connection_lost(state$con)) {
      state$con <- state$opens()
      again <- tryCatch(list(answer = try_once()), error = function(e) e)
      if (!inherits(again, "error")) return(again$answer)
      e <- again
    }
    abort_tide(what,
      where = sprintf("%s: %s", shortened(gsub("\\s+", " ", sql), 300L),
        gsub("\\s+", " ", conditionMessage(e))),
      fix = "Check the table, its columns, the condition and what this user may read.",
      class = "source")
  })
}

# Longest time for one question to a database. Servers keep it themselves.
question_seconds <- 600L

# SQLite works inside the process that asks and cannot be stopped from it while it looks for an
# answer: it is asked from a process of its own, where one can be branched off.
works_inside <- function(state) {
  !is.null(state$opens) && inherits(state$con, "SQLiteConnection") && .Platform$OS.type == "unix"
}

# What `ask` returns, asked by a process with a connection of its own (SQLite's may not be carried
# into one), which is ended when the time is over.
ask_bounded <- function(opens, ask) {
  job <- parallel::mcparallel(tryCatch(list(answer = ask(opens())),
    error = function(e) list(failed = conditionMessage(e))), mc.set.seed = FALSE, silent = TRUE)
  on.exit({
    tools::pskill(job$pid, tools::SIGKILL)
    parallel::mccollect(job)
  })
  result <- parallel::mccollect(job, wait = FALSE, timeout = question_seconds)
  if (is.null(result)) stop(sprintf("stopped after %d seconds without an answer", question_seconds))
  on.exit()
  parallel::mccollect(job)
  # A process that was ended from outside leaves nothing.
  if (!is.list(result[[1]])) stop("the process that asked has ended without an answer")
  if (!is.null(result[[1]]$failed)) stop(result[[1]]$failed)
  answer <- result[[1]]$answer
  # A table that came through a pipe has lost its room for more columns.
  if (is.data.table(answer)) setDT(answer)
  answer
}

connection_lost <- function(con) {
  tryCatch({
    suppressWarnings(DBI::dbGetQuery(con, "SELECT 1 AS one"))
    FALSE
  },
    error = function(e) TRUE)
}

shortened <- function(text, most) {
  if (nchar(text) > most) paste0(substr(text, 1, most), " ...") else text
}

# The columns of a table that are known: list(table, dimensions, columns).
source_table <- function(table, state, columns) {
  sql <- sprintf("SELECT * FROM %s WHERE 1 = 0", quote_table(state$con, table))
  have <- names(ask_source(state, sql, sprintf("The table '%s' cannot be read.", table)))
  known <- find_columns(have, columns)
  found <- vapply(known, function(at) if (length(at)) have[at[1]] else NA_character_, "")
  found <- found[!is.na(found)]
  lacking <- setdiff(c("clicks", "impressions"), names(found))
  dimensions <- intersect(dimension_names, names(found))
  if (!"date" %in% dimensions) lacking <- c("date", lacking)
  if ("query" %in% dimensions && !"position" %in% names(found)) lacking <- c(lacking, "position")
  if (length(lacking)) {
    abort_tide(sprintf("The table has no column for `%s`.", lacking[1]),
      where = sprintf("'%s' has: %s.", table, paste(have, collapse = ", ")),
      fix = sprintf("Say which it is by `columns`: %s = its name.", lacking[1]), class = "source",
      argument = "columns")
  }
  list(table = table, dimensions = dimensions, have = have,
    columns = found[intersect(c(dimension_names, figure_names), names(found))])
}

#' @export
format.tide_source <- function(x, ...) {
  c("<tide_source>", sprintf("  %s: %s", vapply(x$tables, `[[`, "", "table"), names(x$tables)),
    if (!is.null(x$where)) sprintf("  where %s", x$where))
}
