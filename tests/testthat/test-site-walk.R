test_that("robots.txt is read as RFC 9309 has it", {
  # The examples of its section 5.1 and the rules of 2.2.
  text <- c("User-Agent: *", "Disallow: *.gif$", "Disallow: /example/", "Allow: /publications/", "",
    "User-Agent: foobot", "Disallow:/", "Allow:/example/page.html", "Allow:/example/allowed.gif",
    "", "User-Agent: barbot", "User-Agent: bazbot", "Disallow: /example/page.html", "",
    "User-Agent: quxbot")
  allows <- function(path, agent) {
    robots_allow <- inktide:::robots_allow
    robots_allow(inktide:::read_robots(paste(text, collapse = "\n"), agent)$rules, path)
  }
  expect_true(allows("/publications/a", "other"))
  expect_false(allows("/example/a", "other"))
  expect_false(allows("/a/b.gif", "other"))
  expect_true(allows("/a/b.gif?x", "other"))
  expect_false(allows("/anything", "foobot"))
  expect_true(allows("/example/page.html", "foobot"))
  expect_true(allows("/example/allowed.gif", "foobot"))
  for (agent in c("barbot", "bazbot")) {
    expect_false(allows("/example/page.html", agent))
    expect_true(allows("/example/other.html", agent))
  }
  expect_true(allows("/example/page.html", "quxbot"))
})

test_that("the longest rule decides, in any encoding, and groups of one name count together", {
  verdict <- function(rules, path) {
    text <- paste(c("User-agent: INKTIDE/2.1", rules), collapse = "\r\n")
    inktide:::robots_allow(inktide:::read_robots(text)$rules, path)
  }
  cases <- list(
    list(c("Allow: /p", "Disallow: /"), "/page", TRUE),
    list(c("Disallow: /page", "Allow: /page"), "/page", TRUE),
    list(c("Disallow: /a*b$"), "/axxb", FALSE),
    list(c("Disallow: /a*b$"), "/axxbc", TRUE),
    list(c("Disallow: /foo/bar/\u30c4"), "/foo/bar/%E3%83%84", FALSE),
    list(c("Disallow: /foo/bar/%62%61%7A"), "/foo/bar/baz", FALSE),
    list(c("Disallow: "), "/a", TRUE),
    list(c("Disallow: /*/*/*/x"), "/a/b/c/x", FALSE),
    list(c("Disallow: /a # all of it"), "/ab", FALSE),
    list(c("Disallow: /"), "/robots.txt", TRUE),
    list(
      c("Disallow: /b", "User-agent: other", "Disallow: /a", "User-agent: inktide", "Disallow: /c"),
      "/c",
      FALSE),
    list(c("Disallow: /b", "User-agent: other", "Disallow: /a"), "/a", TRUE),
    list(c("Disallow: /b*"), "/b", FALSE),
    list(c("Disallow: *"), "/b", FALSE),
    list(c("Disallow: $"), "/b", TRUE))
  for (case in cases) expect_identical(verdict(case[[1]], case[[2]]), case[[3]], label = case[[1]])
  many <- paste0("Disallow: /", strrep("a*", 40), "b")
  expect_lt(system.time(verdict(many, paste0("/", strrep("a", 3000))))[["elapsed"]], 5)
  told <- inktide:::read_robots("\ufeffSitemap: https://a.example/s.xml\nCrawl-delay: 3")
  expect_equal(told$sitemaps, "https://a.example/s.xml")
  expect_equal(inktide:::read_robots("User-agent: *\nCrawl-delay: 2.5")$delay, 2.5)
})

test_that("sitemaps are read plain, packed, as an index, as text, and cut off", {
  site <- inktide:::demo_code()
  xml <- site$sitemap_xml("urlset", "url", sprintf("https://a.example/%d/?a=1&b=2", 1:3))
  plain <- inktide:::read_sitemap(charToRaw(xml))
  expect_equal(plain$pages$address, sprintf("https://a.example/%d/?a=1&b=2", 1:3))
  expect_equal(inktide:::read_sitemap(site$packed(xml)), plain)
  index <- site$sitemap_xml("sitemapindex", "sitemap", "https://a.example/s.xml")
  expect_equal(inktide:::read_sitemap(charToRaw(index))$maps, "https://a.example/s.xml")
  lines <- inktide:::read_sitemap(charToRaw("https://a.example/1/\nhttps://a.example/2/\n"))
  expect_equal(nrow(lines$pages), 2)
  cut <- inktide:::read_sitemap(charToRaw(substr(xml, 1, nchar(xml) - 40)))
  expect_equal(cut$problem, "cut off")
  expect_equal(cut$pages$address, plain$pages$address[1:2])
  expect_equal(inktide:::read_sitemap(charToRaw("<html>no</html>"))$problem, "no sitemap")
  expect_equal(inktide:::read_sitemap(raw())$problem, "empty or cut off")
  dated <- sub("</loc>", "</loc><lastmod>2026-05-01T10:00:00Z</lastmod>", xml)
  expect_equal(inktide:::read_sitemap(charToRaw(dated))$pages$modified, c("2026-05-01", "", ""))
})

test_that("a walk reads what the folder holds, and names all that goes wrong", {
  skip_unless_studies()
  read <- demo_read()
  served <- served_site(read$dir)
  withr::defer(served$stop())
  keep <- withr::local_tempfile()
  walk <- function(...) {
    tide_pages_walk(served$site, delay = 0, max_pages = 290, timeout = 3, keep = keep,
      contact = "garden@fernmoor.example", ...)
  }
  pages <- walk()
  folder <- tide_pages_read(read$dir, served$site)
  both <- merge(as.data.frame(folder$pages), as.data.frame(pages$pages), by = "page")
  expect_equal(nrow(both), nrow(folder$pages))
  for (field in c("title", "text", "linking", "depth", "language")) {
    expect_equal(both[[paste0(field, ".y")]], both[[paste0(field, ".x")]], label = field)
  }
  answers <- pages$answers
  of <- function(path, field) answers[[field]][answers$address == paste0(served$site, path)]
  expect_equal(of("old/2/", "redirects"), 1)
  expect_true(of("old/2/", "final") %in% folder$pages$page)
  expect_equal(of("chain/1/", "redirects"), 3)
  expect_equal(of("chain/1/", "final"), paste0(served$site, "about/"))
  for (case in list(c("chain/1/", "redirects more than once"), c("loop/1/", "redirects in a loop"),
      c("endless/1/", "redirects more than 10 times"), c("elsewhere/", "redirects to another host"),
      c("inward/", "redirects to another host"), c("slow/", "no answer in time"),
      c("leaflet.pdf", "not HTML (application/pdf)"), c("private/1/", "forbidden by robots.txt"))) {
    expect_equal(of(case[1], "problem"), case[2])
  }
  expect_equal(of("gone/", "status"), 410)
  expect_equal(of("busy/", "status"), 200)
  expect_true(pages$pages$noindex[pages$pages$page == paste0(served$site, "header-noindex/")])
  expect_gt(pages$left, 0)
  requests <- served$requests()
  asked <- requests$path
  # Politely: under its name, what is forbidden never, each address once but where it asked to wait.
  expect_false(any(startsWith(asked, "/private/")))
  expect_true(all(requests$agent[-1] ==
    sprintf("inktide/%s (+garden@fernmoor.example)", packageVersion("inktide"))))
  again <- setdiff(asked[duplicated(asked)], c("/robots.txt", "/busy/"))
  expect_length(again, 0)
  # The next walk asks only whether pages changed, and says the same.
  later <- walk()
  fresh <- served$requests()[-seq_along(asked), ]
  expect_equal(sum(fresh$etag != "-"), length(list.files(read$dir, "html$", recursive = TRUE)))
  expect_equal(later$pages, pages$pages)
})

test_that("a walk that was killed goes on where it was", {
  skip_unless_studies()
  served <- served_site(demo_read()$dir)
  withr::defer(served$stop())
  keep <- withr::local_tempfile()
  walker <- callr::r_bg(function(site, keep) {
    inktide::tide_pages_walk(site, delay = 0.02, max_pages = 240, timeout = 10, keep = keep)
  }, list(served$site, keep), libpath = .libPaths())
  for (i in 1:200) if (nrow(served$requests()) > 40) break else Sys.sleep(0.05)
  walker$kill()
  before <- served$requests()$path
  pages <- tide_pages_walk(served$site, delay = 0, max_pages = 240, timeout = 10, keep = keep)
  after <- served$requests()$path[-seq_along(before)]
  # The one that was under way may be asked for twice.
  pages_before <- setdiff(before, c("/robots.txt", "/sitemap-index.xml", "/sitemap-pages.xml.gz"))
  expect_lte(length(intersect(pages_before, after)), 1)
  whole <- tide_pages_walk(served$site, delay = 0, max_pages = 240, timeout = 10)
  expect_equal(pages$pages, whole$pages)
})

test_that("what forbids or prevents a walk is one clear error", {
  skip_unless_studies()
  expect_error(tide_pages_walk("http://127.0.0.1:9/", timeout = 1), "does not answer",
    class = "tide_error_walk")
  expect_error(tide_pages_walk("ftp://a/"), class = "tide_error_argument")
  expect_error(tide_pages_walk("http://a.example/", only = "("), class = "tide_error_regex")
  expect_error(tide_pages_walk("http://a.example/", contact = "a\nb"),
    class = "tide_error_argument")
  answer <- NULL
  port <- httpuv::randomPort()
  serve <- function(robots, home) {
    server <- callr::r_bg(function(port, robots, home) {
      httpuv::runServer("127.0.0.1", port,
        list(call = function(request) {
          if (request$PATH_INFO == "/robots.txt") robots else home
        }))
    }, list(port, robots, home))
    # A busy machine takes its time.
    for (try in 1:200) {
      open <- tryCatch(suppressWarnings(socketConnection("127.0.0.1", port, timeout = 1)),
        error = function(e) NULL)
      if (!is.null(open)) break
      Sys.sleep(0.1)
    }
    close(open)
    server
  }
  walked <- function(robots, home = list(status = 200L, headers = list(), body = "<html></html>")) {
    server <- serve(robots, home)
    on.exit({
      server$kill()
      server$wait()
    })
    tide_pages_walk(sprintf("http://127.0.0.1:%d/", port), delay = 0, timeout = 2)
  }
  none <- list(status = 404L, headers = list(), body = "")
  expect_error(walked(list(status = 200L, headers = list(), body = "User-agent: *\nDisallow: /")),
    "forbids reading its home page", class = "tide_error_walk")
  expect_error(walked(list(status = 503L, headers = list(), body = "")), "forbids",
    class = "tide_error_walk")
  moved <- list(status = 302L, headers = list(Location = "https://www.other.example/"), body = "")
  expect_error(walked(none, moved), "another host", class = "tide_error_walk")
  patient <- list(status = 429L, headers = list(`Retry-After` = "3600"), body = "")
  expect_error(walked(none, patient), "come back later", class = "tide_error_walk")
  large <-
    list(status = 200L, headers = list(`Content-Type` = "text/html"), body = strrep("a", 1.1e7))
  expect_error(walked(none, large), "larger than 10 MB", class = "tide_error_walk")
})

test_that("pages with impressions that moved are named with where they lead", {
  site <- "https://www.fernmoor.example/"
  dir <- withr::local_tempdir()
  page <- function(path, head) {
    dir.create(file.path(dir, path), recursive = TRUE, showWarnings = FALSE)
    writeLines(sprintf("<html><head>%s</head><body><h1>Kale</h1></body></html>", head),
      file.path(dir, path, "index.html"))
  }
  page("new", "<title>New</title>")
  page("old", "<meta http-equiv='Refresh' content=\"0; URL='/new/'\">")
  page("copy", "<link rel='canonical' href='https://www.fernmoor.example/new/'>")
  page("hidden", "<meta name='robots' content='noindex'>")
  pages <- tide_pages_read(dir, site)
  expect_setequal(basename(pages$pages$page), c("new", "copy", "hidden"))
  rows <- data.table(query = "kale", page = paste0(site, c("old/", "copy/", "hidden/", "new/")),
    clicks = 1:4, impressions = c(400, 300, 200, 100), position = 5)
  status <- tide_page_status(tide_summary(as_data(rows)), pages)
  expect_equal(status$problem,
    c("redirected", "canonical elsewhere", "not to be indexed (noindex)"))
  expect_equal(status$leads_to, c(paste0(site, c("new/", "new/")), ""))
  # What leads nowhere says how.
  answers <- data.table(address = paste0(site, c("loop/", "pool/", "gone/", "to-gone/")),
    status = c(301L, 301L, 410L, 301L),
    location = c(paste0(site, c("pool/", "loop/")), "", paste0(site, "gone/")), problem = "")
  pages$answers <-
    inktide:::settled_answers(answers, data.table(page = character(), leads_to = character()))
  rows$page <- paste0(site, c("loop/", "gone/", "to-gone/", "new/"))
  expect_equal(tide_page_status(tide_summary(as_data(rows)), pages)$problem,
    c("redirects in a loop", "gone (status 410)", "redirects to an address that is gone"))
})
