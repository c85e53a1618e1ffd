# The demo site's pages, read once.
demo_read <- local({
  made <- NULL
  function() {
    if (is.null(made)) {
      dir <- tempfile("html")
      truth <- inktide:::demo_code()$write_demo_html(demo()$site, dir)
      made <<- list(dir = dir, truth = truth,
        pages = tide_pages_read(dir, "https://www.fernmoor.example/"))
    }
    made
  }
})

# The demo site's pages served by a process of their own: list(site, log, dir, stop).
served_site <- function(dir, busy = 1) {
  port <- httpuv::randomPort()
  log <- tempfile("requests")
  server <- callr::r_bg(function(dir, port, log, busy) {
    server <- inktide::tide_demo_server(dir, port, log, busy)
    repeat httpuv::service(100)
  }, list(dir, port, log, busy), libpath = .libPaths())
  site <- sprintf("http://127.0.0.1:%d/", port)
  for (i in 1:100) {
    up <- tryCatch(!is.null(curl::curl_fetch_memory(paste0(site, "robots.txt"))),
      error = function(e) FALSE)
    if (up) break
    Sys.sleep(0.1)
  }
  list(
    site = site,
    dir = dir,
    stop = function() server$kill(),
    requests = function() {
      rows <- fread(log, header = FALSE, sep = "\t", quote = "")
      setnames(rows, c("method", "path", "agent", "etag"))[]
    })
}
