test_that("parts without queries stand side by side as totals, said not to be at equal position", {
  rich <- csv("Search appearance,Clicks,Impressions,Position", "Review stars,300,9000,6.2",
    "Product prices,210,4000,5.1", name = "rich.csv")
  days <- csv("Date,Clicks,Impressions,Position", sprintf("2026-08-%02d,50,1000,7", 1:28),
    name = "days.csv")
  alone <- tide_compare(tide_read(rich), by = "rich_result")
  expect_equal(alone$parts$segment, c("review stars", "product prices"))
  expect_equal(alone$parts$ctr, c(300 / 9000, 210 / 4000))
  expect_true(all(is.na(alone$parts$click_share)))
  expect_match(alone$note, "not at equal position")
  both <- tide_compare(tide_read(c(rich, days), lag = 0), by = "rich_result")
  expect_equal(both$parts$click_share, c(300, 210, 1400) / 1400)
  expect_match(paste(format(both), collapse = "\n"), "review stars +300 +9,000 +21%")
})

test_that("rows by rich result are totals of nothing where nobody asks for them", {
  skip_unless_studies()
  rows <- made_site(queries = 60, days = 30)
  dir <- withr::local_tempdir()
  fwrite(rows, file.path(dir, "a.csv"))
  rich <- rows[,
    .(`rich result` = "stars", clicks = sum(clicks), impressions = sum(impressions), position = 4),
    by = c("date", "query", "page")]
  fwrite(rich, file.path(dir, "rich.csv"))
  fwrite(rich[, .(clicks = sum(clicks), impressions = sum(impressions), position = 4),
    by = c("date", "rich result")],
    file.path(dir, "rich-days.csv"))
  run <- function(...) program(..., "a.csv", "rich.csv", "rich-days.csv", "--lag", "0", dir = dir)
  days <- run("list", "--by", "day", "--format", "csv", "--details")
  expect_equal(sum(fread(text = days$out)$clicks), sum(rows$clicks))
  expect_match(paste(days$err, collapse = " "), "no totals, since")
  expect_equal(sum(fread(text = run("list", "--format", "csv")$out)$clicks), sum(rows$clicks))
  # In R, where all dimensions are read, too.
  data <- tide_read(file.path(dir, c("a.csv", "rich.csv", "rich-days.csv")), lag = 0)
  expect_equal(tide_inventory(data)$total$clicks, sum(rows$clicks))
  expect_null(tide_summary(data)$site_by_day)
  report <- run("report", "--out", "r.html", "--quiet")
  expect_equal(report$status, 0)
  html <- paste(readLines(file.path(dir, "r.html"), encoding = "UTF-8"), collapse = "")
  expect_match(html, "<h3>By rich result</h3>", fixed = TRUE)
})

test_that("windows of totals without queries are compared as such, months as whole months", {
  months <- csv("Month,Clicks,Impressions,Position", name = "months.csv",
    sprintf("2026-%02d-01,%d,%d,6", 1:7, 100 * 1:7, 1000 * 1:7))
  data <- tide_read(months, columns = c(date = "Month"))
  ends <- function(...) tide_compare(data, ...)$parts[, c("segment", "clicks")]
  expect_equal(ends()$clicks, c(700, 600))
  expect_equal(ends()$segment, c("2026-07-01 to 2026-07-31", "2026-06-01 to 2026-06-30"))
  expect_equal(ends(days = 92)$clicks, c(1800, 900))
  expect_error(ends(days = 200), class = "tide_error_window")
  expect_equal(ends(by = "site"), ends())
  expect_error(ends(by = "page"), "not line by line", class = "tide_error_grain")
  expect_error(ends(before = "year"), class = "tide_error_window")
})

test_that("the program compares totals over several lengths, and refuses what they cannot tell", {
  days <- csv("Date,Clicks,Impressions,Position",
    sprintf("2026-08-%02d,%d,1000,7", 1:28, rep(c(40L, 50L), each = 14)))
  run <- function(...) program("compare", days, "--lag", "0", "--quiet", ...)
  both <- fread(text = run("--windows", "7,14", "--format", "csv")$out)
  expect_equal(both[, c("days", "clicks")], data.table(days = c(7L, 7L, 14L, 14L),
    clicks = c(350L, 350L, 700L, 560L)))
  shown <- run("--windows", "7,14")$out
  expect_match(shown, "^change .*[+]25%", all = FALSE)
  expect_length(grep("Totals without queries", shown), 1)
  for (call in list(c("--why", "x"), c("--figure", "f.png"),
      c("--format", "xlsx", "--out", "x.xlsx"))) {
    expect_equal(run(call)$status, 2L, label = call[1])
  }
  expect_match(run("--level", "page")$err, "not line by line", all = FALSE)
})

test_that("monthly totals need no day and no position; queries need their position", {
  dir <- withr::local_tempdir()
  writeLines(c("Month;Clicks;Impressions", sprintf("2026-%02d;1.%d00;30.000", 1:5, 1:5)),
    file.path(dir, "months.csv"))
  listed <- fread(text = program("list", "months.csv", "--format", "csv", "--quiet", dir = dir)$out)
  expect_equal(listed$month, sprintf("2026-%02d", 5:1))
  expect_equal(listed$clicks, 100 * (15:11))
  expect_equal(listed$change, c(100, 100, 100, 100, NA))
  said <- paste(program("compare", "months.csv", dir = dir)$out, collapse = "\n")
  expect_match(said, "change +\\+7% +0% +\\+7%")
  expect_false(grepl("NA", said))
  # A column of months beside the days is no second date.
  both <- tide_read(csv("date,month,clicks,impressions,position", "2026-08-01,2026-08,1,9,3"),
    lag = 0)
  expect_equal(as.character(both$tables$date$rows$date), "2026-08-01")
  expect_error(tide_read(csv("query,clicks,impressions", "kale,1,2")), "No column for `position`",
    class = "tide_error_columns_missing")
})

test_that("what the tables lack is said in one line, and a list shows what they have", {
  said <- function(...) {
    rows <- data.table(..., clicks = 5, impressions = 50, position = 3)
    tide_inventory(as_data(rows))
  }
  day <- as.IDate("2026-08-01") + 0:2
  expect_equal(said(date = day)$by, "day")
  expect_match(said(date = day)$would_add, "by date, query and page would add the curve")
  expect_equal(said(page = c("/a/", "/b/"))$by, "page")
  listed <- said(query = c("kale", "pea"))
  expect_equal(listed$by, "query")
  expect_match(listed$would_add, "competing pages")
  expect_match(format(listed), "An export by date, query and page would add", all = FALSE)
  # Changes of months that are whole, oldest last.
  rows <-
    data.table(date = as.IDate("2025-06-11") + 0:420, clicks = 2, impressions = 9, position = 2)
  months <- tide_inventory(as_data(rows), by = "month")$rows
  expect_equal(months$month[1], "2026-08")
  expect_equal(months[month == "2026-07"]$change, 2)
  expect_equal(months[month == "2026-07"]$change_year, 0)
  expect_true(is.na(months[month == "2026-08"]$change))
  expect_equal(months[month == "2025-06"]$days, 20)
})
