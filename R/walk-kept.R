# What a walk was answered, kept in one SQLite file as it comes, so that a walk that was ended at
# any instant goes on where it was, and the next one asks only for what has changed.

open_walk <- function(keep) {
  if (!is.null(keep)) dir.create(dirname(keep), recursive = TRUE, showWarnings = FALSE)
  con <- DBI::dbConnect(RSQLite::SQLite(), if (is.null(keep)) ":memory:" else keep)
  DBI::dbExecute(con, "PRAGMA busy_timeout = 10000")
  DBI::dbExecute(con, "CREATE TABLE IF NOT EXISTS walks (id INTEGER PRIMARY KEY, site TEXT,
    started REAL, finished REAL)")
  DBI::dbExecute(con, "CREATE TABLE IF NOT EXISTS answers (address TEXT PRIMARY KEY, walk INTEGER,
    status INTEGER, location TEXT, problem TEXT, etag TEXT, modified TEXT, type TEXT, robots TEXT,
    encoding TEXT, body BLOB)")
  con
}

# The number of the walk: of one of this site that was not finished, where it is not too old.
walk_number <- function(con, site, now, longest = 7 * 86400) {
  open <- DBI::dbGetQuery(con,
    "SELECT id FROM walks WHERE site = ? AND finished IS NULL AND started > ? ORDER BY id DESC",
    list(site, as.numeric(now) - longest))$id
  if (length(open)) return(open[1])
  DBI::dbExecute(con, "INSERT INTO walks (site, started) VALUES (?, ?)",
    list(site, as.numeric(now)))
  DBI::dbGetQuery(con, "SELECT max(id) AS id FROM walks")$id
}

finish_walk <- function(con, number, now) {
  DBI::dbExecute(con, "UPDATE walks SET finished = ? WHERE id = ?", list(as.numeric(now), number))
}

# The answer of an address from this walk or an earlier one; NULL where there is none.
kept_answer <- function(con, address) {
  row <- DBI::dbGetQuery(con, "SELECT * FROM answers WHERE address = ?", list(address))
  if (!nrow(row)) return(NULL)
  row <- as.list(row)
  packed <- row$body[[1]]
  row$body <- if (length(packed)) memDecompress(packed, "gzip") else raw()
  row
}

keep_answer <- function(con, address, number, answer) {
  text <- function(name) if (is.null(answer[[name]])) "" else answer[[name]]
  packed <- if (length(answer$body)) memCompress(answer$body, "gzip") else raw()
  DBI::dbExecute(con, "INSERT OR REPLACE INTO answers VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
    list(address, number, answer$status, text("location"), answer$problem, text("etag"),
      text("modified"), text("type"), text("robots"), text("encoding"), list(packed)))
}
