# The same rows in a file and in a database give the same summary and the same list. SQLite is
# always there; PostgreSQL runs as a server of its own, as a user without rights, where it is
# installed.

sqlite_tables <- function(file, tables = example_tables()) {
  con <- DBI::dbConnect(RSQLite::SQLite(), file)
  for (name in names(tables)) DBI::dbWriteTable(con, name, as.data.frame(tables[[name]]))
  con
}

expect_same_summary <- function(source) {
  files <- of_files()
  found <- tide_find(files)
  for (by_month in c(FALSE, TRUE)) {
    own <- tide_summary(tide_stored(source, by_month = by_month, at_once = 500), brand = "fernmoor")
    for (part in c("pairs", "cells", "site_by_day", "window")) {
      expect_equal(own[[part]], files[[part]], label = paste(part, by_month))
    }
    expect_equal(own$left_out$rows, files$left_out$rows)
    expect_equal(tide_find(own)$findings$id, found$findings$id)
    expect_equal(tide_find(own)$findings$gain, found$findings$gain)
  }
}

test_that("a source gives the summary and the list of the same rows in files", {
  con <- sqlite_tables(":memory:")
  withr::defer(DBI::dbDisconnect(con))
  source <- tide_source(con, c("rows", "totals"), columns = c(query = "search term"))
  expect_same_summary(source)
  data <- tide_stored(source, days = 28, dimensions = c("date", "query", "page"))
  files <- tide_filter(tide_read(tide_example()[["pairs"]]), days = 28)
  expect_equal(sum(data$tables[[1]]$rows$clicks), sum(files$tables[[1]]$rows$clicks))
  expect_equal(tide_trace(data, "radish spacing")$rows$clicks,
    tide_trace(files, "radish spacing")$rows$clicks)
  # A condition of the database's own, and rows that make no CTR.
  phones <-
    tide_source(con, "rows", columns = c(query = "search term"), where = "\"Device\" = 'mobile'")
  expect_equal(tide_summary(tide_stored(phones))$pairs,
    tide_summary(tide_filter(tide_read(tide_example()[["pairs"]]),
      segments = tide_segment("phones", device = "mobile")))$pairs)
  # What the database filters is in the ledger as what is filtered here.
  by_columns <- tide_source(con, "rows", columns = c(query = "search term"))
  months <- tide_stored(by_columns, by_month = TRUE)
  by_files <- tide_read(tide_example()[["pairs"]])
  for (segment in list(tide_segment("phones", device = "Mobile"),
      tide_segment("not phones", device = "mobile", not = TRUE))) {
    own <- tide_summary(tide_filter(months, segments = segment))
    file <- tide_summary(tide_filter(by_files, segments = segment))
    expect_equal(own$pairs, file$pairs)
    expect_equal(own$left_out, file$left_out)
    days <- lapply(list(months, by_files), function(data) {
      inktide:::site_days_table(tide_filter(data, segments = segment))
    })
    expect_equal(days[[1]]$clicks, days[[2]]$clicks)
  }
  by_device <- lapply(list(months, by_files), tide_summary, split = "device")
  in_order <- function(summary) {
    setkeyv(copy(summary$split_cells), c("part", "query", "page", "bin"))
  }
  expect_equal(in_order(by_device[[1]]), in_order(by_device[[2]]))
  expect_setequal(tide_summary(months, split = "month")$split_cells$part,
    tide_summary(by_files, split = "month")$split_cells$part)
  # Findings on fewer days than the curve rests on.
  short <- lapply(list(months, by_files), tide_summary, recent_days = 30)
  for (part in c("cells", "recent_cells", "pairs", "contested", "weekly", "recent")) {
    expect_equal(short[[1]][[part]], short[[2]][[part]], label = part)
  }
  # Days that are left out within the window.
  gone <- unique(by_files$tables[[1]]$rows$date)[c(5, 30)]
  expect_equal(tide_summary(tide_filter(months, without = gone))$pairs,
    tide_summary(tide_filter(by_files, without = gone))$pairs)
  wrong <- example_tables()["rows"]
  wrong$rows[5, "Clicks" := Impressions + 1L]
  other <- sqlite_tables(":memory:", wrong)
  withr::defer(DBI::dbDisconnect(other))
  left_out <- tide_stored(tide_source(other, "rows", columns = c(query = "search term")))$left_out
  expect_equal(left_out$rows[left_out$reason == "more clicks than impressions"], 1)
})

test_that("functions that take data take a source, or an archive, in their place", {
  skip_if_not_installed("nanoparquet")
  con <- sqlite_tables(":memory:")
  withr::defer(DBI::dbDisconnect(con))
  source <- tide_source(con, c("rows", "totals"), columns = c(query = "search term"))
  store <- tide_store(withr::local_tempdir())
  tide_load(store, unlist(tide_example()[c("pairs", "totals")]))
  files <- tide_read(unlist(tide_example()[c("pairs", "totals")]))
  last <- function(days) {
    function(x) if (inherits(x, "tide_data")) tide_filter(x, days = days) else x
  }
  calls <- list(
    summary = function(x) tide_summary(x)$pairs,
    compare = function(x) tide_compare(x, days = 14)$moves,
    `compare pages` = function(x) tide_compare(x, by = "page",
      after = c("2026-10-10", "2026-10-20"), before = c("2026-09-10", "2026-09-20"))$moves,
    `parts side by side` = function(x) tide_compare(x, by = "device")$parts,
    trace = function(x) tide_trace(last(90)(x), "radish spacing")$rows,
    follow = function(x) tide_follow(last(182)(x))$pages,
    watched = function(x) tide_watched(x, "/radish/")$rows,
    inventory = function(x) tide_inventory(x, "page")$rows,
    explorer = function(x) tide_explore(tide_explorer(x), "device")$rows,
    unusual = function(x) tide_unusual(x))
  for (call in names(calls)) {
    of_files <- as.data.frame(calls[[call]](files))
    for (held in list(source, store)) {
      expect_equal(as.data.frame(calls[[call]](held)), of_files, tolerance = 1e-6,
        ignore_attr = TRUE, label = paste(call, class(held)))
    }
  }
  account <- lapply(list(source, store), tide_check)
  expect_equal(account[[1]]$held[order(grain), !"rows"], account[[2]]$held[order(grain), !"rows"])
  expect_equal(account[[1]]$coverage, account[[2]]$coverage)
  expect_setequal(account[[1]]$problems$problem, account[[2]]$problems$problem)
})

test_that("queries that a table spells oddly are found again", {
  # Contested on every day, spelt with other white space and as a spreadsheet quotes it.
  days <- format(as.Date("2026-06-01") + 0:59)
  rows <- CJ(date = days, query = c("pea\u00a0seeds", "'=bean seeds", "kale"), page = c("/a", "/b"))
  rows[, c("clicks", "impressions", "position") := list(2L, 30L, 4)]
  file <- withr::local_tempfile(fileext = ".csv")
  fwrite(rows, file)
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "rows", as.data.frame(rows))
  today <- as.Date("2026-12-01")
  own <- tide_summary(tide_stored(tide_source(con, "rows", today = today), by_month = TRUE))
  files <- tide_summary(tide_read(file))
  for (part in c("queries", "contested", "weekly")) {
    expect_equal(own[[part]], files[[part]], label = part)
  }
})

test_that("what is no source is one clear error, and names are quoted", {
  tables <- example_tables()
  tables[["odd \"name\"; DROP TABLE rows"]] <- tables$rows
  con <- sqlite_tables(":memory:", tables)
  withr::defer(DBI::dbDisconnect(con))
  map <- c(query = "search term")
  expect_s3_class(tide_source(con, "odd \"name\"; DROP TABLE rows", columns = map), "tide_source")
  expect_true(DBI::dbExistsTable(con, "rows"))
  cases <- list(list(tables = "nowhere"), list(tables = "rows", where = "1 = 1; DROP TABLE rows"),
    list(tables = "rows", where = "1 = 1 -- all"), list(tables = "rows", where = "Device = 'a"),
    list(tables = "rows", columns = c(clicks = "none", impressions = "Impressions")))
  for (case in cases[1:4]) {
    expect_error(do.call(tide_source, c(list(con), case)), class = "tide_error_source")
  }
  expect_error(tide_source(con, c("rows", "rows"), columns = map), class = "tide_error_grain")
  expect_error(tide_source(con, "rows", columns = c(klicks = "Clicks")),
    class = "tide_error_argument")
  expect_error(tide_stored(tide_source(con, "rows", columns = map, where = "nothing = 1")),
    class = "tide_error_source")
  expect_error(tide_stored(tide_source(con, "rows", columns = c(map, date = "Device"))),
    class = "tide_error_source")
  expect_error(tide_source("file.sqlite", "rows"), class = "tide_error_argument")
  DBI::dbExecute(con, "DELETE FROM totals")
  expect_error(tide_stored(tide_source(con, "totals")), class = "tide_error_nothing_left")
})

test_that("a question that takes too long is stopped, also in SQLite", {
  file <- withr::local_tempfile(fileext = ".sqlite")
  con <- sqlite_tables(file)
  DBI::dbExecute(con, paste("CREATE VIEW endless AS WITH RECURSIVE day(n) AS (SELECT 1 UNION ALL",
    "SELECT n + 1 FROM day) SELECT '2026-08-01' AS date, 'kale' AS query, 1 AS clicks,",
    "9 AS impressions, 3 AS position FROM day WHERE n < 0"))
  DBI::dbDisconnect(con)
  space <- asNamespace("inktide")
  most <- space$question_seconds
  assignInNamespace("question_seconds", 1L, space)
  withr::defer(assignInNamespace("question_seconds", most, space))
  source <- tide_source(function() DBI::dbConnect(RSQLite::SQLite(), file), "endless")
  withr::defer(DBI::dbDisconnect(source$state$con))
  set.seed(1)
  seed <- .Random.seed
  taken <- system.time(expect_error(tide_stored(source), "stopped after 1 seconds",
    class = "tide_error_source"))
  expect_lt(taken[["elapsed"]], 20)
  expect_identical(.Random.seed, seed)
})

test_that("the program works on a database that inktide.yml describes, and only reads it", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  DBI::dbDisconnect(sqlite_tables(file.path(dir, "search.sqlite")))
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]", "sources:",
    "  warehouse: {driver: sqlite, database: search.sqlite, tables: [rows, totals],",
    "    columns: {query: search term}}"),
    file.path(dir, "inktide.yml"))
  before <- tools::md5sum(file.path(dir, "search.sqlite"))
  run <- function(...) program(..., "--project", dir, "--quiet")
  ids <- function(run) fread(text = run$out)$id
  found <- run("find", "--format", "csv")
  expect_equal(found$status, 0, label = paste(found$err, collapse = " "))
  files <- tide_example()
  of_files <- program("find", files[["pairs"]], files[["totals"]], "--brand", "fernmoor",
    "--format", "csv", "--quiet")
  expect_equal(ids(found), ids(of_files))
  for (command in list("curve", c("compare", "--level", "page"), c("trace", "radish spacing"),
      c("list", "--by", "page"), "follow", "check", c("watched", "--of", "/radish/"))) {
    expect_equal(do.call(run, as.list(command))$status, 0, label = command[1])
  }
  expect_equal(ids(run("find", "--format", "csv", "--source", "warehouse")), ids(found))
  whole <- fread(files[["pairs"]])
  chosen <- fread(text = run("list", "--segment", "brand", "--format", "csv", "--lag", "0")$out)
  expect_equal(sum(chosen$clicks), whole[grepl("fern ?moor", Query), sum(Clicks)])
  expect_equal(run("find", "--source", "elsewhere")$status, 2)
  expect_equal(tools::md5sum(file.path(dir, "search.sqlite")), before)
  writeLines(c("sources:", "  warehouse: {driver: sqlite, tables: [rows]}"),
    file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
})

# A PostgreSQL server on a socket in a folder of its own; skipped where it cannot be had.
local_postgres <- function(test = parent.frame()) {
  bin <- dirname(Sys.glob("/usr/lib/postgresql/*/bin/initdb"))
  driver <- Filter(function(p) requireNamespace(p, quietly = TRUE), c("RPostgres", "RPostgreSQL"))
  skip_if(!length(bin) || !length(driver), "PostgreSQL or its driver is not installed")
  dir <- withr::local_tempdir(.local_envir = test)
  # The server refuses to run as root.
  as_user <- if (Sys.info()[["user"]] == "root") {
    skip_if(!nzchar(Sys.which("setpriv")), "no setpriv to run a server as another user")
    system2("chown", c("65534:65534", dir))
    Sys.chmod(c(dir, dirname(dir)), "0755")
    "setpriv --reuid=65534 --regid=65534 --clear-groups env HOME=/tmp "
  } else {
    ""
  }
  run <- function(command) {
    system(sprintf("cd %s && %s%s > %s/log 2>&1", dir, as_user, command, tempdir()))
  }
  skip_if(run(sprintf("%s/initdb -D %s/data -U reader -A trust", bin[1], dir)) != 0,
    "initdb does not work here")
  pg_ctl <- sprintf("%s/pg_ctl -D %s/data -w", bin[1], dir)
  started <-
    run(sprintf("%s -o '-k %s -c listen_addresses=' -l %s/server.log start", pg_ctl, dir, dir))
  withr::defer(run(paste(pg_ctl, "-m immediate stop")), envir = test)
  skip_if(started != 0, "the server does not start here")
  dir
}

test_that("PostgreSQL gives the same, in a session that only reads", {
  skip_unless_studies()
  host <- local_postgres()
  spec <- list(driver = "postgres", host = host, database = "postgres", user = "reader",
    tables = c("search.rows", "totals"))
  makers <- c(RPostgres = "Postgres", RPostgreSQL = "PostgreSQL")
  driver <- Filter(function(p) requireNamespace(p, quietly = TRUE), names(makers))[1]
  writer <- DBI::dbConnect(getExportedValue(driver, makers[[driver]])(), host = host,
    dbname = "postgres", user = "reader")
  withr::defer(DBI::dbDisconnect(writer))
  tables <- example_tables()
  DBI::dbExecute(writer, "CREATE SCHEMA search")
  DBI::dbExecute(writer, paste("CREATE TABLE search.rows (\"Date\" date, \"search term\" text,",
    "\"Page\" text, \"Device\" text, \"Clicks\" integer, \"Impressions\" integer,",
    "\"Position\" numeric(6, 2))"))
  DBI::dbExecute(writer, paste("CREATE TABLE totals (\"Date\" date, \"Clicks\" integer,",
    "\"Impressions\" integer, \"Position\" numeric(6, 2))"))
  fill <- function(table, rows) {
    texts <- vapply(rows, function(x) !is.numeric(x), NA)
    cells <- Map(function(x, text) if (text) DBI::dbQuoteString(writer, as.character(x)) else x,
      rows, texts)
    values <- do.call(paste, c(lapply(cells, as.character), sep = ", "))
    DBI::dbExecute(writer,
      sprintf("INSERT INTO %s VALUES %s", table, paste0("(", values, ")", collapse = ", ")))
  }
  fill("search.rows", tables$rows[, !"CTR"])
  fill("totals", tables$totals[,
    intersect(c("Date", "Clicks", "Impressions", "Position"), names(tables$totals)), with = FALSE])
  con <- inktide:::open_database(spec, ".")
  withr::defer(DBI::dbDisconnect(con))
  expect_same_summary(tide_source(con, spec$tables, columns = c(query = "search term")))
  expect_error(suppressWarnings(DBI::dbExecute(con, "DELETE FROM totals")))
  expect_equal(DBI::dbGetQuery(writer, "SELECT COUNT(*) AS many FROM totals")$many[1],
    nrow(tables$totals), ignore_attr = TRUE)
  expect_error(inktide:::open_database(utils::modifyList(spec, list(database = "none")), "."),
    class = "tide_error_source")
  # A connection that is lost is opened once more, and again is an error.
  opened <- 0
  opens <- function() {
    opened <<- opened + 1
    if (opened > 2) stop("no more")
    inktide:::open_database(spec, ".")
  }
  source <- tide_source(opens, spec$tables[1], columns = c(query = "search term"))
  DBI::dbDisconnect(source$state$con)
  summary <- tide_summary(tide_stored(source, by_month = TRUE))
  expect_equal(nrow(summary$pairs), nrow(of_files()$pairs))
  expect_equal(opened, 2)
  DBI::dbDisconnect(source$state$con)
  source$state$days <- NULL
  expect_error(tide_stored(source), "no more")
})

test_that("an archive goes into a table and back, and again changes nothing", {
  skip_unless_studies()
  skip_if_not_installed("nanoparquet")
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]", "sources:",
    "  warehouse: {driver: sqlite, database: search.sqlite, tables: [rows, totals]}"),
    file.path(dir, "inktide.yml"))
  store <- tide_store(dir)
  tide_load(store, unlist(tide_example()[c("pairs", "totals")]))
  con <- DBI::dbConnect(RSQLite::SQLite(), file.path(dir, "search.sqlite"))
  withr::defer(DBI::dbDisconnect(con))
  copied <- tide_copy_to(store, con, "rows", "totals")
  expect_equal(copied$written, copied$days)
  expect_equal(copied$rows, vapply(c("rows", "totals"), function(table) {
    DBI::dbGetQuery(con, sprintf("SELECT count(*) AS many FROM %s", table))$many
  }, 0L), ignore_attr = TRUE)
  expect_equal(tide_copy_to(store, con, "rows", "totals")$written, c(0, 0))
  # A day that differs is written anew, whole.
  day <- DBI::dbGetQuery(con, "SELECT min(date) AS day FROM rows")$day
  DBI::dbExecute(con, sprintf("UPDATE rows SET clicks = clicks + 1 WHERE date = '%s'", day))
  run <- function(...) program("load", ..., "--project", dir)
  again <- run("--to", "warehouse")
  expect_match(again$out[1], "rows: 1 of", fixed = TRUE)
  own <- tide_summary(tide_stored(tide_source(con, c("rows", "totals")), by_month = TRUE),
    brand = "fernmoor")
  expect_equal(own$pairs, of_files()$pairs)
  DBI::dbExecute(con, "CREATE TABLE other (a text)")
  expect_error(tide_copy_to(store, con, "other"), "other columns", class = "tide_error_source")
  expect_equal(run("--to", "nowhere")$status, 2)
  # And back.
  back <- withr::local_tempdir()
  returned <- tide_store(back)
  tide_load(returned, tide_source(con, c("rows", "totals")))
  expect_equal(tide_summary(tide_stored(returned), brand = "fernmoor")$pairs, of_files()$pairs)
  expect_true(is.na(tide_load(returned, tide_source(con, c("rows", "totals")))$import))
  expect_match(paste(run("--source", "warehouse")$out, collapse = " "), "clicks")
})
