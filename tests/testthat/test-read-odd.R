# Files that other machines and careless hands make: read, or one clear error, at once.

test_that("carriage returns above a header lose no row", {
  rows <- sprintf("query %02d,%d,%d,%.1f", 1:40, 1:40 %% 5L, 50:89, 3 + 1:40 / 10)
  header <- "Query,Clicks,Impressions,Position"
  ends <- rep(c("\r\n", "\n"), 20)
  body <- paste0(rows, ends, collapse = "")
  heads <- c(paste0(header, "\r"), paste0("Report\r", header, "\n"),
    paste0("Report\rof August\r\r", header, "\r\n"), paste0("\r\r\r", header, "\n"),
    paste0("Report\r\nof\rAugust\n", header, "\r\n"), paste0("\"A\rreport\"\n", header, "\n"))
  for (head in heads) {
    file <- withr::local_tempfile(fileext = ".csv")
    writeBin(charToRaw(paste0(head, body)), file)
    data <- tide_read(file, lag = 0)
    expect_equal(nrow(data$tables[[1]]$rows), 40, label = encodeString(head))
    expect_equal(sum(data$tables[[1]]$rows$impressions), sum(50:89))
  }
})

test_that("a workbook that counts from 1904 has the same days", {
  skip_if_not_installed("zip")
  rows <- data.frame(Date = as.Date("2026-08-01") + 0:4, Query = paste("query", 1:5), Clicks = 1:5,
    Impressions = 50, Position = 3.1)
  file <- withr::local_tempfile(fileext = ".xlsx")
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "Rows")
  openxlsx::writeData(book, "Rows", rows)
  openxlsx::saveWorkbook(book, file)
  days <- function(file) range(tide_read(file, lag = 0)$tables[[1]]$rows$date)
  expect_equal(days(file), as.IDate(c("2026-08-01", "2026-08-05")))
  dir <- withr::local_tempdir()
  utils::unzip(file, exdir = dir)
  edit <- function(name, how) {
    path <- file.path(dir, "xl", name)
    writeLines(how(readLines(path, warn = FALSE)), path)
  }
  edit("workbook.xml", function(text) {
    text <- gsub("<workbookPr[^>]*/>", "", text)
    sub("(<workbook [^>]*>)", "\\1<workbookPr date1904=\"1\"/>", text)
  })
  edit("worksheets/sheet1.xml", function(text) {
    for (serial in 46235 + 0:4) {
      text <- gsub(sprintf(">%d<", serial), sprintf(">%d<", serial - 1462), text)
    }
    text
  })
  other <- withr::local_tempfile(fileext = ".xlsx")
  withr::with_dir(dir, zip::zip(other, list.files(".", all.files = TRUE, no.. = TRUE)))
  expect_equal(days(other), as.IDate(c("2026-08-01", "2026-08-05")))
})

test_that("a far cell and a line of a million cells are refused, not worked through", {
  file <- withr::local_tempfile(fileext = ".xlsx")
  book <- openxlsx::createWorkbook()
  openxlsx::addWorksheet(book, "Rows")
  openxlsx::writeData(book, "Rows", data.frame(Query = "kale", Clicks = 1, Impressions = 2))
  openxlsx::writeData(book, "Rows", 1, startCol = 16384, startRow = 1048576, colNames = FALSE)
  openxlsx::saveWorkbook(book, file)
  expect_error(tide_read(file), "cell XFD1048576", class = "tide_error_layout")
  wide <- csv(paste(sprintf("c%d", 1:2e5), collapse = ","), paste(rep(1, 2e5), collapse = ","))
  expect_error(tide_read(wide), class = "tide_error_columns_missing")
})

test_that("two exports of pages that their filters name are parts of one whole", {
  parts <- function(op, dated = FALSE) {
    dir <- tempfile("parts")
    for (name in c("kale", "pea")) {
      folder <- file.path(dir, name)
      dir.create(folder, recursive = TRUE)
      writeLines(c("Filter,Value", "Search type,Web",
        sprintf("Page,%shttps://www.fernmoor.example/shop/%s/", op, name)),
        file.path(folder, "Filters.csv"))
      day <- if (dated) c("Date,", "2026-08-01,", "2026-08-01,") else ""
      writeLines(paste0(day, c("Top queries,Clicks,Impressions,Position",
        sprintf("seed packets,%d,900,3.1", if (name == "kale") 60 else 40),
        sprintf("%s seeds,20,300,2.0", name))), file.path(folder, "Queries.csv"))
    }
    file.path(dir, c("kale", "pea"))
  }
  for (dated in c(FALSE, TRUE)) {
    for (op in c("", "+")) {
      data <- tide_read(parts(op, dated), lag = 0)
      expect_equal(sum(data$tables[[1]]$rows$clicks), 140, label = paste(op, dated))
    }
    # What is part of what cannot be told of other patterns.
    expect_error(tide_read(parts("*", dated), lag = 0), class = "tide_error_repeats")
    # An archive keeps what a later part does not hold.
    store <- tide_store(tempfile("project"))
    for (folder in parts("", dated)) tide_load(store, folder)
    expect_equal(sum(tide_stored(store, lag = 0)$tables[[1]]$rows$clicks), 140)
    for (folder in parts("", dated)) tide_load(store, folder)
    expect_equal(sum(tide_stored(store, lag = 0)$tables[[1]]$rows$clicks), 140)
    store <- tide_store(tempfile("project"))
    folders <- parts("+", dated)
    tide_load(store, folders[1])
    expect_error(tide_load(store, folders[2]), class = "tide_error_repeats")
    expect_equal(sum(tide_stored(store, lag = 0)$tables[[1]]$rows$clicks), 80)
  }
})
