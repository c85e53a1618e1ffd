saved <- function(..., name = "index.html") {
  dir <- tempfile("saved")
  dir.create(dir)
  writeLines(c(...), file.path(dir, name))
  dir
}

test_that("linking pages and clicks from home are those that the site was made with", {
  skip_unless_studies()
  read <- demo_read()
  links <- read$truth$links
  pages <- read$pages$pages
  path <- sub("https://www.fernmoor.example", "", pages$page)
  by_hand <- tapply(links$from, links$to, function(from) length(unique(from)))
  expect_equal(pages$linking, as.vector(fcoalesce(by_hand[path], 0L)))
  # Listed on an index page two or three clicks away, hung on a neighbour one more, orphans none.
  expect_equal(pages$depth[path == "/"], 0)
  expect_equal(pages$depth[path == "/guides/"], 1)
  guides <- read$truth$path[startsWith(read$truth$path, "/guides/how")]
  expect_equal(pages$depth[match(guides[1], path)], 2)
  expect_equal(pages$depth[match(guides[12], path)], 3)
  expect_true(is.na(pages$depth[match(guides[40], path)]))
  told <- summary(read$pages)
  expect_equal(told$pages[told$remark == "nothing links to it"], 4)
  expect_equal(told$first[told$remark == "not to be indexed (noindex)"],
    "https://www.fernmoor.example/about/")
})

test_that("every planted phrase is found where it stands, and none where it does not", {
  read <- demo_read()
  words <- as.data.table(tide_page_words(demo()$summary, read$pages))
  both <- merge(words, as.data.table(read$truth$phrases), by = c("query", "page"))
  expect_gt(nrow(both), 1000)
  found <- fcase(both$in_title > 0, "title", both$in_heading > 0, "heading", both$in_text > 0,
    "text", rep(TRUE, nrow(both)), "none")
  expect_equal(found, both$stands)
  # Menus and feet are no page's own words.
  expect_false(any(grepl("by post since always|Catalogue", read$pages$pages$text)))
})

test_that("encodings, broken markup, frames and addresses come out as a reader sees them", {
  read <- demo_read()
  pages <- read$pages$pages
  expect_match(pages[grepl("/contact/", page)]$title, "Caf\u00e9", ignore.case = TRUE)
  expect_gt(pages[grepl("/delivery/", page)]$words, 10)
  dir <- saved("<html lang='en-GB'><head><title>Kale &amp; more</title><meta name='description'",
    "content='All kale'><link rel='canonical' href='/kale/'></head><body><nav><a href='/'>Home",
    "</a></nav><h1>Kale</h1><p>Kale stands all winter. It is sweet after frost.</p><h2>Kinds</h2>",
    "<ul><li>Red</li></ul><a href='../peas/?utm_source=x#top'>peas</a><a href='mailto:a@b.c'>m</a>",
    "<a href='https://other.example/'>o</a><script>var kale = 1;</script><img alt='A kale leaf'>",
    "<script type='application/ld+json'>{\"@type\": \"Article\"}</script></body></html>",
    name = "kale.html")
  one <- tide_pages_read(dir, "https://www.fernmoor.example")
  own <- one$pages
  expect_equal(own$title, "Kale & more")
  expect_equal(own$first_sentence, "Kale stands all winter.")
  expect_equal(own$headings, "Kinds")
  expect_equal(own$language, "en")
  expect_equal(own$types, "Article")
  expect_equal(own$pictures, "A kale leaf")
  expect_equal(own$canonical, "https://www.fernmoor.example/kale/")
  expect_false(grepl("var kale", own$text))
  expect_equal(one$links$to, c("fernmoor.example/peas", "fernmoor.example"))
  expect_equal(one$links$main, c(TRUE, FALSE))
})

test_that("what is no page is named, not read; wrong calls are told", {
  dir <- saved("<html><body><p>One page of a few words.</p></body></html>")
  writeLines("just text", file.path(dir, "text.html"))
  file.create(file.path(dir, "empty.html"))
  writeBin(as.raw(c(0x89, 0x50, 0x4e, 0x47, 0, 1, 2)), file.path(dir, "picture.html"))
  read <- tide_pages_read(dir, "https://www.fernmoor.example/")
  expect_equal(nrow(read$pages), 1)
  expect_equal(read$skipped$reason[order(read$skipped$file)], c("empty", "not HTML", "not HTML"))
  expect_match(format(read), "not read: 2 (not HTML)", fixed = TRUE, all = FALSE)
  unlink(file.path(dir, "index.html"))
  expect_error(tide_pages_read(dir, "https://www.fernmoor.example/"), "No file is a page",
    class = "tide_error_no_table")
  expect_error(tide_pages_read(dir, "fernmoor"), class = "tide_error_argument")
  expect_error(tide_pages_read(tempfile(), "https://www.fernmoor.example/"),
    class = "tide_error_file")
  skip_if(Sys.which("zip") == "")
  file <- file.path(dir, "..", basename(tempfile(fileext = ".zip")))
  saved_dir <- saved("<html><body><p>Zipped words of a page.</p></body></html>")
  withr::with_dir(saved_dir, utils::zip(normalizePath(file, mustWork = FALSE), "index.html", "-q"))
  expect_equal(tide_pages_read(file, "https://www.fernmoor.example/")$pages$page,
    "https://www.fernmoor.example/")
})

test_that("phrases are found whatever their form: endings, accents, hyphens, joined, no spaces", {
  count <- function(query, text) {
    stem <- inktide:::stemmer("en")
    of <- inktide:::phrase_forms(inktide:::query_key(query), stem)
    inktide:::count_phrases(of$words, of$joined, inktide:::stemmed(text, stem), 1L)
  }
  expect_equal(count("raised bed kit", "Raised-bed kits, and a raised bed kit."), 2)
  expect_equal(count("creme brulee", "Cr\u00e8me br\u00fbl\u00e9e"), 1)
  expect_equal(count("seed bed", "A seedbed of fine soil"), 1)
  expect_equal(count("kale", "kale kale kale"), 3)
  expect_equal(count("kale", "kaleidoscope"), 0)
  # Not across headings or blocks, and in a language without rules for endings as it is written.
  dir <- saved("<html lang='pl'><body><h2>Leek spacing</h2><h2>Radish pests</h2><p>Old seeds</p>",
    "<p>of kale</p></body></html>")
  pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
  said <- inktide:::page_texts(pages, 1L, inktide:::stemmer(pages$pages$language))
  phrases <- c(" spacing radish ", " leek spacing ", " seeds of ", " old seeds ")
  expect_equal(
    .Call(inktide:::phrase_counts, phrases, c(said$heading, said$text), c(1L, 1L, 2L, 2L)),
    c(0L, 1L, 0L, 1L))
  expect_equal(
    count("\u5927\u6839\u306e\u7a2e", "\u65b0\u3057\u3044\u5927\u6839\u306e\u7a2e\u3067\u3059"), 1)
})

test_that("pages that say what another is asked for could link to it, unless they do or compete", {
  dir <- tempfile("links")
  page <- function(path, ...) {
    dir.create(file.path(dir, path), recursive = TRUE, showWarnings = FALSE)
    writeLines(c("<html><body>", ..., "</body></html>"), file.path(dir, path, "index.html"))
  }
  page("a", "<p>Everything on leek spacing.</p>")
  page("b", "<p>Mind leek spacings when you plant.</p>")
  page("c", "<p>Leek spacing is <a href='/a/'>there</a>.</p>")
  page("d", "<p>Leek spacing for rivals.</p>")
  pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
  rows <- rbind(made_site(queries = 60, days = 40),
    data.table(date = as.IDate("2026-01-02") + 0:38, query = "leek spacing",
      page = rep(paste0("https://www.fernmoor.example/", c("a/", "d/")), each = 39), clicks = 1L,
      impressions = 20L, position = 6),
    use.names = TRUE)
  found <- tide_page_links(tide_summary(as_data(rows)), pages, "/a/")
  expect_equal(found$page, "https://www.fernmoor.example/b/")
  expect_equal(found$sentence, "Mind leek spacings when you plant.")
  # The step of a finding names them.
  found <- tidy(tide_find(tide_summary(as_data(rows)), pages = pages, kind = "striking_distance",
    min_gain = 0))
  own <- found[found$query == "leek spacing" & grepl("/a/", found$page), ]
  expect_match(own$action,
    "Link to it in varied words from /b/ (where it says \"Mind leek spacings when you plant.\").",
    fixed = TRUE)
  expect_error(tide_page_links(tide_summary(as_data(rows)), pages, "/nowhere/"),
    class = "tide_error_argument")
})

# A query whose phrase stands in the text of its page alone, with the most impressions.
demo_asked <- function(dir) {
  daily <- fread(file.path(dir, "exports", "daily.csv"))
  seen <- daily[, .(n = sum(Impressions)), by = "Query"]
  truth <-
    as.data.table(inktide:::demo_code()$demo_phrases(tide_demo(seed = 2, days = 40,
    share = 0.2)$truth$queries))
  seen <- seen[seen$Query %in% truth$query[truth$stands == "text"]]
  seen$Query[which.max(seen$n)]
}

test_that("links with a query's very words to the page that should give way are named", {
  read <- demo_read()
  wrong <- read$truth$links[text %in% demo()$site$truth$queries$query & main]
  wrong <- wrong[startsWith(wrong$from, "/journal/the-story")]
  wrong <- wrong[, .(from = list(from), to = to[1]), by = "text"]
  expect_equal(nrow(wrong), 5)
  found <- as.data.table(tidy(tide_find(demo()$summary, pages = read$pages, kind = "cannibalized")))
  named <- merge(found, wrong, by.x = "query", by.y = "text")
  # Of contests that are listed, those whose other page is the one linked to.
  named <- named[mapply(
    function(all, keep, to) endsWith(setdiff(strsplit(all, " ")[[1]], keep)[1], to), named$pages,
    named$page, named$to)]
  expect_gt(nrow(named), 0)
  for (i in seq_len(nrow(named))) {
    expect_match(named$reason[i], "3 pages link to the other page with these words")
    for (from in named$from[[i]]) expect_match(named$reason[i], from, fixed = TRUE)
  }
})

test_that("the program reads pages into the archive and tells what they miss", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  tide_demo(dir, seed = 2, days = 40, share = 0.2)
  run <- function(...) program(..., dir = dir)
  expect_equal(run("pages", "--missing")$status, 2)
  run("load", "exports/daily.csv")
  said <- run("pages", "site-html")
  expect_match(paste(said$out, collapse = " "), "251 pages of https://www.fernmoor.example/")
  expect_match(paste(said$err, collapse = " "), "stored in the project's archive")
  traced <- paste(run("trace", "/shop/tomato/")$out, collapse = "\n")
  expect_match(traced, "address title heading text first links cover  missing")
  asked <- demo_asked(dir)
  expect_match(paste(run("trace", asked)$out, collapse = "\n"),
    "What the page says.*\\.\\.\\. A word on")
  missing <- fread(text = run("pages", "--missing", "--format", "csv", "--quiet")$out)
  expect_true(all(c("query", "in_title", "cover", "if_done") %in% names(missing)))
  expect_true(all(missing$in_title == 0 & missing$in_heading == 0))
  truth <-
    as.data.table(inktide:::demo_code()$demo_phrases(tide_demo(seed = 2, days = 40,
    share = 0.2)$truth$queries))
  own <- merge(missing, truth, by = c("query", "page"))
  expect_true(all(own$stands %in% c("none", "text")))
  expect_equal(run("report", "--out", "r.html", "--quiet")$status, 0)
  html <- paste(readLines(file.path(dir, "r.html"), encoding = "UTF-8"), collapse = "")
  expect_match(html, "<h2>The pages</h2>.*nothing links to it")
  # Titles come along as facts.
  expect_match(paste(run("find", "--details")$err, collapse = " "), "pages of the site")
  # Stored again is nothing new, and an index that was lost is made anew with them.
  store <- tide_store(dir)
  expect_false(tide_load(store, tide_pages_read(store))$kept)
  tide_rebuild(dir)
  expect_equal(nrow(tide_pages_read(store)$pages), 251)
})
