# The dictionary of columns: complete, and the same words in every face.

columns <- inktide:::usual_words()$columns

test_that("every column says what it means, in a format that there is", {
  formats <- c(names(inktide:::column_formats), names(inktide:::field_formats))
  for (name in names(columns)) {
    own <- columns[[name]]
    expect_true(all(c("label", "format", "meaning") %in% names(own)), label = name)
    expect_true(own$format %in% formats, label = name)
  }
})

test_that("the columns of the tables that people get are in it", {
  data <- tide_read(tide_example())
  found <- tide_find(tide_summary(data, brand = "fernmoor"))
  tables <- list(tidy(found), tide_group(found), found$excluded,
    tide_inventory(data, brand = "fernmoor")$rows, tide_inventory(data, "pair")$rows,
    tide_compare(data, days = 20)$moves)
  # What is worked out further, or a number of the project's own.
  inner <- c("status", "line")
  for (table in tables) {
    expect_equal(setdiff(names(table), c(names(columns), inner)), character())
  }
})

test_that("a column is written by its format, whatever it is called in", {
  cells <- inktide:::shown_columns(
    data.table(ctr = c(0.123, NA), change = c(3, -4), significant = c(TRUE, NA), own = 1:2),
    c("ctr", "change", "significant", "not_there"))
  expect_named(cells, c("CTR", "Change", "Significant"))
  expect_equal(as.vector(cells$CTR), c("12%", ""))
  expect_equal(as.vector(cells$Change), c("+3", "-4"))
  expect_equal(as.vector(cells$Significant), c("yes", ""))
  expect_true(attr(cells$CTR, "right"))
  expect_false(attr(cells$Significant, "right"))
})

test_that("tables escape what they hold, and heads say what they mean", {
  html <- inktide:::html_table(inktide:::shown_columns(
    data.table(query = "<b>&'", clicks = 1234), c("query", "clicks")), look = "data")
  page <- xml2::read_html(html)
  expect_equal(xml2::xml_text(xml2::xml_find_all(page, "//td")), c("<b>&'", "1,234"))
  expect_equal(xml2::xml_attr(xml2::xml_find_all(page, "//th"), "title"),
    vapply(columns[c("query", "clicks")], `[[`, "", "meaning"), ignore_attr = TRUE)
  expect_equal(xml2::xml_attr(xml2::xml_find_all(page, "//td"), "data-label"), c("Query", "Clicks"))
  # Two columns may have one head.
  twice <- inktide:::shown_columns(data.table(position = 2.5, by_position = 3),
    c("position", "by_position"))
  titles <- xml2::xml_attr(xml2::xml_find_all(xml2::read_html(inktide:::html_table(twice)), "//th"),
    "title")
  expect_equal(titles, vapply(columns[c("position", "by_position")], `[[`, "", "meaning"),
    ignore_attr = TRUE)
})

test_that("a column renamed in a project is called so in every face", {
  dir <- withr::local_tempdir()
  file.copy(tide_example()[["pairs"]], file.path(dir, "pairs.csv"))
  writeLines(c("site: fernmoor", "brand: fernmoor", "exports: pairs.csv", "words: own.yml"),
    file.path(dir, "inktide.yml"))
  writeLines(c("columns:", "  clicks: {label: Klicks, short: klicks, meaning: Klicks im Fenster}",
    "numbers: {decimal: ',', thousands: '.'}"), file.path(dir, "own.yml"))
  withr::local_dir(dir)
  withr::defer(inktide:::use_words(NULL))
  shared <- c("--exported", "2026-12-01", "--quiet")
  listed <- program("list", shared)
  expect_match(listed$out, "klicks", all = FALSE, fixed = TRUE)
  expect_match(listed$out, "fernmoor +1[.][0-9]{3} ", all = FALSE)
  expect_equal(program("report", shared, "--out", "r.html")$status, 0)
  expect_match(readLines("r.html"), "title='Klicks im Fenster'", all = FALSE, fixed = TRUE)
  expect_equal(program("list", shared, "--format", "xlsx", "--out", "l.xlsx")$status, 0)
  notes <- utils::unzip("l.xlsx", list = TRUE)$Name
  note <- utils::unzip("l.xlsx", grep("comments", notes, value = TRUE)[1])
  expect_match(paste(readLines(note, warn = FALSE), collapse = ""), "Klicks im Fenster")
  # Which column is wide, and which sort, is a matter of its name, not of its head.
  own <- tide_words("own.yml")
  own$columns$query$label <- "Suche"
  inktide:::use_words(own)
  shown <- inktide:::shown_columns(data.table(query = "kale", clicks = 2), c("query", "clicks"))
  expect_match(inktide:::html_table(shown, wide = "query"), "class='wide'[^>]*>Suche</th>")
  expect_match(inktide:::sort_heads(shown, "query", c(clicks = "clicks"), "clicks")[[2]],
    "aria-sort='descending'.*Klicks")
  # How a column is written is no matter of words.
  writeLines("columns: {clicks: {format: rate}}", "own.yml")
  expect_equal(program("list", shared)$status, 1)
})
