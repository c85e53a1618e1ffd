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
  con <- open_database(spec, settings$folder)
  opened$all <- c(opened$all, list(con))
  tide_source(con, spec$tables, unlist(spec$columns), spec$where)
}

# Connections of this run, closed at its end.
opened <- new.env(parent = emptyenv())

close_databases <- function() {
  for (con in opened$all) try(DBI::dbDisconnect(con), silent = TRUE)
  opened$all <- NULL
}

# Passwords come from where the driver looks for them (PGPASSWORD, ~/.pgpass), never from a file of
# ours.
open_database <- function(spec, folder) {
  tryCatch(if (spec$driver == "sqlite") {
    path <- in_folder(spec$database, folder)
    if (!file.exists(path)) stop("there is no such file")
    DBI::dbConnect(RSQLite::SQLite(), path, flags = RSQLite::SQLITE_RO)
  } else {
    open_postgres(spec)
  },
    tide_error = function(e) stop(e), error = function(e) {
      abort_tide("The database cannot be opened.",
        where = sprintf("%s '%s': %s", spec$driver, spec$database,
          gsub("\\s+", " ", conditionMessage(e))),
        fix = "Check host, database and user; the password comes from PGPASSWORD or ~/.pgpass.",
        class = "source")
    })
}

# A transaction that only reads, and ends after a time.
open_postgres <- function(spec) {
  # Either driver will do; who has no such database needs neither.
  makers <- c(RPostgres = "Postgres", RPostgreSQL = "PostgreSQL")
  have <- Filter(function(package) requireNamespace(package, quietly = TRUE), names(makers))
  if (!length(have)) {
    abort_tide("PostgreSQL needs the R package RPostgres or RPostgreSQL.", where = "the R library.",
      fix = "In R: install.packages(\"RPostgres\")", class = "source")
  }
  driver <- getExportedValue(have[1], makers[[have[1]]])()
  own <- Filter(Negate(is.null),
    list(host = spec$host, port = spec$port, dbname = spec$database, user = spec$user))
  con <- do.call(DBI::dbConnect, c(list(driver), own))
  DBI::dbExecute(con, "SET SESSION CHARACTERISTICS AS TRANSACTION READ ONLY")
  DBI::dbExecute(con, sprintf("SET statement_timeout = '%ds'", postgres_seconds))
  con
}

# Longest time for one question.
postgres_seconds <- 600L
