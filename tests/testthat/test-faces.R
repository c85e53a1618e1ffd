test_that("figures draw the curve's own numbers and mark every finding", {
  found <- demo()$found
  built <- ggplot2::ggplot_build(ggplot2::autoplot(found$curve, until = 20))
  line <- as.data.table(built$data[[3]])[colour == inktide:::segment_colours[["non-brand"]]]
  at_ten <- line$y[which.min(abs(line$x - 1))]
  expect_equal(10^at_ten, predict(found$curve, 10, "non-brand")$ctr, tolerance = 1e-6)
  map <- ggplot2::ggplot_build(ggplot2::autoplot(found))
  expect_equal(nrow(map$data[[3]]), sum(found$findings$position <= 30))
})

test_that("texts for people keep their precision and stay short", {
  expect_equal(inktide:::format_rate(c(0.28, 0.0996, 0.053, 0.0004, 0, NA)),
    c("28%", "10%", "5.3%", "0.04%", "0%", ""))
  expect_equal(inktide:::format_clicks(c(1234.6, 9.44, 0)), c("1,235", "9.4", "0.0"))
  expect_equal(inktide:::format_sure(c(0.999, 0.5)), c(">99%", "50%"))
  expect_equal(inktide:::format_path(c("https://www.fernmoor.example/a/?b=1",
    "https://www.fernmoor.example", "")),
    c("/a/?b=1", "/", ""))
})

test_that(
  "the report is one file that needs nothing else, holds the list and escapes what it shows",
  {
    rows <- made_site(queries = 300)
    hostile <- "<script>alert('x')</script>"
    rows[query == rows[round(position) > 5, .N, by = query][order(-N)]$query[1], query := hostile]
    found <- tide_find(tide_summary(as_data(rows)), min_gain = 0)
    file <- withr::local_tempfile(fileext = ".html")
    tide_report(found, file, title = "A & B")
    html <- paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
    expect_true(hostile %in% found$findings$query)
    expect_false(grepl(hostile, html, fixed = TRUE))
    expect_match(html, "&lt;script&gt;alert", fixed = TRUE)
    expect_match(html, "<title>A &amp; B</title>", fixed = TRUE)
    expect_false(grepl("(src|href)=['\"](https?:)?//", html))
    expect_false(grepl("@import|url\\(['\"]?https?:", html))
    expect_equal(lengths(regmatches(html, gregexpr("<svg ", html))),
      lengths(regmatches(html, gregexpr("aria-label='[^']{20,}", html))))
    # Each page lists its own findings and no others: every action stands twice, in the list and under
    # its page.
    actions <- htmltools::htmlEscape(found$findings$action)
    expect_equal(
      unname(lengths(regmatches(html, gregexpr(paste0(": ", actions[1]), html, fixed = TRUE)))), 1L)
    expect_equal(lengths(regmatches(html, gregexpr("<li><span class='kind", html))),
      nrow(found$findings))
    for (id in found$findings$id) expect_match(html, id, fixed = TRUE)
    ids <- regmatches(html, gregexpr("(?<= id=')[^']+", html, perl = TRUE))[[1]]
    expect_equal(anyDuplicated(ids), 0L)
  })

test_that("files are written whole or not at all", {
  file <- file.path(withr::local_tempdir(), "list.csv")
  writeLines("old", file)
  expect_error(inktide:::write_whole(file, function(path) {
    writeLines("half", path)
    stop("power cut")
  }), "power cut", class = "tide_error_write")
  expect_equal(readLines(file), "old")
  expect_equal(list.files(dirname(file), all.files = TRUE, no.. = TRUE), "list.csv")
  expect_error(inktide:::write_whole("no/such/folder/x", function(path) writeLines("a", path)),
    class = "tide_error_write")
})

test_that("cells that a spreadsheet would run are made harmless", {
  safe <-
    inktide:::defuse_formulas(data.frame(query = c("=1+1", "-a", "+b", "@c", "kale"), clicks = -1))
  expect_equal(safe$query, c("'=1+1", "'-a", "'+b", "'@c", "kale"))
  expect_equal(safe$clicks, rep(-1, 5))
})
