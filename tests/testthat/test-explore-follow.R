test_that("pages are followed by week with gaps as gaps, and sums agree with the data", {
  rows <- paged(days = 84)
  rows <-
    rows[!(query == "query 4" & date >= as.IDate("2026-02-01") & date < as.IDate("2026-02-15"))]
  rows <- rbind(rows, data.table::copy(rows)[,
    c("query", "clicks", "position") := list(sub("query", "other", query), 0L, position + 5)])
  data <- as_data(rows)
  followed <- tide_follow(data, c("/b/p4/", "/a/*"), events = marks())
  expect_equal(nrow(followed$pages), 4 * 12)
  expect_true(anyNA(followed$pages$clicks))
  expect_equal(sum(followed$pages$clicks, na.rm = TRUE),
    sum(rows$clicks[grepl("/a/|/p4/", rows$page)]))
  expect_true(all(followed$pages$queries == 2, na.rm = TRUE))
  one <- followed$lines[query == "query 1"]
  expect_equal(unique(round(one$position, 6)), 2)
  expect_equal(sum(followed$bands$queries[followed$bands$page == followed$pages$page[1]]), 24)
  for (type in c("positions", "ctr", "queries")) {
    expect_s3_class(ggplot2::ggplot_build(ggplot2::autoplot(followed, type))$plot, "ggplot")
  }
  expect_match(paste(format(followed), collapse = " "), "Rewritten")
  expect_error(tide_follow(data, "/nowhere/"), "/", class = "tide_error_follow")
  by_day <- tide_follow(data, "/b/p4/", by = "day", leading = "clicks", lines = 1)
  expect_equal(nrow(by_day$lines), 84)
  # With clicks on one of two queries only, that one leads by clicks; each page's first has rank 1.
  expect_equal(unique(by_day$lines$query), "query 4")
  expect_equal(sort(unique(followed$lines$rank)), 1:2)
})

test_that("the program follows pages, tests events, leaves days out; the report opens with it", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  data.table::fwrite(paged(clicks = 1.6), file.path(dir, "a.csv"))
  writeLines(c("date,event,pages", "2026-02-27,Titles rewritten,/a/*"),
    file.path(dir, "events.csv"))
  run <- function(...) program(..., "--lag", "0", dir = dir)
  shown <- run("follow", "a.csv", "--events", "events.csv", "--of", "/a/*", "--figure", "f.png")
  expect_equal(shown$status, 0)
  expect_match(paste(shown$out, collapse = " "), "Titles rewritten.*rose")
  expect_gt(file.size(file.path(dir, "f.png")), 10000)
  events <- data.table::fread(text = run("follow", "a.csv", "--events", "events.csv", "--view",
    "events", "--format", "csv")$out)
  expect_equal(events$verdict[events$measure == "ctr"], "rose")
  expect_equal(run("follow", "a.csv", "--view", "events", "--format", "csv")$status, 2)
  lines <- data.table::fread(text = run("follow", "a.csv", "--view", "lines", "--by", "day",
    "--without", "2026-03-01..2026-03-03", "--format", "csv", "--of", "/a/p1/")$out)
  expect_equal(sum(is.na(lines$clicks)), 3)
  expect_equal(run("follow", "a.csv", "--without", "yesterday")$status, 2)
  report <- run("report", "a.csv", "--events", "events.csv", "--title", "Beds & rows", "--out",
    "r.html")
  expect_equal(report$status, 0)
  html <- paste(readLines(file.path(dir, "r.html"), warn = FALSE), collapse = "\n")
  expect_match(html, "<title>Beds &amp; rows")
  expect_match(html, "the site had [0-9,]+ clicks, ")
  expect_match(html, "Titles rewritten")
  expect_match(html, "id='time'")
  expect_equal(
    run("compare", "a.csv", "--level", "page", "--format", "xlsx", "--out", "m.xlsx")$status, 0)
  sheet <- openxlsx::read.xlsx(file.path(dir, "m.xlsx"), 1)
  expect_equal(sheet$by_demand + sheet$by_position + sheet$by_ctr + sheet$by_new_lost, sheet$change,
    tolerance = 1e-6)
})
