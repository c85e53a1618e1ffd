# Databases that inktide.yml describes, opened for reading alone.

# The description of the source that was named.
named_source <- function(settings, name, flag) {
  known <- names(settings$sources)
  if (name %in% known) return(settings$sources[[name]])
  abort_call(sprintf("No source '%s'.", name), sprintf("%s %s", flag, name),
    if (length(known)) {
      sprintf("Known: %s.", paste(known, collapse = ", "))
    } else {
      "Describe it in inktide.yml, under sources: ?tide_settings in R shows how."
    })
}

# The source that was named, or the only one where there is nothing else to read; NULL for none.
chosen_source <- function(options, settings, files, store) {
  known <- names(settings$sources)
  name <- options$source
  if (is.null(name)) {
    other <- length(files) || !is.null(store) || length(settings$exports)
    if (other || length(known) != 1) return(NULL)
    name <- known
  }
  spec <- named_source(settings, name, "--source")
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
open_database <- function(spec, folder, write = FALSE) {
  tryCatch(switch(spec$driver, sqlite = open_sqlite(spec, folder, write),
    postgres = open_postgres(spec, write), clickhouse = open_clickhouse(spec, write)),
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

open_sqlite <- function(spec, folder, write) {
  path <- in_folder(spec$database, folder)
  if (write) return(DBI::dbConnect(RSQLite::SQLite(), path))
  if (!file.exists(path)) stop("there is no such file")
  DBI::dbConnect(RSQLite::SQLite(), path, flags = RSQLite::SQLITE_RO)
}

# Sessions only read, unless an archive is copied, and a question ends after a time.
open_postgres <- function(spec, write) {
  con <- do.call(DBI::dbConnect, c(list(a_driver("PostgreSQL",
    c(RPostgres = "Postgres", RPostgreSQL = "PostgreSQL"))),
    Filter(Negate(is.null),
      list(host = spec$host, port = spec$port, dbname = spec$database, user = spec$user))))
  if (write) return(con)
  DBI::dbExecute(con, "SET SESSION CHARACTERISTICS AS TRANSACTION READ ONLY")
  DBI::dbExecute(con, sprintf("SET statement_timeout = '%ds'", question_seconds))
  con
}

open_clickhouse <- function(spec, write) {
  if (write) {
    abort_tide("An archive is not copied into ClickHouse, which has no transactions.",
      where = sprintf("clickhouse '%s'.", spec$database),
      fix = "Copy it into PostgreSQL or SQLite, or load its Parquet files (parts/) there.",
      class = "source")
  }
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
