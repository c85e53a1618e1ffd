# The archive of a project: a folder of immutable Parquet parts and one SQLite file that says which of them count.
#
#   archive/archive.sqlite   meta, imports, changes, parts, days, facts
#   archive/parts/*.parquet  the rows of one import, grain and month
#
# An import only ever adds: new part files first, then one transaction that makes them known. Killed at any instant,
# the archive is either before or after. Which import a day counts from follows from `days`: the newest export that
# holds it and was not undone. So nothing is ever overwritten, and any import can be undone.

# What each format has beyond the one before it; an older archive is brought up to date on opening, in one transaction.
store_migrations <- list(
  `2` = "CREATE TABLE facts (id INTEGER PRIMARY KEY, place TEXT, date TEXT, file TEXT, rows TEXT, content TEXT UNIQUE)",
  `3` = "CREATE TABLE decisions (number INTEGER PRIMARY KEY, id TEXT, decision TEXT, at TEXT, until TEXT, note TEXT, by TEXT,
     kind TEXT, query TEXT, page TEXT, pages TEXT, gain REAL, gain_high REAL, clicks REAL, impressions REAL, position REAL)")

store_format <- 3L

#' Open a project's archive
#'
#' The archive keeps every export ever loaded, by grain and day, in open formats:
#' Parquet parts by month and one SQLite file. A day counts from the newest
#' export that holds it, so loading revised figures replaces and never adds.
#'
#' @param dir The project's folder. The archive is made in its `archive` folder
#'   where there is none.
#' @return A `tide_store` object: a list with `dir`. [print()] shows what is held.
#' @section Errors: `tide_error_store` where the archive cannot be opened, made
#'   or was written by a newer version.
#' @seealso [tide_load()], [tide_stored()], [tide_check()]
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[["pairs"]])
#' store
#' @export
tide_store <- function(dir) {
  check_text(dir, "dir")
  folder <- file.path(dir, "archive")
  if (!dir.exists(file.path(folder, "parts")) &&
    !suppressWarnings(dir.create(file.path(folder, "parts"), recursive = TRUE))) {
    abort_store(folder, "The archive cannot be made.", "Name a folder that you may write to.")
  }
  store <- structure(list(dir = folder), class = "tide_store")
  with_store(store, write = FALSE, function(con) {
    if (DBI::dbExistsTable(con, "meta")) check_format(con, folder)
  })
  if (store_age(store) < store_format) with_store(store, write = TRUE, renew_tables)
  store
}

# Parts are Parquet, which one package of its own reads and writes; nothing else needs it.
need_parquet <- function(store) {
  if (!requireNamespace("nanoparquet", quietly = TRUE)) {
    abort_store(store$dir, "The archive needs the R package nanoparquet, which is not installed.",
      "In R: install.packages(\"nanoparquet\")")
  }
}

abort_store <- function(folder, what, mend, detail = NULL) {
  abort_tide(what, where = paste0("'", folder, "'", if (!is.null(detail)) paste0(": ", detail), "."), mend = mend,
    class = "store", file = folder)
}

# The format an archive has: 0 where there is none yet.
store_age <- function(store) with_store(store, write = FALSE, held_format)

held_format <- function(con) {
  if (!DBI::dbExistsTable(con, "meta")) return(0L)
  as.integer(DBI::dbGetQuery(con, "SELECT value FROM meta WHERE name = 'format'")$value)
}

# Another process may have done it while this one waited for the lock.
renew_tables <- function(con) {
  held <- held_format(con)
  if (held == 0L) {
    make_tables(con)
    held <- 1L
  }
  for (format in names(store_migrations)[as.integer(names(store_migrations)) > held]) for (statement in store_migrations[[format]]) DBI::dbExecute(con, statement)
  DBI::dbExecute(con, "UPDATE meta SET value = ? WHERE name = 'format'", list(as.character(store_format)))
}

# The tables of the first format.
make_tables <- function(con) {
  for (statement in c(
    "CREATE TABLE imports (id INTEGER PRIMARY KEY, at TEXT, files TEXT, content TEXT, exported TEXT, undone INTEGER DEFAULT 0)",
    "CREATE TABLE changes (import INTEGER, grain TEXT, days REAL, rows REAL, clicks REAL, rows_before REAL, clicks_before REAL)",
    "CREATE TABLE parts (file TEXT PRIMARY KEY, import INTEGER, grain TEXT, month TEXT, rows REAL, checksum TEXT)",
    "CREATE TABLE days (import INTEGER, grain TEXT, day INTEGER, exported INTEGER, rows REAL, clicks REAL, impressions REAL,
       PRIMARY KEY (grain, day, import))",
    "CREATE VIEW current AS SELECT d.* FROM days d JOIN imports i ON i.id = d.import WHERE i.undone = 0 AND NOT EXISTS (
       SELECT 1 FROM days n JOIN imports j ON j.id = n.import WHERE j.undone = 0 AND n.grain = d.grain AND n.day = d.day
         AND (n.exported > d.exported OR (n.exported = d.exported AND n.import > d.import)))",
    "CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT)"
  )) DBI::dbExecute(con, statement)
  DBI::dbExecute(con, "INSERT INTO meta VALUES ('format', '1')")
}

check_format <- function(con, folder) {
  held <- held_format(con)
  if (!length(held) || held > store_format) {
    abort_store(folder, sprintf("The archive has format %s, this version knows %d.", paste(held, collapse = ""),
      store_format),
      "Install a newer version of inktide.")
  }
}

# Runs `work` with a connection. Writing takes the one write lock for the whole of it: a second process waits, and
# either everything is committed or nothing is.
with_store <- function(store, write, work, waiting = NULL) {
  fail <- function(e) {
    if (inherits(e, "tide_error")) stop(e)
    abort_store(store$dir, "The archive cannot be used.",
      "Check that you may write to the folder, that the disk has room, and that nobody else holds it.",
      gsub("\\s+", " ", conditionMessage(e)))
  }
  tryCatch({
    con <- DBI::dbConnect(RSQLite::SQLite(), file.path(store$dir, "archive.sqlite"), synchronous = "full")
    on.exit(DBI::dbDisconnect(con))
    if (!write) {
      DBI::dbExecute(con, "PRAGMA busy_timeout = 10000")
      work(con)
    } else {
      lock_store(con, waiting)
      done <- FALSE
      on.exit(if (!done) try(DBI::dbExecute(con, "ROLLBACK"), silent = TRUE), add = TRUE, after = FALSE)
      out <- work(con)
      DBI::dbExecute(con, "COMMIT")
      done <- TRUE
      out
    }
  }, error = fail)
}

lock_store <- function(con, waiting) {
  DBI::dbExecute(con, "PRAGMA busy_timeout = 500")
  for (try in 1:1200) {
    got <- tryCatch({ DBI::dbExecute(con, "BEGIN IMMEDIATE"); TRUE }, error = function(e) {
      if (!grepl("locked|busy", conditionMessage(e))) stop(e)
      FALSE
    })
    if (got) return(invisible())
    if (try == 1 && !is.null(waiting)) waiting("Another process is writing to the archive; waiting for it")
  }
  stop("another process has held the write lock for ten minutes")
}
