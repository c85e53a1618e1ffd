# Texts that somebody else wrote, made harmless for terminals, pages, workbooks and lists.

nasty <-
  paste0("a", intToUtf8(c(27, 91, 50, 74, 7, 0x9b, 0x202e)), "b", intToUtf8(c(0x2066, 0x200f, 127)))
obeyed <- function(text) any(inktide:::obeyed(utf8ToInt(paste(text, collapse = "\n"))))

test_that("signs that are obeyed are shown, and all others stay", {
  expect_equal(inktide:::visible_text(nasty),
    "a\u241b[2J\u2407<U+009B><U+202E>b<U+2066><U+200F>\u2421")
  plain <-
    c("caf\u00e9", "\u30c8\u30de\u30c8", "a\nb", "", "\u0639\u0631\u0628\u064a", "\U1f345 = tomato")
  expect_equal(inktide:::visible_text(plain), plain)
  expect_equal(jsonlite::fromJSON(inktide:::escape_json(as.character(jsonlite::toJSON(nasty)))),
    nasty)
  expect_false(obeyed(inktide:::escape_json(as.character(jsonlite::toJSON(nasty)))))
})

test_that("nothing that the program prints or writes is obeyed, whatever a query or page holds", {
  skip_unless_studies()
  site <- sprintf("%s,https://x.example/%s<script>x</script>,%d,%d,%g",
    c(nasty, "[x](javascript:alert(1))", "<script>alert(1)</script>", sprintf("query %d", 1:30)),
    c(nasty, 1:32), c(0L, 0L, 0L, 30:1), 3000L, c(1.2, 1.4, 1.6, 1 + 1:30 / 3))
  file <- csv("query,page,clicks,impressions,position", site)
  dir <- withr::local_tempdir()
  at <- function(name) file.path(dir, name)
  runs <- list(c("find", file, "--min-gain", "0"), c("find", file, "--format", "csv"),
    c("find", file, "--format", "json"), c("find", file, "--view", "page"),
    c("trace", "query 1", file), c("trace", nasty, file), c("curve", file, "--diagnose"),
    c("compare", file, "--by", "intent"),
    c("find", file, "--format", "markdown", "--out", at("list.md")),
    c("find", file, "--format", "csv", "--out", at("list.csv")),
    c("report", file, "--out", at("report.html")), c("find", file, "--figure", at("map.svg")),
    c("find", file, "--format", "xlsx", "--out", at("list.xlsx")))
  for (call in runs) {
    run <- program(call)
    expect_false(obeyed(c(run$out, run$err)), label = paste(call[-2], collapse = " "))
    expect_true(run$status %in% 0:1)
  }
  for (name in c("list.md", "list.csv", "report.html", "map.svg")) {
    expect_false(obeyed(readLines(at(name), encoding = "UTF-8")), label = name)
  }
  md <- paste(readLines(at("list.md")), collapse = "\n")
  expect_false(grepl("(^|[^\\\\])<script|(^|[^\\\\])\\]\\(javascript", md, perl = TRUE))
  html <- paste(readLines(at("report.html")), collapse = "\n")
  expect_equal(lengths(regmatches(html, gregexpr("<script", html))), 1L)
  expect_true("query" %in% names(readxl::read_excel(at("list.xlsx"))))
  expect_false(obeyed(capture.output(print(tide_trace(tide_read(file), "query 1")))))
})

test_that("formulas and settings cannot be smuggled in", {
  file <- csv("query,page,clicks,impressions,position",
    "\"a\",\"https://evil.example\nbrand: [everything]\n/p\",50,100,1",
    "evil,\"https://evil.example/ #x\",10,2000,1")
  dir <- withr::local_tempdir()
  tide_init(tide_read(file), dir)
  expect_setequal(setdiff(names(tide_settings(dir)),
    c("folder", "rules", "exports", "enrichments", "events", "results_pages", "history",
      "page_groups", "words")),
    intersect(c("site", "brand"), names(tide_settings(dir))))
  expect_false("everything" %in% tide_settings(dir)$rules$brand)
})

test_that("cells that a spreadsheet would run are made harmless", {
  safe <-
    inktide:::defuse_formulas(data.frame(query = c("=1+1", "-a", "+b", "@c", "kale"), clicks = -1))
  expect_equal(safe$query, c("'=1+1", "'-a", "'+b", "'@c", "kale"))
  expect_equal(safe$clicks, rep(-1, 5))
})

test_that("what a page of the site says is obeyed nowhere", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  hostile <- c("<script>alert(1)</script>", "=HYPERLINK(\"http://x\")",
    paste0("a", intToUtf8(27), "[2Jb"), "[mark](javascript:x)", paste0(intToUtf8(0x202e), "abc"))
  file.copy(tide_example()[["pairs"]], file.path(dir, "rows.csv"))
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]", "exports: [rows.csv]"),
    file.path(dir, "inktide.yml"))
  tide_load(tide_store(dir), file.path(dir, "rows.csv"))
  html <- file.path(dir, "html")
  pages <- head(unique(fread(tide_example()[["pairs"]])$Page), length(hostile))
  for (i in seq_along(hostile)) {
    path <- file.path(html, sub("^https?://[^/]*", "", pages[i]))
    dir.create(path, recursive = TRUE, showWarnings = FALSE)
    said <- htmltools::htmlEscape(hostile[i])
    writeLines(sprintf(paste("<html><head><title>%s</title><meta name=description content=\"%s\">",
      "</head><body><h1>%s</h1><p>%s</p></body></html>"), said,
      htmltools::htmlEscape(hostile[i], attribute = TRUE), said, said),
      file.path(path, "index.html"))
  }
  run <- function(...) program(..., "--project", dir)
  read <- run("pages", html, "--site", "https://www.fernmoor.example/")
  expect_equal(read$status, 0, label = paste(read$err, collapse = " "))
  outputs <- list(run("pages"), run("pages", "--missing"), run("find"),
    run("find", "--format", "csv"), run("pages", "--format", "csv"),
    run("find", "--format", "markdown"))
  for (output in outputs) {
    shown <- paste(c(output$out, output$err), collapse = "\n")
    expect_equal(output$status, 0, label = shown)
    expect_false(grepl(paste0(intToUtf8(27), "|", intToUtf8(0x202e)), shown))
  }
  rows <- fread(text = run("pages", "--format", "csv")$out)
  expect_true(any(grepl("script", rows$title)))
  expect_false(any(startsWith(rows$title, "=")))
  report <- file.path(dir, "r.html")
  expect_equal(run("report", "--out", report)$status, 0)
  text <- paste(readLines(report, encoding = "UTF-8"), collapse = "\n")
  expect_false(grepl("<script>alert", text, fixed = TRUE))
  expect_false(grepl("javascript:x\"", text, fixed = TRUE))
  book <- file.path(dir, "l.xlsx")
  expect_equal(run("find", "--format", "xlsx", "--out", book)$status, 0)
  sheet <- openxlsx::loadWorkbook(book)
  expect_false(any(grepl("<f>", unlist(lapply(sheet$worksheets,
    function(s) unlist(s$sheet_data$f))), fixed = TRUE)))
})
