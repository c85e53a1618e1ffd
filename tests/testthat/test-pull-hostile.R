# Services that give away, mislead, repeat or never end.

row_of <- function(query, clicks = 2, ...) {
  jsonlite::toJSON(list(q = query, c = clicks, i = 30, p = 4, ...), auto_unbox = TRUE)
}
answer_of <- function(...) sprintf("{\"rows\": [%s]}", paste(c(...), collapse = ", "))

asked_of <- function(url, ...) {
  utils::modifyList(list(url = paste0(url, "/rows"), parameters = list(day = "{date}"),
    rows = "/rows", fields = list(query = "/q", clicks = "/c", impressions = "/i", position = "/p"),
    token_env = "TIDE_TEST_TOKEN", from = "2026-06-01", per_minute = 60000), list(...))
}

pulled <- function(spec, to = "2026-06-01", store = tide_store(tempfile("project")), ...) {
  out <- tide_pull(store, spec, to = to, today = "2026-06-20", wait = 0, ...)
  list(days = out, rows = if (any(out$rows > 0)) tide_stored(store, lag = 0)$tables[[1]]$rows)
}

test_that("a redirect to another scheme, host or port gets nothing; within the service it stays", {
  skip_without_service()
  secret <- "a+very/secret token=="
  withr::local_envvar(TIDE_TEST_TOKEN = secret, TIDE_TEST_SECRET = "client-secret")
  other <- local_server(function(request,
    url) "{\"rows\": [{\"q\":\"x\",\"c\":1,\"i\":9,\"p\":2}]}")
  to <- c(other$url, sub("127.0.0.1", "localhost", other$url, fixed = TRUE), "https://127.0.0.1:9",
    "http://a@127.0.0.1:9", "file:///etc/hostname", "//elsewhere.example")
  for (status in c(301L, 302L, 303L, 307L, 308L)) {
    server <- local_server(eval(bquote(function(request, url) {
      list(status = .(status), headers = list(Location = sub("^/", "", request$path)))
    })))
    for (one in if (status == 302L) to else to[1]) {
      error <- tryCatch(pulled(asked_of("", url = paste0(server$url, "/", one))), error = identity)
      expect_s3_class(error, "tide_error_pull")
      expect_match(conditionMessage(error), "redirects to another host")
    }
  }
  expect_null(other$asked())
  # Tokens are asked for with a secret in the body: that is for one host, too.
  server <- local_server(eval(bquote(function(request, url) {
    list(status = 307L, headers = list(Location = paste0(.(other$url), "/token")))
  })))
  oauth <- list(grant = "client", client = "me", secret_env = "TIDE_TEST_SECRET",
    token_url = paste0(server$url, "/token"))
  expect_error(pulled(asked_of(server$url, token_env = NULL, oauth = oauth)),
    "redirects to another host")
  expect_null(other$asked())
  moved <- local_server(function(request, url) {
    if (request$path == "/rows") return(list(status = 307L, headers = list(Location = "/rows/")))
    "{\"rows\": [{\"q\":\"kale\",\"c\":1,\"i\":9,\"p\":2}]}"
  })
  expect_equal(pulled(asked_of(moved$url))$days$clicks, 1)
  endless <- local_server(function(request, url) {
    list(status = 302L, headers = list(Location = "/rows"))
  })
  expect_error(pulled(asked_of(endless$url)), "redirects without end")
})

test_that("a secret that comes back in any form is not shown", {
  skip_without_service()
  secret <- "s3cr3t/tok+en=with & signs"
  withr::local_envvar(TIDE_TEST_TOKEN = secret, TIDE_TEST_SECRET = secret)
  hex <- paste(charToRaw(secret), collapse = "")
  every <- gsub("(..)", "%\\1", hex)
  forms <- c(secret, utils::URLencode(secret, reserved = TRUE), tolower(utils::URLencode(secret,
    reserved = TRUE)), every, utils::URLencode(every, reserved = TRUE),
    jsonlite::base64_enc(charToRaw(secret)), jsonlite::base64_enc(charToRaw(paste0("me:", secret))),
    jsonlite::base64_enc(charToRaw(paste0("Bearer ", secret, "!"))), hex,
    gsub("/", "\\/", secret, fixed = TRUE), sub("s", "\\u0073", secret, fixed = TRUE))
  bare <- function(text) gsub("[\n ]", "", text)
  tell <- function(text) {
    tight <- bare(text)
    decoded <- inktide:::decode_percent(inktide:::decode_percent(tight))
    any(vapply(bare(forms), grepl, NA, x = tight, fixed = TRUE)) ||
      grepl(bare(secret), decoded, fixed = TRUE)
  }
  for (form in forms) {
    expect_true(tell(form))
    expect_false(tell(inktide:::mask_secrets(paste("refused:", form, "is old"), secret)),
      label = form)
  }
  server <- local_server(function(request, url) {
    list(status = 403L, body = paste("no such token:", utils::URLencode(request$token,
      reserved = TRUE)))
  })
  error <- tryCatch(pulled(asked_of(server$url)), error = conditionMessage)
  expect_match(error, "no such token")
  expect_false(tell(error))
  # What was given on the way is as secret.
  server <- local_server(function(request, url) {
    if (request$path == "/token") {
      return("{\"access_token\": \"given-on-the-way\", \"expires_in\": 60}")
    }
    list(status = 500L, body = paste("broke at", request$token, "of", request$query))
  })
  oauth <- list(grant = "client", client = "me", secret_env = "TIDE_TEST_SECRET",
    token_url = paste0(server$url, "/token"))
  error <- tryCatch(pulled(asked_of(server$url, token_env = NULL, oauth = oauth)),
    error = conditionMessage)
  expect_match(error, "broke at Bearer \\*\\*\\* of")
  server <- local_server(function(request, url) {
    list(status = 400L, body = sprintf("{\"error\": \"bad %s\"}", jsonlite::base64_enc(
      charToRaw(request$body))))
  })
  oauth$token_url <- paste0(server$url, "/token")
  error <- tryCatch(pulled(asked_of(server$url, token_env = NULL, oauth = oauth)),
    error = conditionMessage)
  expect_match(error, "The answer is no JSON")
  expect_false(tell(error))
  expect_error(pulled(asked_of("http://127.0.0.1:9", headers = list(`X-Api-Key` = "k-1234567"),
    url = "http://127.0.0.1:9/rows?key=k-1234567")), "rows[?]key=\\*\\*\\*")
})

test_that("an answer is parsed as text, never fetched or opened", {
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  other <- local_server(function(request, url) "{\"rows\": []}")
  file <- withr::local_tempfile(lines = "{\"rows\": []}")
  for (text in c(other$url, file, paste0("file://", file))) {
    server <- local_server(eval(bquote(function(request, url) .(text))))
    expect_error(pulled(asked_of(server$url)), "The answer is no JSON")
    expect_null(inktide:::parse_json(text))
    expect_equal(inktide:::read_state(text)$view, "list")
  }
  expect_null(other$asked())
  expect_null(inktide:::parse_json(strrep("[", 1e6)))
  expect_equal(inktide:::parse_json("[\"a\\u0000b\", \"a\\u0000c\", \"\\\\u0000\"]"),
    list("a\u2400b", "a\u2400c", "\\u0000"))
})

test_that("rows that come again count once, parts are summed, and pages end", {
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  kale <- row_of("kale", 26)
  serve <- function(..., test = parent.frame()) {
    pages <- list(...)
    local_server(eval(bquote(function(request, url) {
      page <- if (grepl("page=[0-9]", request$query)) as.integer(sub("^.*page=([0-9]+).*$", "\\1",
        request$query)) else 1L
      .(pages)[[page]]
    })), test)
  }
  twice <- pulled(asked_of(serve(answer_of(kale, kale))$url))
  expect_equal(unlist(twice$days[c("clicks", "repeats")]), c(clicks = 26, repeats = 1))
  # Pages that overlap: the later figure replaces the earlier one.
  link <- function(next_page, rows) {
    sprintf("{\"next\": %s, \"rows\": [%s]}", next_page, paste(rows, collapse = ", "))
  }
  paged <- list(by = "field", at = "/next")
  overlapping <- serve(link("\"2\"", c(kale, row_of("leek", 3))),
    link("null", c(row_of("leek", 4), row_of("pea", 1))))
  got <- pulled(asked_of(overlapping$url, paging = paged, parameters = list(page = "{next}")),
    store = store <- tide_store(tempfile("project")))
  expect_equal(sum(got$rows$clicks), 26 + 4 + 1)
  # A device that no field holds tells parts of one query apart.
  parts <- serve(answer_of(row_of("kale", 2, device = "mobile"), row_of("kale", 2,
    device = "desk")))
  expect_equal(pulled(asked_of(parts$url))$days$clicks, 4)
  # What is above the cap is asked for in its parts.
  capped <- local_server(function(request, url) {
    rows <- sprintf("{\"q\": \"%s %d\", \"c\": 1, \"i\": 2, \"p\": 3}", sub("^.*device=", "",
      request$query), 1:2)
    sprintf("{\"rows\": [%s]}", paste(rows, collapse = ", "))
  })
  split <- list(list(parameters = list(device = "{value}"), values = c("phone", "desk")))
  expect_equal(pulled(asked_of(capped$url, cap = 2, split = split))$days$rows, 4)
  for (next_page in c("\"2\"", "{\"page\": 2}", "[1, 2]")) {
    server <- serve(link("\"2\"", kale), link(next_page, row_of("leek")))
    expect_error(pulled(asked_of(server$url, paging = paged, parameters = list(page = "{next}"))),
      "in a circle|no text that says what comes next|came again")
  }
  most <- inktide:::most_asked_pages
  withr::defer(utils::assignInNamespace("most_asked_pages", most, "inktide"))
  utils::assignInNamespace("most_asked_pages", 20L, "inktide")
  server <- local_server(function(request, url) {
    sprintf("{\"next\": \"%d\", \"rows\": [{\"q\":\"q %d\",\"c\":1,\"i\":9,\"p\":2}]}",
      request$turn, request$turn)
  })
  expect_error(pulled(asked_of(server$url, paging = paged, parameters = list(page = "{next}"))),
    "pages do not end")
})

test_that("each day is stored when it is whole; a bad row is named, and answers that are none", {
  skip_without_service()
  withr::local_envvar(TIDE_TEST_TOKEN = "demo-token")
  server <- local_server(function(request, url) {
    if (grepl("2026-06-03", request$query)) {
      return(paste0("{\"rows\": [{\"q\":\"a\",\"c\":1,\"i\":9,\"p\":2}, ",
        "{\"q\":\"b\",\"c\":-1,\"i\":9,\"p\":2}]}"))
    }
    "{\"rows\": [{\"q\":\"a\",\"c\":1,\"i\":9,\"p\":2}]}"
  })
  store <- tide_store(withr::local_tempdir())
  error <- tryCatch(pulled(asked_of(server$url), "2026-06-05", store), error = identity)
  expect_s3_class(error, "tide_error_range")
  expect_match(error$where, "service 'pull', 2026-06-03, row 2: ")
  expect_equal(nrow(tide_stored(store, lag = 0)$tables[[1]]$rows), 2)
  cases <- list(list("", "The answer is empty"), list("   ", "The answer is empty"),
    list("{\"total\": \"many\", \"rows\": []}", "count at '/total' is no number"),
    list("{\"total\": {\"n\": 1}, \"rows\": []}", "count at '/total' is no number"),
    list("{\"rows\": 5}", "No list of rows"), list("{\"rows\": [5]}", "A row has no '/q'"),
    list(answer_of("{\"q\": {\"a\": \"kale\"}, \"c\": 1, \"i\": 2, \"p\": 3}"),
      "'/q' is neither a text nor a number.*row 1"),
    list(answer_of(row_of("a"), "{\"q\": \"b\", \"c\": [1], \"i\": 2, \"p\": 3}"),
      "'/c' is neither a text nor a number.*row 2"),
    list(answer_of(row_of("a"), "{\"q\": \"b\", \"i\": 2, \"p\": 3}"), "no '/c'.*row 2"),
    list(answer_of(row_of("a", 1.5)), "`clicks` is no whole number.*row 1"),
    list(answer_of(row_of("a", "x")), "`clicks` is no number of at least 0"))
  for (case in cases) {
    server <- local_server(eval(bquote(function(request, url) .(case[[1]]))))
    expect_error(pulled(asked_of(server$url, count = "/total")), case[[2]], label = case[[1]])
  }
  expect_equal(pulled(asked_of(local_server(function(request, url) list(status = 204L))$url))$
    days$state, "no rows")
  # The status is what is looked at first.
  server <- local_server(function(request, url) list(status = 502L))
  expect_error(pulled(asked_of(server$url)), "answers 502")
  server <- local_server(function(request, url) {
    list(status = 429L, headers = list(`Retry-After` = "99999"))
  })
  expect_error(pulled(asked_of(server$url)), "asks to come back in 28 hours \\(429\\)")
  expect_length(server$asked(), 1)
  nul <- local_server(function(request, url) {
    rows <- sprintf("{\"q\": \"a\\u0000%d\", \"c\": 1, \"i\": 2, \"p\": 3}", 1:10)
    sprintf("{\"rows\": [%s]}", paste(rows, collapse = ","))
  })
  expect_equal(pulled(asked_of(nul$url))$days$rows, 10)
})

test_that("descriptions of another kind are refused by name, tricks with hosts included", {
  good <- asked_of("https://service.example")
  bad <- list(list(paging = "offset"), list(parameters = "a"), list(headers = 3), list(split = 3),
    list(oauth = "device", token_env = NULL), list(body = "text"), list(token_env = c("A", "B")),
    list(fields = "query"), list(split = list(list(body = list()))), list(cap = NaN),
    list(paging = list(limit = 3)), list(url = "https://"),
    list(url = "https://u:p@service.example/"),
    list(url = "http://127.0.0.1:80@evil.example/"), list(url = "http://localhost.evil.example/"),
    list(url = "http://localhost@evil.example/"), list(url = c("https://a/", "https://b/")),
    list(token_env = NULL, oauth = list(grant = "client", client = "me",
      token_url = "http://service.example/token")),
    list(token_env = NULL, oauth = list(grant = "device", client = "me",
      token_url = "https://service.example/token")))
  for (one in bad) {
    spec <- good
    spec[names(one)] <- one
    expect_error(inktide:::as_pull_spec(spec, "daily"), class = "tide_error_settings",
      label = deparse(one)[1])
  }
  for (one in list(5, "https://service.example", list("a", "b"), NULL, list(daily = 5)$daily)) {
    expect_error(inktide:::as_pull_spec(one, "daily"), class = "tide_error_settings")
  }
})
