test_that("two loads at once both arrive whole", {
  skip_unless_studies()
  skip_on_os("windows")
  store <- tide_store(withr::local_tempdir())
  queries <- sprintf("query %d", 1:400)
  one <- csv("date,query,page,clicks,impressions,position",
    sprintf("%s,%s,/a,1,10,3", rep(format(as.IDate("2026-03-01") + 0:40), each = 400), queries))
  other <- csv("query,clicks,impressions,position", sprintf("%s,1,10,3", queries))
  load_elsewhere(store, one, wait = FALSE)
  load_elsewhere(store, other)
  for (i in 1:100) if (nrow(summary(store)) < 2) Sys.sleep(0.2)
  expect_equal(sum(held(store)$clicks), 41 * 400)
  expect_equal(sum(tide_stored(store, lag = 0)$tables$query$rows$clicks), 400)
  expect_equal(nrow(tide_check(store)$problems[problem == "damaged part"]), 0)
})

test_that("an archive of the first format is brought up to date, one of a later is refused", {
  store <- tide_store(withr::local_tempdir())
  tide_load(store, export(rows_of(0:9, 10)), exported = "2026-05-01")
  sql <- function(...) {
    con <- DBI::dbConnect(RSQLite::SQLite(), file.path(store$dir, "archive.sqlite"))
    on.exit(DBI::dbDisconnect(con))
    for (statement in c(...)) DBI::dbExecute(con, statement)
  }
  sql("DROP TABLE facts", "DROP TABLE decisions", "DROP TABLE outcomes",
    "ALTER TABLE imports DROP COLUMN stated",
    "ALTER TABLE days DROP COLUMN scope", "ALTER TABLE days DROP COLUMN first",
    "ALTER TABLE days DROP COLUMN last",
    "ALTER TABLE changes DROP COLUMN days_unused", "UPDATE meta SET value = '1'")
  again <- tide_store(dirname(store$dir))
  expect_equal(sum(held(again)$clicks), 100)
  expect_length(tide_facts(again), 0)
  sql("UPDATE meta SET value = '99'")
  expect_error(tide_store(dirname(store$dir)), "newer version", class = "tide_error_store")
})
