test_that("columns are found by the trade's spellings, in any order and case", {
  headers <- c("Query,Page,Clicks,Impressions,CTR,Position",
    "Top queries,URL,clicks,IMPRESSIONS,ctr,Avg. position",
    "keyword,landing page,Url clicks,Impr.,Click-through rate,average_position")
  for (header in headers) {
    data <- tide_read(csv(header, "tomato seeds,/shop/tomato/,3,100,0.03,4.5"))
    rows <- data$tables[["query x page"]]$rows
    expect_equal(rows$clicks, 3)
    expect_equal(rows$position, 4.5)
    expect_equal(as.character(rows$page), "/shop/tomato/")
  }
})

test_that("thousands separators and percent signs are numbers; how CTR is written is found out", {
  cases <- list(fraction = c("a,10,100,0.1,2", "b,5,100,0.05,3"),
    percent = c("a,10,100,10%,2", "b,5,100,5%,3"), percent = c("a,10,100,10,2", "b,5,100,5,3"),
    disagrees = c("a,10,100,0.3,2", "b,5,100,0.2,3"), none = c("a,0,100,0,2"))
  for (i in seq_along(cases)) {
    data <- tide_read(csv("query,clicks,impressions,ctr,position", cases[[i]]))
    expected <- if (grepl("%", cases[[i]][1])) "fraction" else names(cases)[i]
    expect_equal(data$sources$ctr, expected)
  }
  file <- csv("query,clicks,impressions,position", '"a, b","1,234","12,345,678",1.5')
  rows <- tide_read(file)$tables$query$rows
  expect_equal(c(rows$clicks, rows$impressions), c(1234, 12345678))
})

test_that("bad input gives one error that says what, where by line, and how to fix it", {
  head <- "query,page,date,clicks,impressions,position"
  good <- "a,/a,2026-01-01,1,10,2"
  cases <- list(
    list("columns_missing", c("query,clicks,impressions", "a,1,2"), "`position`"),
    list("columns_twice", c("query,keyword,clicks,impressions,position", "a,b,1,2,3"),
      "both claim"),
    list("not_number", c(head, good, "b,/b,2026-01-01,many,10,2"), "line 3 has 'many'"),
    list("not_number", c(head, good, 'b,/b,2026-01-01,"1,5",10,2'), "line 3"),
    list("not_date", c(head, good, good, "b,/b,soon,1,10,2"), "line 4 has 'soon'"),
    list("range", c(head, good, "b,/b,2026-01-01,-1,10,2"), "line 3 has '-1'"),
    list("range", c(head, "b,/b,2026-01-01,1,10,0.5"), "line 2 has '0.5'"),
    list("range", c(head, good, "b,/b,2026-01-01,,10,2"), "line 3"),
    list("range", c(head, good, "b,/b,2026-01-01,1,Inf,2"), "line 3"),
    list("layout", c(head, good, "b,/b,2026-01-01,1,10,2,7,8", good), "line 3"),
    list("file", c(head), "no rows"),
    list("file", character(), "empty"))
  for (case in cases) {
    file <- csv(case[[2]])
    error <- expect_error(tide_read(file), class = paste0("tide_error_", case[[1]]))
    expect_match(conditionMessage(error), case[[3]], fixed = TRUE)
    expect_match(conditionMessage(error), basename(file), fixed = TRUE)
    expect_match(conditionMessage(error), "fix:", fixed = TRUE)
  }
  expect_error(tide_read("nowhere.csv"), "no such file", class = "tide_error_file")
  expect_error(tide_read(42), class = "tide_error_argument")
})

test_that("rows that no figure may rest on are left out and counted", {
  file <- csv("query,clicks,impressions,position", "a,1,10,2", "b,0,0,", "c,0,5,", "d,7,5,2")
  data <- tide_read(file)
  expect_equal(as.character(data$tables$query$rows$query), "a")
  expect_setequal(data$left_out$reason,
    c("no impressions", "no position", "more clicks than impressions"))
  expect_equal(sum(data$left_out$rows), 3)
})

test_that("the newest days are left out by the date of the export", {
  file <- csv("date,query,clicks,impressions,position", sprintf("2026-03-%02d,a,1,10,2", 1:10))
  kept <- function(...) nrow(tide_read(file, ...)$tables[[1]]$rows)
  expect_equal(kept(exported = "2026-03-11"), 7)
  expect_equal(kept(exported = "2026-03-11", lag = 1), 9)
  expect_equal(kept(exported = "2026-03-10", lag = 0), 10)
  Sys.setFileTime(file, as.POSIXct("2026-03-09 12:00:00", tz = "UTC"))
  expect_equal(kept(), 5)
  expect_match(tide_read(file)$left_out$reason, "unfinished")
})

test_that("grains are held apart, and a row in two files of one grain counts once", {
  one <- csv("query,clicks,impressions,position", "a,1,10,2", "b,2,20,3", name = "one.csv")
  two <- csv("query,clicks,impressions,position", "b,2,20,3", "c,3,30,4", name = "two.csv")
  site <- csv("date,clicks,impressions,position", "2026-01-01,9,90,3", name = "site.csv")
  data <- tide_read(c(one, two, site))
  expect_setequal(names(data$tables), c("query", "date"))
  expect_equal(sum(data$tables$query$rows$clicks), 6)
  expect_equal(data$left_out$rows, 1)
  expect_output(print(data), "in several files")
})

test_that("an export cut at a round number of rows, sorted by clicks, is named", {
  capped <- tide_read(tide_example()[["capped"]])
  expect_false(capped$sources$capped)
  rows <- sprintf("q%d,%d,%d,2", 1:1000, 2000:1001, 5000:4001)
  expect_true(tide_read(csv("query,clicks,impressions,position", rows))$sources$capped)
  expect_false(tide_read(csv("query,clicks,impressions,position", rev(rows)))$sources$capped)
})

test_that("filters keep what matches and say what they left out", {
  data <- tide_read(csv("date,query,device,clicks,impressions,position",
    "2026-01-01,Red Tomato,mobile,1,10,2", "2026-01-02,kale,desktop,2,20,3",
    "2026-01-03,tomato,mobile,3,30,4"))
  clicks <- function(...) sum(tide_filter(data, ...)$tables[[1]]$rows$clicks)
  expect_equal(clicks(query = "tomato"), 4)
  expect_equal(clicks(not_query = "^red"), 5)
  expect_equal(clicks(device = "Mobile", days = 1), 3)
  expect_equal(clicks(from = "2026-01-02", to = "2026-01-02"), 2)
  expect_equal(tide_filter(data, query = "kale")$left_out$clicks, 4)
  expect_error(tide_filter(data, query = "lettuce"), class = "tide_error_nothing_left")
  expect_error(tide_filter(data, query = "(tomato"), class = "tide_error_regex")
  expect_error(tide_filter(data, from = "soon"), class = "tide_error_argument")
})

test_that("rows given twice in one file count once, told apart by columns that nobody asked for", {
  head <- "date,query,page,device,clicks,impressions,position"
  file <- csv(head, "2026-03-01,kale,/a,mobile,1,10,3", "2026-03-01,kale,/a,desktop,1,10,3",
    "2026-03-01,kale,/a,mobile,1,10,3", "2026-03-01,pea,/b,mobile,2,20,5",
    "2026-03-01,pea,/b,mobile,3,30,4")
  for (dimensions in list(NULL, c("date", "query", "page"))) {
    data <- tide_read(file, exported = "2026-04-01", dimensions = dimensions)
    expect_equal(data$tables[[1]]$rows$clicks, c(1, 1, 3))
    expect_equal(data$left_out$rows, c(1, 1))
    expect_match(data$left_out$reason, "same row again|other figures")
  }
})

test_that("of files of one grain the newest export counts; a coarser table is not added", {
  old <- csv("date,query,page,clicks,impressions,position", "2026-03-01,kale,/a,1,10,3",
    "2026-03-02,kale,/a,1,10,3", name = "b.csv")
  new <-
    csv("date,query,page,clicks,impressions,position", "2026-03-02,kale,/a,5,50,3", name = "a.csv")
  Sys.setFileTime(old, as.POSIXct("2026-04-01", tz = "UTC"))
  Sys.setFileTime(new, as.POSIXct("2026-04-05", tz = "UTC"))
  for (files in list(c(old, new), c(new, old))) {
    expect_equal(sum(tide_read(files)$tables[[1]]$rows$clicks), 6)
  }
  split <- csv("date,query,page,device,clicks,impressions,position",
    "2026-03-01,kale,/a,mobile,1,5,3", "2026-03-01,kale,/a,desktop,2,5,3")
  both <- tide_read(c(old, split), exported = "2026-04-01", dimensions = c("date", "query", "page"))
  # 1 March rests on the table by device, 2 March on the one that has it.
  expect_equal(sum(both$tables[["date x query x page"]]$rows$clicks), 1 + 2 + 1)
  expect_equal(both$tables[["date x query x page"]]$rests_on$days, c(1, 1))
  expect_match(both$left_out$reason, "same clicks", all = FALSE)
})

test_that("clicks above impressions are left out, kept or refused by rule", {
  file <- csv("query,clicks,impressions,position", "kale,9,5,2", "pea,1,10,3")
  expect_equal(nrow(tide_read(file)$tables[[1]]$rows), 1)
  expect_equal(nrow(tide_read(file, clicks_above = "keep")$tables[[1]]$rows), 2)
  expect_error(tide_read(file, clicks_above = "refuse"), "line 2 has '9'",
    class = "tide_error_range")
  expect_error(tide_read(file, clicks_above = "maybe"), class = "tide_error_argument")
})

test_that("Parquet is read like any other file", {
  skip_if_not_installed("nanoparquet")
  file <- tempfile(fileext = ".parquet")
  rows <- data.frame(date = as.Date("2026-03-01") + 0:2, query = c("kale", "pea", "bean"),
    clicks = 1:3, impressions = 10 * 1:3, position = c(1.5, 2, 3))
  nanoparquet::write_parquet(rows, file)
  read <- tide_read(file, exported = "2026-04-01")$tables[[1]]$rows
  expect_equal(as.character(read$query), rows$query)
  expect_equal(read$position, rows$position)
  expect_equal(as.integer(read$date), as.integer(rows$date))
})

test_that("what was left out stands under the table that is used", {
  dir <- withr::local_tempdir()
  rows <- made_site(queries = 20, days = 10)[, "device" := "mobile"]
  fwrite(rows, file.path(dir, "a.csv"))
  fwrite(rows[, .(clicks = sum(clicks), impressions = sum(impressions), position = 4), by = "date"],
    file.path(dir, "b.csv"))
  last <- max(rows$date)
  data <- tide_read(file.path(dir, c("a.csv", "b.csv")), lag = 3, exported = last + 1,
    dimensions = c("date", "query", "page"))
  expect_true(all(data$left_out$grain %in% names(data$tables)))
  own <- tide_summary(data)$left_out
  expect_equal(own$rows, sum(rows$date >= last - 2))
  expect_match(format(tide_summary(data)), "left out: unfinished days", all = FALSE)
})
