# Services and sites that answer as a test wants, on loopback, in a process of their own.

skip_without_service <- function() {
  for (package in c("httr2", "httpuv", "callr", "nanoparquet")) skip_if_not_installed(package)
}

# answer: a function of the request (with `body`, `turn`: which request this is) and of the server's
# own address, which gives what httpuv takes. Out: list(url, asked: a function that gives the
# requests so far, as lines of method, address, token and body; stop).
local_server <- function(answer, test = parent.frame()) {
  port <- httpuv::randomPort()
  log <- tempfile()
  url <- sprintf("http://127.0.0.1:%d", port)
  environment(answer) <- globalenv()
  server <- callr::r_bg(function(answer, port, log, url) {
    turn <- 0L
    httpuv::startServer("127.0.0.1", port, list(call = function(request) {
      if (request$PATH_INFO == "/up") return(list(status = 200L, headers = list(), body = ""))
      turn <<- turn + 1L
      body <- rawToChar(request$rook.input$read())
      cat(request$REQUEST_METHOD, " ", request$PATH_INFO, request$QUERY_STRING, " ",
        request$HTTP_AUTHORIZATION, " ", body, "\n", sep = "", file = log, append = TRUE)
      out <- answer(list(path = request$PATH_INFO, query = request$QUERY_STRING, body = body,
        method = request$REQUEST_METHOD, token = request$HTTP_AUTHORIZATION, turn = turn,
        encoding = request$HTTP_ACCEPT_ENCODING), url)
      if (is.character(out)) out <- list(body = out)
      modifyList(list(status = 200L, headers = list(`Content-Type` = "application/json"),
        body = ""), out)
    }))
    repeat httpuv::service(100)
  }, list(answer, port, log, url), libpath = .libPaths(), stderr = "|")
  withr::defer(server$kill(), envir = test)
  for (i in 1:400) {
    if (!server$is_alive()) stop(server$read_all_error())
    up <- tryCatch(!is.null(curl::curl_fetch_memory(paste0(url, "/up"))), error = function(e) FALSE)
    if (up) break
    Sys.sleep(0.05)
  }
  list(url = url, asked = function() if (file.exists(log)) readLines(log, warn = FALSE),
    stop = function() server$kill())
}
