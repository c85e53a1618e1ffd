# Exports of an invented page each: queries by clicks, without the page.
filtered_zip <- function(dir, name, filters, rows, days = NULL) {
  to <- file.path(dir, name)
  dir.create(to)
  fwrite(rows, file.path(to, "Queries.csv"))
  if (!is.null(days)) fwrite(days, file.path(to, "Dates.csv"))
  writeLines(c("Filter,Value", filters), file.path(to, "Filters.csv"))
  withr::with_dir(to, utils::zip(file.path(dir, paste0(name, ".zip")), list.files(to), "-q"))
  file.path(dir, paste0(name, ".zip"))
}
asked <- function(clicks) data.table(Query = c("kale seeds", "pea seeds"), Clicks = clicks,
  Impressions = 10 * clicks, Position = c(2.5, 4))

test_that("two exports made for two pages hold no repeats, in whatever language the filter is", {
  skip_if(Sys.which("zip") == "")
  dir <- withr::local_tempdir()
  one <- filtered_zip(dir, "one",
    c("Search type,Web", "Page,https://www.fernmoor.example/kale/"), asked(c(10, 5)))
  two <- filtered_zip(dir, "two",
    c("Suchtyp,Web", "Seite,https://www.fernmoor.example/pea/"), asked(c(3, 8)))
  data <- tide_read(c(one, two))
  rows <- data$tables[["query x page x vertical"]]$rows
  expect_equal(sum(rows$clicks), 26)
  expect_equal(sum(data$left_out$rows), 0)
  expect_equal(rows[query == "kale seeds" & grepl("pea", page)]$clicks, 3)
  # What nobody asks for goes after rows were told apart.
  kept <- tide_read(c(one, two), dimensions = "query")$tables$query$rows
  expect_equal(sum(kept$clicks), 26)
  expect_match(paste(format(data), collapse = "\n"),
    "limited to vertical Web, page https://www.fernmoor.example/kale/", fixed = TRUE)
  # Pictures beside web: other searches, no repeats.
  images <- filtered_zip(dir, "images",
    c("Search type,Image", "Page,https://www.fernmoor.example/kale/"), asked(c(7, 1)))
  both <- tide_read(c(one, images))
  expect_equal(sum(both$tables[[1]]$rows$clicks), 23)
  web <- tide_filter(both, vertical = "web")
  expect_equal(sum(web$tables[[1]]$rows$clicks), 15)
})

test_that("patterns are said and their sums are no totals; two dates are the window", {
  skip_if(Sys.which("zip") == "")
  dir <- withr::local_tempdir()
  days <- data.table(Date = format(as.Date("2026-08-01") + 0:27), Clicks = 1, Impressions = 10,
    Position = 3)
  part <- filtered_zip(dir, "part", c("Query,+seed", "Date,2026-08-01 - 2026-08-28"),
    asked(c(10, 5)), days)
  data <- tide_read(part)
  expect_equal(names(data$tables), "query")
  expect_equal(data$tables$query$days, 28L)
  said <- paste(format(data), collapse = "\n")
  expect_match(said, "limited to query +seed", fixed = TRUE)
  expect_match(said, "'part.zip, Dates.csv' was not read: it is no total, but of a part")
})

test_that("filters lie in workbooks and folders too, and a table of queries is no filter", {
  dir <- withr::local_tempdir()
  book <- file.path(dir, "one.xlsx")
  sheets <- list(Queries = asked(c(10, 5)),
    Filters = data.frame(Filter = c("Page", "Device"),
      Value = c("https://www.fernmoor.example/kale/", "Mobile")))
  openxlsx::write.xlsx(sheets, book)
  rows <- tide_read(book)$tables[["query x page x device"]]$rows
  expect_equal(unique(as.character(rows$device)), "Mobile")
  folder <- file.path(dir, "loose")
  dir.create(folder)
  fwrite(asked(c(4, 2)), file.path(folder, "Queries.csv"))
  writeLines(c("Filter;Wert", "Seite;https://www.fernmoor.example/pea/"),
    file.path(folder, "Filter.csv"))
  expect_equal(names(tide_read(folder)$tables), "query x page")
  expect_null(inktide:::part_filters(list(path = file.path(folder, "Queries.csv"), label = "q"),
    list()))
})
