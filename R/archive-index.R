# The index of the archive: one SQLite file that says which parts count. Everything in it also
# stands in small JSON records beside the parts, from which it can be rebuilt.

# What each format has beyond the one before it; an older archive is brought up to date on opening,
# in one transaction.
store_migrations <- list(
  `2` = paste("CREATE TABLE facts (id INTEGER PRIMARY KEY, place TEXT, date TEXT, file",
    "TEXT, rows TEXT, content TEXT UNIQUE)"),
  `3` = "CREATE TABLE decisions (number INTEGER PRIMARY KEY, id TEXT, decision TEXT, at TEXT,
    until TEXT, note TEXT,
     by TEXT, kind TEXT, query TEXT, page TEXT, pages TEXT, gain REAL, gain_high REAL,
       clicks REAL, impressions REAL,
     position REAL)",
  `4` = c("ALTER TABLE days ADD COLUMN first INTEGER", "ALTER TABLE days ADD COLUMN last INTEGER",
    "ALTER TABLE changes ADD COLUMN days_unused REAL DEFAULT 0"),
  `5` = c("ALTER TABLE decisions ADD COLUMN task TEXT",
    "ALTER TABLE decisions ADD COLUMN if_done REAL",
    "ALTER TABLE decisions ADD COLUMN if_done_high REAL",
    # Made anew by each look at outcomes, so without a record beside the parts.
    "CREATE TABLE outcomes (task TEXT, kind TEXT, done TEXT, verdict TEXT)"),
  # Whether somebody stated the day of the export, or it is the time of a file.
  `6` = "ALTER TABLE imports ADD COLUMN stated INTEGER DEFAULT 0",
  `7` = c("ALTER TABLE outcomes ADD COLUMN ratio REAL",
    "ALTER TABLE outcomes ADD COLUMN ratio_sd REAL"),
  # The pattern that an export was limited to, in words.
  `8` = "ALTER TABLE days ADD COLUMN scope TEXT DEFAULT ''",
  # The analyst's own figures of a task; missing where nothing was said, 0 where it was taken back.
  `9` = c("ALTER TABLE decisions ADD COLUMN hours REAL",
    "ALTER TABLE decisions ADD COLUMN chance REAL"))

store_format <- 9L

# The tables of the first format.
first_tables <- c(
  "CREATE TABLE imports (id INTEGER PRIMARY KEY, at TEXT, files TEXT, content TEXT, exported TEXT,
     undone INTEGER DEFAULT 0)",
  "CREATE TABLE changes (import INTEGER, grain TEXT, days REAL, rows REAL, clicks REAL,
    rows_before REAL,
     clicks_before REAL)",
  paste("CREATE TABLE parts (file TEXT PRIMARY KEY, import INTEGER, grain TEXT,",
    "month TEXT, rows REAL, checksum TEXT)"),
  "CREATE TABLE days (import INTEGER, grain TEXT, day INTEGER, exported INTEGER, rows REAL,
    clicks REAL,
     impressions REAL, PRIMARY KEY (grain, day, import))",
  "CREATE VIEW current AS SELECT d.* FROM days d JOIN imports i ON i.id = d.import
    WHERE i.undone = 0 AND NOT EXISTS (
     SELECT 1 FROM days n JOIN imports j ON j.id = n.import WHERE j.undone = 0
       AND n.grain = d.grain AND n.day = d.day
       AND (n.exported > d.exported OR (n.exported = d.exported AND n.import > d.import)))",
  "CREATE TABLE meta (name TEXT PRIMARY KEY, value TEXT)",
  "INSERT INTO meta VALUES ('format', '1')")

# The format an archive has: 0 where there is none yet.
archive_format <- function(con) {
  known <-
    DBI::dbGetQuery(con, "SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = 'meta'")
  if (!nrow(known)) return(0L)
  format_found <- DBI::dbGetQuery(con, "SELECT value FROM meta WHERE name = 'format'")$value
  # 0 is what an archive has that nobody wrote to yet, never what one says.
  number <- if (length(format_found) == 1 &&
    grepl("^[0-9]{1,6}$", format_found)) as.integer(format_found) else -1L
  if (number == 0L) -1L else number
}

renew_tables <- function(con, format_found = archive_format(con)) {
  if (identical(format_found, store_format)) return(invisible())
  if (format_found == 0L) {
    for (statement in first_tables) DBI::dbExecute(con, statement)
    format_found <- 1L
  }
  newer <- store_migrations[as.integer(names(store_migrations)) > format_found]
  for (statement in unlist(newer, use.names = FALSE)) DBI::dbExecute(con, statement)
  DBI::dbExecute(con, "UPDATE meta SET value = ? WHERE name = 'format'",
    list(as.character(store_format)))
}

# The format of an archive that this version can read.
check_format <- function(con, folder) {
  format_found <- archive_format(con)
  if (!length(format_found) || is.na(format_found) || format_found < 0L ||
    format_found > store_format) {
    newer <- isTRUE(format_found > store_format)
    abort_store(folder, sprintf("The archive has format %s, this version knows 1 to %d.",
      paste(format_found, collapse = ""), store_format),
      if (newer) "Install a newer version of inktide." else rebuild_fix)
  }
  format_found
}

# Runs `work` with a connection. Writing takes the one write lock for the whole of it: a second
# process waits, and either everything is committed or nothing is. An archive that nobody wrote to
# yet is read as an empty one.
with_store <- function(store, write, work, waiting = NULL) {
  con <- NULL
  on.exit(if (!is.null(con)) DBI::dbDisconnect(con))
  tryCatch({
    index <- index_path(store)
    if (write) make_folders(store)
    fresh <- !file.exists(index) || file.size(index) == 0
    if (fresh) check_lost(store)
    con <- DBI::dbConnect(RSQLite::SQLite(), if (fresh && !write) ":memory:" else index,
      synchronous = NULL)
    # Patience first: whatever is asked next may find the archive locked by somebody else for a
    # moment.
    DBI::dbExecute(con, "PRAGMA busy_timeout = 10000")
    DBI::dbExecute(con, "PRAGMA synchronous = FULL")
    if (write) {
      write_store(store, con, work, waiting)
    } else {
      if (fresh) renew_tables(con)
      check_format(con, store$dir)
      work(con)
    }
  },
    error = function(e) {
      if (inherits(e, "tide_error")) stop(e) else abort_index(store, conditionMessage(e))
    })
}

write_store <- function(store, con, work, waiting) {
  lock_store(con, waiting)
  done <- FALSE
  on.exit(if (!done) try(DBI::dbExecute(con, "ROLLBACK"), silent = TRUE))
  before <- check_format(con, store$dir)
  renew_tables(con, before)
  if (before > 0L && before < 4L) record_all(store, con)
  resolve_records(store, con)
  out <- work(con)
  DBI::dbExecute(con, "COMMIT")
  done <- TRUE
  finish_records(store)
  out
}

lock_store <- function(con, waiting) {
  DBI::dbExecute(con, "PRAGMA busy_timeout = 500")
  for (attempt in 1:1200) {
    got <- tryCatch({
      DBI::dbExecute(con, "BEGIN IMMEDIATE")
      TRUE
    },
      error = function(e) {
        if (!grepl("locked|busy", conditionMessage(e))) stop(e)
        FALSE
      })
    if (got) return(invisible())
    if (attempt == 1 && !is.null(waiting)) {
      waiting("Another process is writing to the archive; waiting for it")
    }
  }
  stop("another process has held the write lock for ten minutes")
}

index_path <- function(store) file.path(store$dir, "archive.sqlite")

# What SQLite says, as what it means.
abort_index <- function(store, cause) {
  cause <- plain_cause(cause)
  if (grepl("malformed|not a database|corrupt|no such (table|column)", cause)) {
    abort_store(store$dir, "The index of the archive is damaged.", rebuild_fix, cause,
      "store_index")
  }
  if (grepl("readonly|read-only|unable to open|permission|Permission", cause)) {
    abort_read_only(store, cause)
  }
  abort_store(store$dir, "The archive cannot be used.",
    paste("Check that you may write to the folder, that the disk has room, and that",
      "nobody else holds it."),
    cause)
}

abort_read_only <- function(store, cause) {
  abort_store(store$dir, "The archive cannot be written to.",
    "Give yourself the right to write to the folder and its files, or copy the project elsewhere.",
    cause)
}

rebuild_fix <- "Rebuild the index from the parts by tide_rebuild(). Nothing is deleted by it."

abort_store <- function(folder, what, fix, detail = NULL, class = NULL, ...) {
  abort_tide(what,
    where = paste0("'", folder, "'", if (!is.null(detail)) paste0(": ", detail), "."), fix = fix,
    class = c(class, "store"), file = folder, ...)
}
