# Databases that inktide.yml describes, opened for reading alone.

# The source that was named, or the only one where there is nothing else to read; NULL for none.
chosen_source <- function(options, settings, files, store) {
  known <- names(settings$sources)
  name <- options$source
  if (is.null(name)) {
    other <- length(files) || !is.null(store) || length(settings$exports)
    if (other || length(known) != 1) return(NULL)
    name <- known
  }
  if (!name %in% known) {
    abort_call(sprintf("No source '%s'.", name), sprintf("--source %s", name),
      if (length(known)) {
        sprintf("Known: %s.", paste(known, collapse = ", "))
      } else {
        "Describe it in inktide.yml, under sources: ?tide_settings in R shows how."
      })
  }
  spec <- settings$sources[[name]]
  tide_source(function() {
    con <- open_database(spec, settings$folder)
    opened$all <- c(opened$all, list(con))
    con
  },
    spec$tables, unlist(spec$columns), spec$where)
}

# Connections of this run, closed at its end.
opened <- new.env(parent = emptyenv())

close_databases <- function() {
  for (con in opened$all) try(DBI::dbDisconnect(con), silent = TRUE)
  opened$all <- NULL
}

# Passwords come from the environment or from where the driver looks for them, never from a file of
# ours.
open_database <- function(spec, folder) {
  tryCatch(switch(spec$driver, sqlite = open_sqlite(spec, folder), postgres = open_postgres(spec),
    clickhouse = open_clickhouse(spec)),
    tide_error = function(e) stop(e), error = function(e) {
      secret <- c(postgres = "; the password comes from PGPASSWORD or ~/.pgpass",
        clickhouse = "; the password comes from CLICKHOUSE_PASSWORD")[spec$driver]
      abort_tide("The database cannot be opened.",
        where = sprintf("%s '%s': %s", spec$driver, spec$database,
          gsub("\\s+", " ", conditionMessage(e))),
        fix = sprintf("Check host, database and user%s.", first_given(stats::na.omit(secret), "")),
        class = "source")
    })
}

open_sqlite <- function(spec, folder) {
  path <- in_folder(spec$database, folder)
  if (!file.exists(path)) stop("there is no such file")
  DBI::dbConnect(RSQLite::SQLite(), path, flags = RSQLite::SQLITE_RO)
}

# Sessions only read, and a question ends after a time.
open_postgres <- function(spec) {
  con <- do.call(DBI::dbConnect, c(list(a_driver("PostgreSQL",
    c(RPostgres = "Postgres", RPostgreSQL = "PostgreSQL"))),
    Filter(Negate(is.null),
      list(host = spec$host, port = spec$port, dbname = spec$database, user = spec$user))))
  DBI::dbExecute(con, "SET SESSION CHARACTERISTICS AS TRANSACTION READ ONLY")
  DBI::dbExecute(con, sprintf("SET statement_timeout = '%ds'", question_seconds))
  con
}

open_clickhouse <- function(spec) {
  driver <- a_driver("ClickHouse", c(RClickhouse = "clickhouse"))
  con <- do.call(DBI::dbConnect, c(list(driver, db = spec$database,
    password = Sys.getenv("CLICKHOUSE_PASSWORD")),
    Filter(Negate(is.null), list(host = spec$host, port = spec$port, user = spec$user))))
  # What may be asked comes last: after it nothing can be set.
  for (setting in c(sprintf("max_execution_time = %d", question_seconds), "readonly = 1")) {
    DBI::dbExecute(con, paste("SET", setting))
  }
  con
}

# The first driver that is there: who has no such database needs none.
a_driver <- function(database, makers) {
  have <- Filter(function(package) requireNamespace(package, quietly = TRUE), names(makers))
  if (!length(have)) {
    abort_tide(sprintf("%s needs the R package %s.", database,
      paste(names(makers), collapse = " or ")),
      where = "the R library.",
      fix = sprintf("In R: install.packages(\"%s\")", names(makers)[1]), class = "source")
  }
  getExportedValue(have[1], makers[[have[1]]])()
}

# Longest time for one question.
question_seconds <- 600L
