test_that("the checklist has each piece of work once, under its page, with its worth", {
  found <- demo()$found
  file <- withr::local_tempfile(fileext = ".md")
  lines <- readLines(tide_write(found, file), encoding = "UTF-8")
  list <- found$findings
  leads <- list[list$hours > 0]
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
  expect_setequal(c("List", "By page", "By query", "By topic", "About"),
    intersect(readxl::excel_sheets(file), c("List", "By page", "By query", "By topic", "About")))
  list <- readxl::read_excel(file, "List")
  # A row a task with the gain of its lines; the lines of several beneath, so that no sum is twice.
  leads <- found$findings[found$findings$hours > 0]
  tasks <- list[!is.na(list$rank), ]
  expect_equal(tasks$id, leads$id)
  expect_equal(sum(list$gain, na.rm = TRUE), sum(found$findings$gain), tolerance = 1e-6)
  expect_setequal(list$id, found$findings$id)
  expect_true(all(c("low CTR", "cannibalized") %in% tasks$kind))
  expect_true(all(setdiff(names(found$findings), "pages") %in% names(list)))
  pages <- readxl::read_excel(file, "By page")
  expect_equal(sum(pages$gain), sum(found$findings$gain), tolerance = 1e-6)
  dir <- withr::local_tempdir()
  utils::unzip(file, exdir = dir)
  expect_gt(length(list.files(dir, "comments.*xml", recursive = TRUE)), 0)
  sheets <- list.files(file.path(dir, "xl", "worksheets"), "xml$", full.names = TRUE)
  expect_false(any(vapply(sheets,
    function(sheet) any(grepl("<f>", readLines(sheet, warn = FALSE), fixed = TRUE)), NA)))
  expect_match(paste(readLines(sheets[1], warn = FALSE), collapse = ""), "fix,later,harmless,done")
  expect_error(tide_write(found, file.path(dir, "no", "such.xlsx")), class = "tide_error_write")
})

test_that("the workbook of windows has a sheet for each, and segments go by their names", {
  skip_unless_studies()
  data <- as_data(made_site(queries = 80, days = 56))
  curve <- tide_curve(tide_summary(data))
  file <- withr::local_tempfile(fileext = ".xlsx")
  tide_write(lapply(c(7, 28), function(days) tide_compare(data, days = days, curve = curve)), file)
  expect_equal(readxl::excel_sheets(file), c("By query, 7 days", "By query, 28 days", "Site"))
  both <- as_data(rbind(made_site(queries = 80, days = 56)[, "device" := "mobile"],
    made_site(queries = 80, days = 56, seed = 2)[, "device" := "desktop"]))
  tide_write(tide_compare(both, "query", segments = tide_segment("phone", device = "mobile"),
    curve = curve),
    file)
  site <- readxl::read_excel(file, "Site")
  expect_match(site$after, "^phone, ")
  expect_match(site$before, "^the rest, ")
})
