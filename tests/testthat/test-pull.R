# Services are asked through the stand-in, in a process of its own.

service_day_0 <- as.IDate("2026-06-01")

# Rows of a service: some hundred a day on three devices.
service_rows <- function(days = 40, queries = 60, seed = 1) {
  set.seed(seed)
  rows <- CJ(date = service_day_0 + seq_len(days) - 1L, query = sprintf("query %03d", 1:queries),
    device = c("mobile", "desktop", "tablet"))
  rows[, "page" := sprintf("https://www.fernmoor.example/p%s/", substr(query, 7, 8))]
  rows[, "impressions" := 1L + rpois(.N, 20)]
  rows[, "clicks" := rbinom(.N, impressions, 0.1)]
  rows[, "position" := round(runif(.N, 1, 20), 1)]
  rows[]
}

served_rows <- function(rows, ..., test = parent.frame()) {
  port <- httpuv::randomPort()
  server <- callr::r_bg(function(rows, port, more) {
    server <- do.call(inktide::tide_demo_service, c(list(rows, port = port), more))
    repeat httpuv::service(100)
  }, list(rows, port, list(...)), libpath = .libPaths())
  withr::defer(server$kill(), envir = test)
  for (i in 1:100) {
    up <- tryCatch(!is.null(curl::curl_fetch_memory(sprintf("http://127.0.0.1:%d/sign-in", port))),
      error = function(e) FALSE)
    if (up) break
    Sys.sleep(0.1)
  }
  list(url = sprintf("http://127.0.0.1:%d", port), stop = function() server$kill())
}

described <- function(service, ...) {
  utils::modifyList(list(
    url = paste0(service$url, "/rows"),
    body = list(day = "{date}", limit = "{limit}", offset = "{offset}"),
    rows = "/rows",
    fields = list(query = "/keys/0", page = "/keys/1", clicks = "/clicks",
      impressions = "/impressions", position = "/position"),
    paging = list(by = "offset", limit = 100),
    count = "/total",
    token_env = "TIDE_TEST_TOKEN",
    from = "2026-06-01",
    per_minute = 60000),
    list(...))
}

# What the archive holds, to the last click, against the rows of the service.
expect_holds <- function(store, rows, until) {
  held <- tide_stored(store, lag = 0, dimensions = c("date", "query", "page"))$tables[[1]]$rows
  held <- held[, .(date, query = as.character(query), page = as.character(page), clicks,
    impressions, weighted = position * impressions)]
  truth <- rows[date <= until,
    .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(position * impressions)),
    by = c("date", "query", "page")]
  setkeyv(held, c("date", "query", "page"))
  setkeyv(truth, c("date", "query", "page"))
  expect_equal(held, truth, ignore_attr = TRUE, tolerance = 1e-9)
}

test_that("a pull through faults ends with the truth, goes on where it was, asks for nothing twice",
  {
  skip_unless_studies()
    skip_without_service()
    withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
    rows <- service_rows()
    today <- service_day_0 + 30L
    service <- served_rows(rows, faults = TRUE, today = today)
    store <- tide_store(withr::local_tempdir())
    spec <- described(service)
    first <- tide_pull(store, spec, to = "2026-06-10", today = today, wait = 0)
    expect_equal(nrow(first), 10)
    expect_true(all(first$state == "stored"))
    expect_holds(store, rows, service_day_0 + 9L)
    more <- tide_pull(store, spec, today = today, wait = 0)
    # The last day that is final: three unfinished ones are left for next time.
    expect_equal(range(more$day), service_day_0 + c(10, 26))
    expect_holds(store, rows, service_day_0 + 26L)
    expect_equal(nrow(tide_pull(store, spec, today = today, wait = 0)), 0)
    # A day later one more day is final. A service that is gone in the middle loses nothing.
    service$stop()
    expect_error(tide_pull(store, spec, today = today + 1, wait = 0), class = "tide_error_pull")
    expect_holds(store, rows, service_day_0 + 26L)
  })

test_that("days above the cap are asked for in parts, or said not to be whole", {
  skip_unless_studies()
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  rows <- service_rows(days = 4)
  service <- served_rows(rows, cap = 50)
  today <- service_day_0 + 10L
  plain <- tide_pull(tide_store(withr::local_tempdir()), described(service), to = "2026-06-02",
    today = today, wait = 0)
  expect_equal(plain$state, rep("above the cap", 2))
  expect_equal(plain$rows, c(50, 50))
  # A device has 60 queries, so it takes parts of parts to know; 40 fit.
  rows <- rows[query <= "query 040"]
  service <- served_rows(rows, cap = 40)
  split <- list(list(body = list(device = "{value}"), values = c("mobile", "desktop", "tablet")))
  store <- tide_store(withr::local_tempdir())
  whole <- tide_pull(store, described(service, split = split, cap = 40, count = NULL),
    to = "2026-06-02", today = today, wait = 0)
  expect_true(all(whole$rows == 40))
  # By the count that the service gives, each part is whole.
  store <- tide_store(withr::local_tempdir())
  whole <- tide_pull(store, described(served_rows(rows, cap = 100), split = split),
    to = "2026-06-02", today = today, wait = 0)
  expect_true(all(whole$state == "stored"))
  expect_holds(store, rows, service_day_0 + 1L)
})

test_that("CSV with links to the next page, tokens that expire, and totals without queries", {
  skip_unless_studies()
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token", TIDE_TEST_SECRET = "demo-secret")
  rows <- service_rows(days = 3, queries = 700)
  service <- served_rows(rows, token_calls = 3)
  today <- service_day_0 + 10L
  csv <- list(
    url = paste0(service$url, "/rows.csv"),
    parameters = list(day = "{date}"),
    format = "csv",
    fields = list(query = "query", page = "page", clicks = "clicks", impressions = "impressions",
      position = "position"),
    paging = list(by = "link"),
    token_env = "TIDE_TEST_TOKEN",
    from = "2026-06-01",
    per_minute = 60000)
  store <- tide_store(withr::local_tempdir())
  expect_equal(tide_pull(store, csv, to = "2026-06-03", today = today, wait = 0)$calls, c(2, 2, 2))
  expect_holds(store, rows, service_day_0 + 2L)
  oauth <- described(service, token_env = NULL, paging = list(by = "offset", limit = 200),
    oauth = list(grant = "client", client = "demo", secret_env = "TIDE_TEST_SECRET",
      token_url = paste0(service$url, "/token")))
  store <- tide_store(withr::local_tempdir())
  tide_pull(store, oauth, to = "2026-06-03", today = today, wait = 0)
  expect_holds(store, rows, service_day_0 + 2L)
})

test_that("facts are asked for once, the first names first, within the budget of calls", {
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  service <- served_rows(service_rows(days = 2, queries = 5))
  spec <- list(url = paste0(service$url, "/volumes"), by = "query", body = list(names = "{names}"),
    names_a_call = 3, rows = "/rows", fields = list(query = "/query", volume = "/volume"),
    token_env = "TIDE_TEST_TOKEN", budget = 2, per_minute = 60000)
  store <- tide_store(withr::local_tempdir())
  names <- c("kale", "leek seeds", "pea", "radish", "tomato", "chard", "squash")
  facts <- tide_pull_facts(store, spec, names, today = "2026-06-01", wait = 0)
  expect_equal(facts$rows$volume, 10 * nchar(names[1:6]))
  expect_equal(attr(facts, "left"), 1)
  rest <- tide_pull_facts(store, spec, names, today = "2026-06-02", wait = 0)
  expect_equal(rest$rows$name, "squash")
  expect_null(tide_pull_facts(store, spec, names, today = "2026-06-03", wait = 0))
  old <- tide_pull_facts(store, spec, names[1], today = "2026-08-03", wait = 0)
  expect_equal(old$rows$name, "kale")
})

test_that("a person who confirms is told where and with which code, and nobody is waited for", {
  skip_unless_studies()
  skip_without_service()
  withr::local_envvar(R_USER_CACHE_DIR = withr::local_tempdir())
  rows <- service_rows(days = 2, queries = 5)
  service <- served_rows(rows)
  spec <- described(service, token_env = NULL, oauth = list(grant = "device", client = "demo",
    token_url = paste0(service$url, "/token"), auth_url = paste0(service$url, "/device")))
  store <- tide_store(withr::local_tempdir())
  ask <- function(...) {
    tide_pull(store, spec, to = "2026-06-02", today = "2026-06-20", wait = 0, ...)
  }
  expect_error(ask(), "wants a person to confirm", class = "tide_error_pull")
  said <- character()
  expect_silent(ask(progress = function(text) said <<- c(said, text)))
  expect_match(said, "Open https://www.fernmoor.example/device and confirm the code SEED-2026",
    all = FALSE, fixed = TRUE)
  expect_holds(store, rows, service_day_0 + 1L)
  # What was confirmed is kept, for this user alone; taken back, it is asked for again.
  again <- function(...) {
    store <<- tide_store(withr::local_tempdir())
    ask(...)
  }
  expect_equal(nrow(again()), 2)
  kept <- list.files(tools::R_user_dir("inktide", "cache"), "^token-", full.names = TRUE)
  expect_equal(as.character(file.mode(kept)), "600")
  told <- jsonlite::fromJSON(kept)
  write <- function(...) writeLines(jsonlite::toJSON(list(...), auto_unbox = TRUE), kept)
  write(token = "taken-back", until = told$until)
  expect_error(again(), "wants a person to confirm")
  expect_false(file.exists(kept))
  # One that ran out is renewed.
  write(token = "old", refresh = "demo-refresh", until = 0)
  expect_equal(nrow(again()), 2)
  expect_equal(jsonlite::fromJSON(kept)$refresh, "demo-refresh")
})

# A service that cuts its first connections in the middle of the answer.
cutting_service <- function(body, cuts, test = parent.frame()) {
  port <- httpuv::randomPort()
  server <- callr::r_bg(function(body, cuts, port) {
    listening <- serverSocket(port)
    for (turn in 1:20) {
      con <- socketAccept(listening, open = "r+b", blocking = TRUE, timeout = 30)
      while (nzchar(readLines(con, 1))) NULL
      writeLines(c("HTTP/1.1 200 OK", "Content-Type: application/json", "Connection: close",
        sprintf("Content-Length: %d", nchar(body)), ""), con, sep = "\r\n")
      writeChar(if (turn <= cuts) substr(body, 1, 20) else body, con, eos = NULL)
      close(con)
    }
  }, list(body, cuts, port), libpath = .libPaths())
  withr::defer(server$kill(), envir = test)
  Sys.sleep(0.5)
  sprintf("http://127.0.0.1:%d/rows", port)
}

test_that("a connection that is cut is opened again, and not for ever", {
  skip_unless_studies()
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  body <- paste0("{\"total\": 1, \"rows\": [{\"keys\": [\"kale seeds\", \"/kale/\"], ",
    "\"clicks\": 2, \"impressions\": 30, \"position\": 4}]}")
  for (cuts in c(2, 20)) {
    store <- tide_store(withr::local_tempdir())
    spec <- described(list(url = ""), url = cutting_service(body, cuts), method = "GET",
      parameters = list(day = "{date}"), body = NULL)
    pull <- function() {
      tide_pull(store, spec, to = "2026-06-01", today = "2026-06-20", wait = 0)
    }
    if (cuts == 2) {
      expect_equal(pull()$clicks, 2)
    } else {
      expect_error(pull(), "does not answer", class = "tide_error_pull")
      expect_equal(nrow(summary(store)), 0)
    }
  }
})

test_that("answers that are none are one clear error, without the secret", {
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token", TIDE_TEST_OTHER = "very-secret-token")
  service <- served_rows(service_rows(days = 2, queries = 5))
  store <- tide_store(withr::local_tempdir())
  ask <- function(...) {
    tide_pull(store, described(service, ...), to = "2026-06-02", today = "2026-06-20", wait = 0)
  }
  cases <- list(list(list(token_env = "TIDE_TEST_OTHER"), "refuses the token \\(401\\)"),
    list(list(token_env = "TIDE_TEST_UNSET"), "TIDE_TEST_UNSET"),
    list(list(rows = "/wrong"), "No list of rows at '/wrong'"),
    list(list(fields = list(clicks = "/klicks")), "A row has no '/klicks'"),
    list(list(url = paste0(service$url, "/sign-in")), "A page came, not JSON"),
    list(list(url = paste0(service$url, "/nowhere")), "answers 404"),
    list(list(body = list(offset = 0), paging = list(limit = 2)), "The same rows came again"),
    list(list(url = "http://127.0.0.1:9/rows"), "does not answer"))
  for (case in cases) {
    error <- tryCatch(do.call(ask, case[[1]]), error = identity)
    expect_s3_class(error, "tide_error_pull")
    expect_match(conditionMessage(error), case[[2]])
    expect_false(grepl("very-secret-token|demo-token", conditionMessage(error)))
  }
  expect_equal(nrow(summary(store)), 0)
  good <- described(list(url = "https://service.example"))
  bad <- list(list(url = "ftp://x"), list(url = "http://service.example/rows"), list(rate = 3),
    list(paging = list(by = "offset", limit = NULL)), list(format = "xml"),
    list(paging = list(by = "guess")), list(fields = list(clickz = "/c")), list(cap = 0))
  for (one in bad) {
    expect_error(inktide:::as_pull_spec(utils::modifyList(good, one), "daily"),
      class = "tide_error_settings", label = names(one))
  }
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "pull:", "  daily:", "    url: nowhere"),
    file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 3", class = "tide_error_settings")
})

test_that("pointers are those of RFC 6901, and templates keep their types", {
  value <- jsonlite::fromJSON(paste0(
    "{\"foo\": [\"bar\", \"baz\"], \"\": 0, \"a/b\": 1, \"c%d\": 2,",
    "\"e^f\": 3, \"g|h\": 4, \" \": 7, \"m~n\": 8}"),
    simplifyVector = FALSE)
  cases <- c(`/foo/0` = "bar", `/foo/1` = "baz", `/a~1b` = "1", `/c%d` = "2", `/e^f` = "3",
    `/g|h` = "4", `/ ` = "7", `/m~0n` = "8")
  for (pointer in names(cases)) {
    expect_equal(as.character(inktide:::json_at(value, pointer)), cases[[pointer]], label = pointer)
  }
  expect_identical(inktide:::json_at(value, ""), value)
  expect_null(inktide:::json_at(value, "/foo/2"))
  expect_null(inktide:::json_at(value, "/none/0"))
  filled <- inktide:::fill_template(
    list(a = "{limit}", b = list("x {date} y", TRUE), c = "{names}"),
    list(limit = 5, date = "2026-06-01", names = list("p", "q")))
  expect_identical(filled, list(a = 5, b = list("x 2026-06-01 y", TRUE), c = list("p", "q")))
})

test_that("the program pulls what inktide.yml describes", {
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  service <- served_rows(service_rows(days = 3))
  dir <- withr::local_tempdir()
  spec <- described(service)
  spec$from <- NULL
  writeLines(
    c("site: https://www.fernmoor.example/", yaml::as.yaml(list(pull = list(daily = spec)))),
    file.path(dir, "inktide.yml"))
  said <- program("pull", "--from", "2026-06-01", "--to", "2026-06-03", "--project", dir)
  expect_equal(said$status, 0, label = paste(said$err, collapse = " "))
  expect_match(said$out[1], "daily: 3 days, 2026-06-01 to 2026-06-03, 180 rows")
  again <- program("pull", "daily", "--from", "2026-06-01", "--to", "2026-06-03", "--project", dir)
  expect_match(again$out[1], "nothing to ask for")
  expect_equal(program("find", "--project", dir, "--quiet")$status, 0)
  expect_equal(program("pull", "weekly", "--project", dir)$status, 1)
  expect_equal(program("pull", "--facts", "daily", "--project", dir)$status, 2)
})
