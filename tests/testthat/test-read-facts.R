summary <- tide_summary(as_data(data.table(query = c("Kale  Seeds", "pea seeds", "m\u00fcsli"),
  page = paste0("https://www.fernmoor.example/", c("a/", "b/", "a/")), clicks = c(5, 2, 1),
  impressions = c(60, 30, 10), position = 2)))
facts <- function(...) tide_facts(csv(...))[[1]]

test_that("facts are read in any dress: numbers, thousands, lists in one cell, further columns", {
  read <- facts("Keyword;Suchvolumen;CPC;Trend;Notes", "kale seeds;1.900;0,45;10, 20,30;mine",
    "pea seeds;-;1,20;;", "kale seeds;2.000;0,50;1|2;again")
  expect_equal(read$by, "query")
  expect_equal(read$rows$volume, c(NA, 2000))
  expect_equal(read$rows$cost, c(1.2, 0.5))
  expect_equal(read$rows$trend, c(NA, "1 2"))
  expect_equal(read$rows$notes, c(NA, "again"))
  expect_equal(read$twice, 1L)
  expect_equal(facts("url,title,conversions", "/a/,A title,3")$by, "page")
  expect_error(facts("a,b", "1,2"), class = "tide_error_columns_missing")
  expect_error(facts("query,page,volume", "1,2,3"), class = "tide_error_columns_twice")
  expect_error(facts("query,volume,searches", "1,2,3"), class = "tide_error_columns_twice")
})

test_that("they join by compared form, report what matched, and leave the rest missing", {
  more <- tide_enrich(summary, list(
    facts("query,volume", "KALE seeds,900", "M\u00dcSLI,40", "pea seed,7", "tractor,1"),
    facts("page,title", "/b,Peas", "http://fernmoor.example/zzz/,None")))
  expect_equal(
    more$queries$volume[match(c("kale seeds", "m\u00fcsli", "pea seeds"), more$queries$key)],
    c(900, 40, NA))
  expect_equal(more$pages$title, c(NA, "Peas"))
  expect_equal(more$facts$matched, c(2, 1))
  expect_equal(more$facts$share, c(0.7, 0.3))
  expect_equal(more$facts$unmatched, c(2, 1))
  expect_match(more$facts$nearest[1], "'pea seed' (shown: 'pea seeds')", fixed = TRUE)
})

test_that("the newest fact counts; missing ones do not erase", {
  old <- tide_facts(csv("query,volume,cost", "kale seeds,1,5"), date = "2026-01-01")
  new <- tide_facts(csv("query,volume,cost", "kale seeds,2,"), date = "2026-02-01")
  for (order in list(c(old, new), c(new, old))) {
    kale <- tide_enrich(summary, order)$queries[key == "kale seeds"]
    expect_equal(c(kale$volume, kale$cost), c(2, 5))
    pages <- as_data(data.table(query = c("kale seeds", "pea"),
      page = "https://www.fernmoor.example/a/", clicks = 1, impressions = 9, position = 2))
    rows <- tide_trace(pages, "/a/", facts = order)$rows
    expect_equal(unlist(rows[query == "kale seeds", .(volume, cost)]), c(volume = 2, cost = 5))
  }
})

test_that("findings and traces carry them, the program keeps them", {
  skip_if_not_installed("nanoparquet")
  dir <- withr::local_tempdir()
  program("load", tide_example()[["pairs"]], "--project", dir, "--exported", "2026-11-01")
  file <-
    csv("query;volume;trend", "Radish Spacing;1.900;1,2,3", "nothing;5;", name = "volumes.csv")
  run <- program("enrich", file, "--project", dir)
  expect_match(run$out, "1 of 2 rows matched", all = FALSE)
  expect_match(program("enrich", file, "--project", dir)$out, "Nothing changed", all = FALSE)
  found <- fread(text = program("find", "--project", dir, "--format", "csv", "--quiet")$out)
  expect_equal(found[query == "radish spacing"]$volume[1], 1900)
  expect_equal(utils::tail(names(found), 2), c("volume", "trend"))
  trace <- program("trace", "radish spacing", "--project", dir, "--quiet")$out
  expect_match(trace, "^volume: 1,900", all = FALSE)
  one_shot <-
    program("trace", "radish spacing", tide_example()[["pairs"]], "--facts", file, "--quiet")$out
  expect_match(one_shot, "^volume: 1,900", all = FALSE)
  expect_equal(program("enrich", csv("a,b", "1,2"), "--project", dir)$status, 1)
})

test_that("facts that are kept come back as they were, once, the oldest first", {
  store <- tide_store(withr::local_tempdir())
  facts <- function(date, ...) tide_facts(csv(...), date = date)
  newer <-
    facts("2026-05-01", "query,volume,title", "pea seed,7,\"a, \"\"b\"\"\"", "m\u00fcsli,40,")
  older <- facts("2026-02-01", "page,title", "/b,Peas")
  expect_equal(tide_load(store, c(newer, older))$kept, c(TRUE, TRUE))
  expect_equal(tide_load(store, newer)$kept, FALSE)
  held <- tide_facts(store)
  expect_equal(vapply(held, `[[`, "", "by"), c("page", "query"))
  expect_equal(as.data.frame(held[[2]]$rows), as.data.frame(newer[[1]]$rows))
  expect_equal(as.data.frame(held[[1]]$rows), as.data.frame(older[[1]]$rows))
})

test_that("tables of page analytics are understood, and it is asked where money could be two", {
  read <- function(header, ..., columns = NULL) {
    file <- csv(header, "/a/,500,5,120.5", "/b/,400,4,80")
    tide_facts(file, columns = columns)[[1]]$rows
  }
  for (header in c("Landing page + query string,Sessions,Key events,Total revenue",
      "Landing page,Sessions,Conversions,Event value",
      "Zielseite,Sitzungen,Schl\u00fcsselereignisse,Gesamtumsatz",
      "Page de destination,Sessions,\u00c9v\u00e9nements cl\u00e9s,Revenu total",
      "P\u00e1gina de destino,Sesiones,Eventos clave,Ingresos totales",
      "Pagina di destinazione,Sessioni,Eventi chiave,Entrate totali")) {
    rows <- read(header)
    expect_equal(rows$sessions, c(500, 400), label = header)
    expect_equal(rows$conversions, c(5, 4), label = header)
    expect_equal(rows$value, c(120.5, 80), label = header)
  }
  two <- "Landing page,Sessions,Purchase revenue,Event value"
  expect_error(read(two), class = "tide_error_columns_twice")
  chosen <- read(two, columns = c(value = "Event value"))
  expect_equal(chosen$value, c(120.5, 80))
})
