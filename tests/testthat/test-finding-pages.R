# Pages by path, each a list of head and body.
small_site <- function(..., site = "https://www.fernmoor.example/") {
  dir <- tempfile("site")
  pages <- list(...)
  for (path in names(pages)) {
    folder <- file.path(dir, path)
    dir.create(folder, recursive = TRUE, showWarnings = FALSE)
    writeLines(sprintf("<html lang='en'><head>%s</head><body>%s</body></html>", pages[[path]][1],
      pages[[path]][2]),
      file.path(folder, "index.html"))
  }
  tide_pages_read(dir, site)
}

found_rows <- function(kind, page, query = "leek spacing") {
  rows <- data.table(kind = kind, query = query, page = page, pages = page, if_done = 5)
  set(rows, j = "line", value = seq_len(nrow(rows)))
}

test_that("findings say what is wrong with descriptions and titles, the worst first", {
  host <- "https://www.fernmoor.example/"
  long <- paste(rep("leeks", 14), collapse = " ")
  described <- "<meta name='description' content='All of it'>"
  pages <- small_site(a = c("<title>A</title>", ""),
    b = c(paste0("<title>B</title>", described), ""),
    c = c(paste0("<title>C</title>", described), ""),
    d = c(sprintf("<title>%s</title><meta name='description' content='Leeks'>", long), ""),
    e = c("<title>E</title><meta name='description' content='Good'>", ""))
  facts <- inktide:::snippet_facts(
    found_rows("low_ctr", paste0(host, c("a/", "b/", "d/", "e/", "x/"))), pages)
  expect_equal(told_of(facts, lines = 1:5), c("The page has no description.",
    "1 other page shares its description.",
    sprintf("The title has %d characters, so its end is cut off.", nchar(long)), "", ""))
})

test_that("an address that moved, and whether any page says an idea, stand in the finding", {
  host <- "https://www.fernmoor.example/"
  pages <- small_site(new = c("", "<p>Leek spacings are wide.</p>"),
    old = c("<meta http-equiv='refresh' content='0;url=/new/'>", ""))
  rows <- data.table(query = c("leek spacing", "radish pots"), page = paste0(host, "old/"),
    clicks = 2, impressions = 50, position = 50)
  summary <- tide_summary(as_data(rows))
  moved <- inktide:::moved_facts(found_rows("low_ctr", paste0(host, "old/")), summary, pages)
  expect_equal(told_of(moved), "The address is redirected: /new/.")
  expect_equal(told_of(moved, "step"), "Work on /new/, which answers now.")
  ideas <- inktide:::saying_facts(
    found_rows("new_page", paste0(host, "old/"), c("leek spacing", "radish pots")), summary, pages)
  expect_equal(told_of(ideas, lines = 1:2), c("/new/ says it in its text.", "No page says it."))
})

test_that(
  "a brief groups what a page lacks, names sections by impressions and leaves thin ones out",
  {
    words <- data.table(
      query = c("leek spacing in rows", "leek spacing rows", "how to store leek", "leek storing",
        "blanching leek", "leek history", "leek seeds"),
      page = "https://www.fernmoor.example/leek/",
      impressions = c(300, 100, 90, 80, 200, 5, 999),
      position = 8,
      in_title = 0L,
      in_heading = c(rep(0L, 6), 1L),
      in_text = 0L,
      missing = "")
    brief <- tide_page_brief(words)
    expect_equal(brief$heading, rep(
      c("leek spacing in rows", "blanching leek", "how to store leek", "leek storing"),
      c(2, 1, 1, 1)))
    expect_false(any(brief$query %in% c("leek history", "leek seeds")))
    expect_equal(unique(tide_page_brief(words, "/leek/", most = 1)$section), 1)
    expect_error(tide_page_brief(words, "/x/"), class = "tide_error_argument")
    expect_error(tide_page_brief(words[, "query"]), class = "tide_error_argument")
  })

test_that("the report shows the pages; without pages it is silent of them", {
  skip_unless_studies()
  report <- function(found) {
    paste(readLines(tide_report(found, withr::local_tempfile(fileext = ".html"))), collapse = "\n")
  }
  html <- report(tide_find(demo()$summary, pages = demo_read()$pages))
  plain <- report(demo()$found)
  for (part in c("<section id='pages'>", "How often the page says it", "Sections the page lacks",
      "How deep pages lie")) {
    expect_match(html, part, fixed = TRUE)
    expect_no_match(plain, part, fixed = TRUE)
  }
})

test_that("workbook, checklist and figure show the pages", {
  skip_unless_studies()
  read <- demo_read()
  found <- tide_find(demo()$summary, pages = read$pages)
  sheet <- withr::local_tempfile(fileext = ".xlsx")
  tide_write(found, sheet)
  rows <- readxl::read_excel(sheet, "Pages")
  expect_setequal(rows$page, read$pages$pages$page)
  own <- match(rows$page, read$pages$pages$page)
  expect_equal(rows$title_length, read$pages$pages$title_length[own])
  expect_equal(sum(rows$clicks), sum(demo()$summary$pairs$clicks))
  expect_match(readLines(tide_write(found, withr::local_tempfile(fileext = ".md"))),
    "Sections the page lacks", all = FALSE)
  figure <- ggplot2::autoplot(read$pages, demo()$summary)
  expect_equal(nrow(figure$data), nrow(read$pages$pages))
})

test_that("pages with impressions that link and begin to rank for the query are named", {
  host <- "https://www.fernmoor.example/"
  pages <- small_site(p1 = c("", "<p>Leeks.</p>"), x = c("", "<p>On <a href='/p1/'>leeks</a>.</p>"),
    y = c("", "<p>See <a href='/p1/'>it</a>.</p>"))
  rows <- made_site(queries = 60, days = 80)
  day <- as.IDate("2026-02-10")
  query <- rows$query[grepl("/p1/", rows$page)][1]
  begun <- data.table(date = day + 5:25, query = query, page = paste0(host, "x/"), clicks = 0L,
    impressions = 50L, position = 9)
  always <- data.table(date = as.IDate("2026-01-05") + 0:70, query = query,
    page = paste0(host, "y/"), clicks = 0L, impressions = 20L, position = 9)
  data <- as_data(rbind(rows, begun, always))
  decisions <- data.table(id = "S-1", decision = "done", at = day, kind = "striking_distance",
    query = query, page = paste0(host, "p1/"), pages = paste0(host, "p1/"))
  curve <- tide_curve(tide_summary(data))
  expect_equal(tide_outcomes(data, decisions, curve, pages = pages)$linking_shown,
    paste0(host, "x/"))
  expect_equal(tide_outcomes(data, decisions, curve)$linking_shown, "")
})

test_that("readings are compared: what changed, came and went, the newest first", {
  store <- tide_store(withr::local_tempdir())
  host <- "https://www.fernmoor.example/"
  load <- function(date, ...) {
    pages <- small_site(...)
    pages$date <- as.IDate(date)
    tide_load(store, pages)
  }
  load("2026-09-01", a = c("<title>Old</title>", "<h1>Leeks</h1>"), b = c("", "<h1>B</h1>"))
  load("2026-10-01", a = c("<title>New</title>", "<h1>Leeks</h1>"), c = c("", "<h1>C</h1>"))
  load("2026-11-01",
    a = c("<title>New</title>", sprintf("<h1>Leeks</h1><p>%s</p>", strrep("word ", 40))),
    c = c("", "<h1>C</h1>"))
  changes <- tide_page_changes(store)
  expect_equal(as.data.frame(changes)[c("page", "field", "before", "now")],
    data.frame(page = paste0(host, c("a/", "a/", "b/", "c/")),
      field = c("words", "title", "page", "page"), before = c("1", "Old", "there", ""),
      now = c("41", "New", "", "there")))
  expect_equal(changes$since, as.IDate(c("2026-10-01", rep("2026-09-01", 3))))
})

test_that("words of the pages decide which of two answers a query where addresses are silent", {
  host <- "https://www.fernmoor.example/"
  pages <- small_site(n1 = c("<title>Leeks</title>", "<h1>Leeks in winter</h1>"),
    n2 = c("<title>Leek spacing</title>", "<h1>Leek spacing</h1>"),
    n3 = c("<title>Kale</title>", "<p>Mind the spacing of leeks.</p>"))
  rows <- data.table(query = "leek spacing", page = paste0(host, c("n1/", "n2/", "n3/")),
    clicks = 2, impressions = 50, position = 5)
  summary <- tide_summary(as_data(rows))
  wanted <- setDT(list(query = rep(1L, 3), page = match(rows$page, summary$pages$page)))
  expect_equal(inktide:::page_fits(summary, wanted)$fit, c(0, 0, 0))
  expect_equal(inktide:::page_fits(summary, wanted, pages)$fit, c(1, 2, 1))
})

test_that("the program shows what a page lacks, what moved and what changed", {
  dir <- withr::local_tempdir()
  pairs <- tide_example()[["pairs"]]
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]"),
    file.path(dir, "inktide.yml"))
  expect_equal(program("load", pairs, "--project", dir)$status, 0)
  saved <- file.path(dir, "html", "guides", "how-to-grow-radish")
  dir.create(saved, recursive = TRUE)
  page <- function(title) {
    writeLines(
      sprintf("<html><head><title>%s</title></head><body><h1>%s</h1></body></html>", title, title),
      file.path(saved, "index.html"))
    program("pages", file.path(dir, "html"), "--project", dir)
  }
  expect_match(program("pages", "--changes", "--project", dir)$err, "No pages are known",
    all = FALSE)
  expect_equal(page("Radishes")$status, 0)
  pages <- function(...) {
    out <- program("pages", ..., "--project", dir, "--quiet", "--format", "csv")$out
    setDT(utils::read.csv(text = out))
  }
  brief <- pages("--brief", "/guides/how-to-grow-radish/")
  expect_true(nrow(brief) > 0 && all(grepl("radish", brief$page)))
  expect_equal(names(brief)[1:4], c("page", "section", "heading", "query"))
  expect_equal(nrow(pages("--status")), 0)
  page("Growing radishes")
  changes <- pages("--changes")
  expect_equal(changes$field[changes$field == "title"], "title")
  expect_equal(changes$now[changes$field == "title"], "Growing radishes")
})
