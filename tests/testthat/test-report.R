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
    expect_match(moved, inktide:::change_sentence(moves$site, "The site"), fixed = TRUE)
    shown <- inktide:::leading_moves(moves$moves, 8)
    expect_true("https://www.fernmoor.example/p7/" %in% shown$name[shown$real])
    expect_equal(times("<tr class='soft'>", moved), sum(!shown$real))
    # The opening names the page that lost and a figure of the site that is true.
    expect_match(html, "/p7/", fixed = TRUE)
    expect_match(gsub("<[^>]+>", " ", html), inktide:::format_count(moves$site$clicks_after),
      fixed = TRUE)
  })

test_that("the checklist has each piece of work once, under its page, with its worth", {
  found <- demo()$found
  file <- withr::local_tempfile(fileext = ".md")
  lines <- readLines(tide_write(found, file), encoding = "UTF-8")
  list <- found$findings
  leads <- list[list$id == list$task]
  boxes <- grep("^- \\[ \\] ", lines, value = TRUE)
  expect_setequal(sub(".*, ([A-Z]+-[0-9a-f]+)\\)$", "\\1", boxes), leads$id)
  heads <- which(startsWith(lines, "## "))
  of <- function(id) lines[heads[findInterval(grep(id, lines, fixed = TRUE)[1], heads)]]
  for (i in c(1, nrow(leads))) {
    expect_equal(of(leads$id[i]), paste("##", inktide:::format_path(leads$page[i])))
  }
  expect_error(tide_write(found, "list.docx"), "csv", class = "tide_error_argument")
  expect_error(tide_write(found$curve, file), class = "tide_error_argument")
})

test_that("the workbook holds the list as it is, notes on its columns, and no formulas that run", {
  found <- demo()$found
  found$findings <- copy(found$findings)[1, "query" := "=1+1"]
  file <- withr::local_tempfile(fileext = ".xlsx")
  tide_write(found, file)
  expect_setequal(c("List", "By page", "By query", "By topic"),
    intersect(readxl::excel_sheets(file), c("List", "By page", "By query", "By topic")))
  list <- readxl::read_excel(file, "List")
  expect_equal(nrow(list), nrow(found$findings))
  expect_equal(list$gain, found$findings$gain, tolerance = 1e-6)
  expect_true(all(setdiff(names(found$findings), "pages") %in% names(list)))
  pages <- readxl::read_excel(file, "By page")
  expect_equal(sum(pages$gain), sum(found$findings$gain), tolerance = 1e-6)
  dir <- withr::local_tempdir()
  utils::unzip(file, exdir = dir)
  expect_gt(length(list.files(dir, "comments.*xml", recursive = TRUE)), 0)
  sheets <- list.files(file.path(dir, "xl", "worksheets"), "xml$", full.names = TRUE)
  expect_false(any(vapply(sheets,
    function(sheet) any(grepl("<f>", readLines(sheet, warn = FALSE), fixed = TRUE)), NA)))
  expect_error(tide_write(found, file.path(dir, "no", "such.xlsx")), class = "tide_error_write")
})

test_that("the workbook of windows has a sheet for each, and segments go by their names", {
  data <- as_data(made_site(queries = 80, days = 56))
  curve <- tide_curve(tide_summary(data))
  file <- withr::local_tempfile(fileext = ".xlsx")
  tide_write(lapply(c(7, 28), function(days) tide_compare(data, days = days, curve = curve)), file)
  expect_equal(readxl::excel_sheets(file), c("By query, 7 days", "By query, 28 days", "Site"))
  tide_write(
    tide_compare(data, "query", segments = tide_segment("first pages", page = "/p[0-5]/"), curve = curve),
    file)
  site <- readxl::read_excel(file, "Site")
  expect_match(site$after, "^first pages, ")
  expect_match(site$before, "^the rest, ")
})

test_that("every figure is drawn to a file, of its own data", {
  data <- as_data(made_site(queries = 150, days = 56))
  summary <- tide_summary(data)
  curve <- tide_curve(summary)
  moves <- tide_compare(data, curve = curve)
  followed <- tide_follow(data, curve = curve, most = 3)
  figures <- list(curve, tide_find(summary, curve, min_gain = 0), tide_curve_check(curve, summary),
    moves, followed, tide_trace(data, "query 0005"), tide_compare(data, by = "page_group"))
  for (figure in figures) {
    drawn <- ggplot2::autoplot(figure)
    expect_s3_class(drawn, "ggplot")
    expect_true(nzchar(drawn$labels$title))
    file <- withr::local_tempfile(fileext = ".svg")
    inktide:::save_figure(drawn, file)
    expect_match(readLines(file, n = 2)[2], "<svg")
  }
  # The waterfall goes from the clicks before to the clicks after, and each step begins where the
  # last one ended.
  steps <- ggplot2::ggplot_build(ggplot2::autoplot(moves))$plot$data
  expect_equal(c(steps$to[1], steps$to[6]), c(moves$site$clicks_before, moves$site$clicks_after))
  expect_equal(steps$from[2:5], steps$to[1:4])
})
