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
    # Nothing is fetched; pages of the list are linked to.
    expect_false(grepl("src=['\"](https?:)?//|<link", html))
    expect_false(grepl("@import|url\\(['\"]?https?:", html))
    expect_equal(lengths(regmatches(html, gregexpr("<svg ", html))),
      lengths(regmatches(html, gregexpr("aria-label='[^']{20,}", html))))
    # Each page lists its own findings and no others: every action stands twice, in the list and
    # under its page.
    actions <- htmltools::htmlEscape(found$action)
    expect_equal(
      unname(lengths(regmatches(html, gregexpr(paste0(": ", actions[1]), html, fixed = TRUE)))), 1L)
    expect_equal(lengths(regmatches(html, gregexpr("<li><span class='kind", html))),
      nrow(found$findings))
    for (id in found$findings$id) expect_match(html, id, fixed = TRUE)
    ids <- regmatches(html, gregexpr("(?<= id=')[^']+", html, perl = TRUE))[[1]]
    expect_equal(anyDuplicated(ids), 0L)
  })

# What people are handed: the report's parts, checklist, workbook and figures say what the objects
# say.

html_of <- function(...) {
  file <- withr::local_tempfile(fileext = ".html")
  tide_report(..., file = file)
  paste(readLines(file, encoding = "UTF-8"), collapse = "\n")
}

times <- function(pattern, text) lengths(regmatches(text, gregexpr(pattern, text, perl = TRUE)))

test_that(
  "every plain table of the report has as many cells in each row as headers, and all tags close",
  {
    skip_unless_studies()
    html <- html_of(demo()$found)
    tables <-
      regmatches(html, gregexpr("(?s)<table class='plain'>.*?</table>", html, perl = TRUE))[[1]]
    expect_gt(length(tables), 3)
    for (table in tables) {
      body <- sub("(?s).*?<tbody>", "", table, perl = TRUE)
      rows <- regmatches(body, gregexpr("(?s)<tr.*?</tr>", body, perl = TRUE))[[1]]
      expect_true(all(times("<td[ >]", rows) == times("<th[ >]", table)))
    }
    for (tag in c("section", "table", "tr", "details", "ul", "li", "svg")) {
      expect_equal(times(sprintf("<%s[ >]", tag), html), times(sprintf("</%s>", tag), html))
    }
  })

test_that(
  "what moved and what was followed stand in the report with their own figures; noise is soft",
  {
  skip_unless_studies()
    rows <- made_site(queries = 200, days = 70, demand = rep(20, 200))
    lost <- rows$page == "https://www.fernmoor.example/p7/" & rows$date > max(rows$date) - 28
    rows[lost, c("impressions", "clicks") := list(impressions %/% 4L + 1L, clicks %/% 4L)]
    data <- as_data(rows)
    found <- tide_find(tide_summary(data), min_gain = 0)
    moves <- tide_compare(data, by = "page", curve = found$curve)
    plain <- html_of(found)
    html <- html_of(found, moves = moves, followed = tide_follow(data, "/p7/", curve = found$curve))
    for (id in c("moved", "time")) {
      expect_equal(c(grepl(sprintf("id='%s'", id), plain), grepl(sprintf("id='%s'", id), html)),
        c(FALSE, TRUE))
    }
    moved <- regmatches(html, regexpr("(?s)<section id='moved'>.*?</section>", html, perl = TRUE))
    expect_match(moved, inktide:::site_sentences(moves)[1], fixed = TRUE)
    shown <- utils::head(moves$moves, 8)
    expect_true("https://www.fernmoor.example/p7/" %in% shown$name[shown$significant])
    expect_equal(times("<tr class='soft'>", moved), sum(!shown$significant))
    # The opening names the page that lost and a figure of the site that is true.
    expect_match(html, "/p7/", fixed = TRUE)
    expect_match(gsub("<[^>]+>", " ", html), inktide:::format_count(moves$site$clicks_after),
      fixed = TRUE)
  })

test_that("the template of a report knits on a project", {
  skip_unless_studies()
  skip_if_not_installed("nanoparquet")
  skip_if_not_installed("knitr")
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]"),
    file.path(dir, "inktide.yml"))
  tide_load(tide_store(dir), unlist(tide_example()[c("pairs", "totals")]))
  skeleton <- system.file("rmarkdown", "templates", "report", "skeleton", "skeleton.Rmd",
    package = "inktide")
  withr::local_dir(withr::local_tempdir())
  to <- new.env()
  to$params <- list(project = dir, tasks = 3, logo = "")
  knitr::knit(skeleton, "report.md", quiet = TRUE, envir = to)
  lines <- readLines("report.md")
  expect_length(grep("^[1-3][.] [*][*]", lines), 3)
  expect_false(any(grepl("^## Error|^Error", lines)))
})
