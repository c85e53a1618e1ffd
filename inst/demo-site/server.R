# The demo site as a host that answers, with all that goes wrong on real ones.

serve_pages <- function(dir, port, log, busy) {
  check_text(dir, "dir")
  check_number(port, "port", min = 1, max = 65535)
  if (!dir.exists(dir)) {
    abort_tide("There is no such folder.", where = sprintf("'%s'.", dir),
      fix = "Make the demo project first.", class = "file", file = dir)
  }
  host <- sprintf("http://127.0.0.1:%d", as.integer(port))
  files <- list.files(dir, "[.]html$", recursive = TRUE)
  site <- list(dir = dir, host = host, paths = paste0("/", sub("index[.]html$", "", files)),
    files = files)
  asked <- 0L
  httpuv::startServer("127.0.0.1", as.integer(port),
    list(call = function(request) {
      if (!is.null(log)) log_request(log, request)
      if (request$PATH_INFO == "/busy/" && (asked <<- asked + 1L) == 1L) {
        return(served("", 429L, list(`Retry-After` = as.character(busy))))
      }
      demo_answer(site, request)
    }))
}

served <- function(body, status = 200L, headers = list(), type = "text/html; charset=utf-8") {
  list(status = status, headers = c(list(`Content-Type` = type), headers), body = body)
}

log_request <- function(log, request) {
  fields <- c(request$REQUEST_METHOD, request$PATH_INFO, request$HTTP_USER_AGENT,
    if (is.null(request$HTTP_IF_NONE_MATCH)) "-" else request$HTTP_IF_NONE_MATCH)
  con <- file(log, "a")
  on.exit(close(con))
  writeLines(paste(fields, collapse = "\t"), con)
}

demo_answer <- function(site, request) {
  path <- request$PATH_INFO
  at <- match(path, site$paths)
  if (!is.na(at)) return(demo_file(site, at, request))
  lead <- function(to) served("", 301L, list(Location = to))
  number <- suppressWarnings(as.integer(sub("^/[a-z]+/([0-9]+)/$", "\\1", path)))
  known <- switch(
    sub("^/([a-z.-]+)/?.*$", "\\1", path),
    robots.txt = served(
      paste0("User-agent: *\nDisallow: /private/\nSitemap: ", site$host, "/sitemap-index.xml\n"),
      type = "text/plain"),
    `sitemap-index.xml` = served(
      sitemap_xml("sitemapindex", "sitemap", paste0(site$host, "/sitemap-pages.xml.gz")),
      type = "application/xml"),
    `sitemap-pages.xml.gz` = served(
      packed(sitemap_xml("urlset", "url", paste0(site$host, c(site$paths, demo_faults)))),
      type = "application/gzip"),
    old = lead(site$paths[number]),
    chain = lead(if (number < 3) sprintf("/chain/%d/", number + 1L) else "/about/"),
    loop = lead(sprintf("/loop/%d/", 3L - number)),
    endless = lead(sprintf("/endless/%d/", number + 1L)),
    elsewhere = lead("http://fernmoor-partner.example/"),
    inward = lead("http://127.0.0.2:9/"),
    gone = served("Gone", 410L),
    busy = served("<html><body><h1>Busy</h1></body></html>"),
    slow = promises::promise(function(resolve, reject) {
      later::later(function() resolve(served("<html><body><h1>Slow</h1></body></html>")), 6)
    }),
    trap = served(sprintf("<html><body><h1>Trap</h1><a href='/trap/%d/'>on</a></body></html>",
      number + 1L)),
    leaflet.pdf = served("%PDF-1.4", type = "application/pdf"),
    private = served("<html><body><h1>Private</h1></body></html>"),
    `header-noindex` = served("<html><body><h1>Hidden</h1></body></html>",
      headers = list(`X-Robots-Tag` = "noindex")))
  if (is.null(known)) served("<html><body>Not found</body></html>", 404L) else known
}

# What the sitemap lists beside the pages.
demo_faults <- c("/old/2/", "/chain/1/", "/loop/1/", "/endless/1/", "/elsewhere/", "/inward/",
  "/gone/", "/busy/", "/slow/", "/trap/1/", "/leaflet.pdf", "/private/1/", "/header-noindex/")

demo_file <- function(site, at, request) {
  path <- file.path(site$dir, site$files[at])
  bytes <- readBin(path, "raw", file.size(path))
  etag <- sprintf("\"%s\"", digest::digest(bytes, algo = "xxhash64", serialize = FALSE))
  if (identical(request$HTTP_IF_NONE_MATCH, etag)) return(served("", 304L, list(ETag = etag)))
  served(bytes, headers = list(ETag = etag), type = "text/html")
}

sitemap_xml <- function(root, entry, addresses) {
  paste0("<?xml version=\"1.0\" encoding=\"UTF-8\"?><", root,
    " xmlns=\"http://www.sitemaps.org/schemas/sitemap/0.9\">",
    paste0("<", entry, "><loc>", escape_text(addresses), "</loc></", entry, ">", collapse = ""),
    "</", root, ">")
}

# As a file with the ending gz holds it.
packed <- function(text) {
  file <- tempfile()
  on.exit(unlink(file))
  con <- gzfile(file, "wb")
  writeBin(charToRaw(text), con)
  close(con)
  readBin(file, "raw", file.size(file))
}
