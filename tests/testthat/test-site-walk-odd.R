# Sites with crooked links, wrong encodings, sizes that are lies: read, or left out and counted.

walked <- function(server, ..., path = "/") {
  tide_pages_walk(paste0(server$url, path), delay = 0, timeout = 5, ...)
}

test_that("links that no tidy hand wrote are followed as a browser does, or counted", {
  skip_without_service()
  odd <- c("\u00fcber-uns.html", "page two.html", "?q=\u00fc", "%", "{{url}}", "a|b", "http:\\\\x",
    "/\u00fcber-uns/", "/a b/", "http://", "http://a b/", "https://h:99999/", "/%zz/", "?",
    "//", "\\x", "javascript:alert(1)", "mailto:a@b.example", "tel:1", "data:text/html,x", "/a?b#c",
    "/a\tb\nc/", "/%00/", "/", "#", "http://u:p@127.0.0.1/", "x:y:z", "/'quoted'/", "/<b>/",
    "/\u65e5\u672c/", "/a^b`c/", "/..//..//x", "https://[bad/", "wss://x/", "/%C3%BC%")
  server <- local_server(eval(bquote(function(request, url) {
    links <- sprintf("<a href=\"%s\">to %d</a>", .(odd), seq_along(.(odd)))
    page <- sprintf("<html><head><title>%s</title></head><body><p>%s</p>%s</body></html>",
      "Seeds", paste("words of", "this page"), paste(links, collapse = " "))
    if (request$path == "/robots.txt" || grepl("sitemap", request$path)) {
      return(list(status = 404L))
    }
    list(headers = list(`Content-Type` = "text/html; charset=utf-8"), body = enc2utf8(page))
  })))
  pages <- walked(server, max_pages = 60)
  asked <- vapply(strsplit(server$asked(), " "), `[`, "", 2)
  for (path in c("/%C3%BCber-uns.html", "/page%20two.html", "/?q=%C3%BC", "/%", "/%7B%7Burl%7D%7D",
    "/a|b", "/%C3%BCber-uns/", "/a%20b/", "/%zz/", "/abc/", "/%E6%97%A5%E6%9C%AC/")) {
    expect_true(path %in% asked, label = path)
  }
  expect_setequal(unique(pages$odd_links$link), c("http://", "http://a b/", "https://h:99999/",
    "//", "http://u:p@127.0.0.1/", "https://[bad/"))
  expect_match(format(pages), "links that are no address", all = FALSE)
  # The same of saved pages.
  dir <- withr::local_tempdir()
  writeLines(sprintf("<html><body><p>Seeds of old plants</p>%s</body></html>",
    paste(sprintf("<a href=\"%s\">x</a>", odd), collapse = "")), file.path(dir, "index.html"),
    useBytes = TRUE)
  saved <- tide_pages_read(dir, "https://www.fernmoor.example/")
  expect_setequal(saved$odd_links$link, unique(pages$odd_links$link))
})

test_that("bytes are read in the encoding they are in, whatever is said of them", {
  page <- function(encoding, meta = "") {
    text <- sprintf(paste0("<html><head>%s<title>S\u00fc\u00df</title></head>",
      "<body><p>\u00fcber</p></body></html>"), meta)
    iconv(text, "UTF-8", encoding, toRaw = TRUE)[[1]]
  }
  title <- function(bytes, encoding = "") {
    inktide:::read_html_page(bytes, "https://www.fernmoor.example/", encoding)$fields$title
  }
  for (said in c("utf-8", "", "iso-8859-1", "nonsense", "windows-1252")) {
    expect_equal(title(page("latin1"), said), "S\u00fc\u00df", label = said)
  }
  for (said in c("utf-8", "", "UTF8", "nonsense")) {
    expect_equal(title(page("UTF-8"), tolower(said)), "S\u00fc\u00df", label = said)
  }
  expect_equal(title(page("latin1", "<meta charset=\"iso-8859-1\">")), "S\u00fc\u00df")
  expect_equal(title(page("latin1", "<meta charset=utf-8>")), "S\u00fc\u00df")
  expect_equal(title(c(as.raw(c(0xff, 0xfe)), page("UTF-16LE"))), "S\u00fc\u00df")
  expect_equal(title(iconv("<html><head><title>\u30b1\u30fc\u30eb</title></head></html>", "UTF-8",
    "SHIFT_JIS", toRaw = TRUE)[[1]], "shift_jis"), "\u30b1\u30fc\u30eb")
})

test_that("what is too large, too deep or packed otherwise is left out, and the walk goes on", {
  skip_without_service()
  server <- local_server(function(request, url) {
    html <- function(body, ...) {
      list(headers = list(`Content-Type` = "text/html", ...), body = body)
    }
    pack <- function(text) memCompress(charToRaw(text), "gzip")
    gzip <- function(text) {
      file <- tempfile()
      con <- gzfile(file, "wb")
      writeBin(charToRaw(text), con)
      close(con)
      readBin(file, "raw", file.size(file))
    }
    switch(request$path,
      `/` = html(paste0("<html><body><p>Seeds of old plants</p>", paste(sprintf(
        "<a href='/%s/'>x</a>", c("bomb", "deep", "packed", "brotli", "long")), collapse = ""),
        "</body></html>")),
      `/bomb/` = html(gzip(paste0("<html><body>", strrep("a ", 6e6))), `Content-Encoding` = "gzip"),
      `/deep/` = html(paste0("<html><body>", strrep("<div>", 2e5))),
      `/packed/` = html(gzip(
        "<html><head><title>Packed</title></head><body><p>x</p></body></html>"),
        `Content-Encoding` = "gzip"),
      `/brotli/` = html("xx", `Content-Encoding` = "br"),
      `/long/` = html(paste0("<html><body>", strrep("a ", 6e6))),
      list(status = 404L))
  })
  pages <- walked(server)
  expect_setequal(sub("^.*/([a-z]*)/$", "\\1", pages$pages$page[-1]), "packed")
  problem <- pages$answers$problem[match(paste0(server$url, c("/bomb/", "/long/", "/brotli/")),
    pages$answers$address)]
  expect_equal(problem, c("larger than 10 MB", "larger than 10 MB",
    "packed in a way that was not asked for"))
  expect_match(pages$skipped$reason[endsWith(pages$skipped$file, "/deep/")], "cannot be read")
  # A sitemap that names one entity in the other is not unpacked.
  lol <- c("<?xml version=\"1.0\"?><!DOCTYPE urlset [<!ENTITY a \"aaaaaaaaaa\">",
    sprintf("<!ENTITY %s \"%s\">", letters[2:9], strrep(sprintf("&%s;", letters[1:8]), 10)),
    "]><urlset><url><loc>https://a.example/&i;</loc></url></urlset>")
  for (pad in c("", strrep(" ", 5000))) {
    text <- paste(c(lol[1], pad, lol[-1]), collapse = "\n")
    expect_equal(inktide:::read_sitemap(charToRaw(text))$problem, "declares entities")
  }
  expect_equal(inktide:::read_sitemap(inktide:::demo_code()$packed(strrep(" ", 6e7)))$problem,
    "larger than 50 MB")
})

test_that("robots.txt is followed to another host, read to its bound, its delay kept within one", {
  skip_without_service()
  other <- local_server(function(request, url) {
    list(headers = list(), body = "User-agent: *\nDisallow: /private/\nCrawl-delay: 0.01\n")
  })
  server <- local_server(eval(bquote(function(request, url) {
    if (request$path == "/robots.txt") {
      return(list(status = 301L, headers = list(Location = paste0(.(other$url), "/rules"))))
    }
    if (request$path == "/sitemap.xml") return(list(status = 404L))
    list(headers = list(`Content-Type` = "text/html"), body = paste0("<html><head>",
      "<link rel=canonical href='https://shop.example", request$path, "'></head><body><p>Seeds</p>",
      "<a href='/private/1/'>a</a><a href='/open/'>b</a><a href='/free/'>c</a></body></html>"))
  })))
  pages <- walked(server)
  expect_equal(pages$answers$problem[grepl("private", pages$answers$address)],
    "forbidden by robots.txt")
  expect_equal(pages$delay[["asked"]], 0.01)
  # Nearly all pages belong to another host, they say.
  expect_equal(pages$canonical_site, "https://shop.example/")
  expect_match(paste(trimws(format(pages)), collapse = " "), "is http://127[^ ]+ the right site[?]")
  rules <- inktide:::read_robots("User-agent: *\nCrawl-delay: 86400\nCrawl-delay: x")
  expect_equal(rules$delay, 86400)
  expect_equal(inktide:::delay_words(c(asked = 86400, kept = 60)),
    "robots.txt asks for 86,400 seconds between two requests; 60 were kept")
  # Many rules and many paths give what each gives alone.
  set.seed(1)
  path <- function(n) paste0("/", sample(letters, n, TRUE), "/", sample(900, n, TRUE))
  text <- paste(c("User-agent: *", paste(sample(c("Allow:", "Disallow:"), 400, TRUE),
    c(path(300), paste0(path(60), "*x"), paste0("/*/", 1:20, "$"), paste0(path(20), "$")))),
    collapse = "\n")
  many <- inktide:::read_robots(text)$rules
  paths <- c(path(300), paste0(path(50), "/x"), paste0(path(50), "?x"))
  pattern <- gsub("\\*", ".*", gsub("([.?+])", "\\\\\\1", paste0("^", many$path)))
  alone <- vapply(paths, function(one) {
    hit <- vapply(pattern, grepl, NA, x = one)
    size <- nchar(many$path)
    !any(hit) || any(many$allow[hit & size == max(size[hit])])
  }, NA, USE.NAMES = FALSE)
  expect_identical(inktide:::robots_allow(many, paths), alone)
  expect_true(any(alone) && !all(alone))
})

test_that("a project without an archive can walk, and keeps what it read", {
  skip_without_service()
  server <- local_server(function(request, url) {
    if (request$path %in% c("/robots.txt", "/sitemap.xml")) return(list(status = 404L))
    list(headers = list(`Content-Type` = "text/html"),
      body = "<head><title>Seeds</title></head><body><p>Seeds of old plants</p></body>")
  })
  dir <- withr::local_tempdir()
  writeLines(sprintf("site: %s/", server$url), file.path(dir, "inktide.yml"))
  run <- program("pages", paste0(server$url, "/"), "--project", dir, "--delay", "0")
  expect_equal(run$status, 0, label = paste(run$err, collapse = " "))
  expect_match(run$out[1], "1 page")
  expect_equal(program("pages", "--project", dir)$status, 0)
})

test_that("words are counted as they stand", {
  expect_equal(inktide:::count_words(c("", "kale", " Kale, peas & 2 leeks!",
    "\u00fcber-alles \u65e5\u672c",
    "a\nb")), c(0L, 1L, 4L, 3L, 2L))
})
