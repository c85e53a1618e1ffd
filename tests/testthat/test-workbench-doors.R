# Who may reach the workbench, and what messages of a page that means harm come to.

# A workbench of the example served on loopback. Out: its port.
served_workbench <- function(token, test = parent.frame()) {
  port <- httpuv::randomPort()
  server <- callr::r_bg(function(port, token) {
    data <- inktide::tide_read(inktide::tide_example()[["pairs"]])
    found <- inktide::tide_find(inktide::tide_summary(data, brand = "fernmoor"))
    shiny::runApp(inktide::tide_workbench(found, data, title = "Seeds {{ script }}", token = token),
      port = port, launch.browser = FALSE, quiet = TRUE)
  }, list(port, token), libpath = .libPaths(), stderr = "|")
  withr::defer(server$kill(), envir = test)
  for (i in 1:400) {
    if (!server$is_alive()) stop(server$read_all_error())
    up <- tryCatch(!is.null(curl::curl_fetch_memory(sprintf("http://127.0.0.1:%d/", port))),
      error = function(e) FALSE)
    if (up) return(port)
    Sys.sleep(0.05)
  }
}

# A websocket by hand (RFC 6455): sends texts, gives what came back within a second, or until what
# is awaited has come.
websocket_says <- function(port, texts, origin = sprintf("http://127.0.0.1:%d", port),
    awaited = NULL) {
  con <- socketConnection("127.0.0.1", port, open = "r+b", blocking = FALSE)
  on.exit(close(con))
  writeBin(charToRaw(paste0("GET /websocket/ HTTP/1.1\r\nHost: 127.0.0.1:", port, "\r\nOrigin: ",
    origin, "\r\nUpgrade: websocket\r\nConnection: Upgrade\r\nSec-WebSocket-Version: 13\r\n",
    "Sec-WebSocket-Key: dGhlIHNhbXBsZSBub25jZQ==\r\n\r\n")), con)
  came <- raw()
  text_of <- function() rawToChar(came[came >= as.raw(32) & came < as.raw(127)])
  wait <- function(awaited = NULL) {
    until <- Sys.time() + if (is.null(awaited)) 1 else 30
    while (Sys.time() < until && !(length(awaited) && grepl(awaited, text_of()))) {
      came <<- c(came, readBin(con, "raw", 1e5))
      Sys.sleep(0.02)
    }
  }
  wait()
  for (text in texts) {
    bytes <- charToRaw(text)
    n <- length(bytes)
    size <- if (n < 126) as.raw(128 + n) else as.raw(c(254, n %/% 256, n %% 256))
    writeBin(c(as.raw(0x81), size, raw(4), bytes), con)
  }
  wait(awaited)
  text_of()
}

test_that("nothing is uploaded, framed or said without the token", {
  for (package in c("shiny", "callr", "httpuv")) skip_if_not_installed(package)
  port <- served_workbench("the-token")
  get <- function(path) {
    curl::curl_fetch_memory(sprintf("http://127.0.0.1:%d/%s", port, path))
  }
  for (path in c("?token=the-token", "", "?token=other")) {
    answer <- get(path)
    heads <- curl::parse_headers_list(answer$headers)
    expect_equal(answer$status_code, if (path == "?token=the-token") 200L else 403L)
    expect_match(heads[["content-security-policy"]],
      "default-src 'none'; script-src 'self' 'nonce-")
    expect_match(heads[["content-security-policy"]], "frame-ancestors 'none'")
    expect_equal(heads[["x-frame-options"]], "DENY")
  }
  page <- rawToChar(get("?token=the-token")$content)
  nonce <- function(text) sub("^.*nonce[-=]\"?([0-9a-f]{32}).*$", "\\1", text)
  expect_match(page, "<title>Seeds {{ script }}</title>", fixed = TRUE)
  expect_false(nonce(page) == nonce(rawToChar(get("?token=the-token")$content)))
  file <- "[{\"name\":\"x.html\",\"size\":20,\"type\":\"text/html\"}]"
  upload <- sprintf("{\"method\":\"uploadInit\",\"args\":[%s],\"tag\":1}", file)
  init <- "{\"method\":\"init\",\"data\":{\"token\":\"wrong\",\"state\":\"{}\"}}"
  said <- websocket_says(port, upload, awaited = "Maximum upload size")
  expect_match(said, "101 Switching")
  expect_match(said, "Maximum upload size exceeded")
  expect_false(grepl("jobId", said))
  said <- websocket_says(port, c(init, upload))
  expect_false(grepl("jobId|<h1|fernmoor", said))
  # Another site's page gets nothing, whatever it knows.
  known <- sub("wrong", "the-token", init)
  expect_match(websocket_says(port, known, awaited = "<h1"), "<h1")
  expect_false(grepl("<h1", websocket_says(port, known, "http://elsewhere.example")))
})

test_that("messages that are none change nothing and break nothing", {
  data <- tide_read(unlist(tide_example()[c("pairs", "totals")]))
  found <- tide_find(tide_summary(data, brand = "fernmoor"))
  store <- tide_store(tempfile("project"))
  held <- inktide:::workbench_data(found, data, store)
  id <- found$findings$id[1]
  decide <- function(message) {
    inktide:::workbench_decide(held, inktide:::message_texts(message, "ids"),
      inktide:::message_text(message, "decision"), inktide:::message_text(message, "note"))
  }
  ids <- list(id)
  none <- list("x", 5, NULL, list(), list("a"), list(ids = ids), list(ids = 5, decision = "fix"),
    list(ids = ids, decision = list("fix", "later")), list(ids = ids, decision = "sell"),
    list(ids = list(list(id)), decision = "fix"), list(ids = list(a = 1), decision = "fix"),
    list(ids = ids, decision = NA), list(ids = ids, decision = list(a = "fix")))
  for (message in none[-length(none)]) {
    expect_equal(decide(message), "Nothing was chosen.", label = deparse(message)[1])
  }
  expect_equal(nrow(tide_decisions(store)), 0)
  expect_match(decide(list(ids = ids, decision = "fix", note = list(1, 2))), "1 task")
  held$folder <- withr::local_tempdir()
  writeLines("site: https://www.fernmoor.example/", file.path(held$folder, "inktide.yml"))
  save <- function(...) inktide:::save_view(held, list(...))
  expect_match(inktide:::save_view(held, "x"), "no condition")
  expect_match(save(c = list("nothing~1"), name = "a"), "Nothing was saved")
  expect_match(save(c = list("device~mobile"), name = list("a", "b")), "a name")
  for (one in c("queries~kale seeds", "pages~https://www.fernmoor.example/shop/pea/")) {
    name <- sub("~.*", "", one)
    said <- save(c = list(one), name = name)
    expect_match(said, "Saved as segment")
    expect_s3_class(tide_settings(held$folder)$segments[[name]], "tide_segment")
  }
  odd <- c("", "null", "5", "\"x\"", "[]", "{}", "[[[]]]", "{\"view\": 5}", "{\"c\": {\"a\": [1]}}",
    "{\"c\": 5, \"view\": \"explore\"}", "{\"trail\": \"x\", \"view\": \"explore\"}",
    "{\"view\": \"explore\", \"trail\": [{\"label\": 5}, {\"label\": {\"a\": 1}}, {}, 3, []]}",
    paste0("{\"view\": \"", inktide:::workbench_views, "\", \"days\": \"1e308\", ",
      "\"hours\": \"1e308\", \"page\": \"1e308\", \"sort\": \"\\u0000\", \"id\": \"<\", ",
      "\"from\": \"9999-99-99\", \"after\": \"2026-01-01..2025-01-01\", \"by\": \"x\", ",
      "\"c\": [\"position~1e308:\", \"words~-5:2\", \"query~(\", \"ctr~:\", \"!~\"]}"),
    paste0("{\"view\": \"", inktide:::workbench_views, "\", \"days\": \"0\", \"page\": \"2.5\", ",
      "\"after\": \"0000-01-01..9999-12-31\", \"before\": \"x..y\", ",
      "\"c\": [\"min_clicks~1e308\"]}"))
  for (text in odd) {
    html <- inktide:::shown_view(held, inktide:::read_state(text))
    expect_false(grepl("went wrong inside", html), label = text)
  }
  for (not_text in list(NULL, 5, list(1), NA_character_, c("{}", "{}"))) {
    expect_equal(inktide:::read_state(not_text)$view, "list")
  }
})
