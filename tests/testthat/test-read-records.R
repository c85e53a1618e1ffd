# Rows kept and rows left out are all rows of the file, and every message finds its line.

head <- "Query,Page,Clicks,Impressions,Position"
good <- c("socks,https://x.example/b,50,1000,3.1", "hats,https://x.example/c,20,800,4.5")

test_that("a row whose cells do not match the header is refused wherever it stands", {
  cases <- list(c("shoes, red,https://x.example/a,900,10000,1.2", good),
    c(good, "shoes, red,/a,900,10000,1.2"), c("shoes,900,10000,1.2", "boots,800,9000,1.4"),
    c(good, "shoes,900,10000,1.2", good))
  lines <- c(2, 4, 2, 4)
  for (i in seq_along(cases)) {
    error <- expect_error(tide_read(csv(head, cases[[i]])), class = "tide_error_layout")
    expect_equal(error$lines[1], lines[i])
    expect_match(conditionMessage(error), "the header has 5", fixed = TRUE)
  }
})

test_that("records are counted as RFC 4180 has them, whatever stands in a cell", {
  set.seed(8)
  cell <- function() paste(
    sample(c("a", " ", "\"\"", ",", "\n", "\r\n", "\u00fc", ";"), sample(0:6, 1), TRUE),
    collapse = "")
  for (round in seq_len(turns(60))) {
    n <- sample(1:12, 1)
    texts <- replicate(n, paste0("x", cell()))
    lines <- sprintf("\"%s\",\"/%s\",%d,%d,%d", texts, seq_len(n), 1L, 10L, 2L)
    # Blank lines and rows of empty cells anywhere.
    blank <- sample(0:3, 1)
    all <- c(lines, rep(c("", "  ", ",,,,"), length.out = blank))[sample(n + blank)]
    file <- tempfile(fileext = ".csv")
    end <- sample(c("\n", "\r\n"), 1)
    writeBin(charToRaw(enc2utf8(paste0(paste(c(head, all), collapse = end), if (round %% 2) end))),
      file)
    data <- tide_read(file)
    expect_equal(sum(data$sources$kept), n)
    expect_equal(sum(data$sources$rows), n + sum(all == ",,,,"))
    expect_equal(sum(data$sources$rows), sum(data$sources$kept) + sum(data$left_out$rows))
    # White space between words is told apart no further.
    folded <- function(x) unique(trimws(gsub("[ \t\r\n]+", " ", x)))
    expect_setequal(folded(as.character(data$tables[[1]]$rows$query)),
      folded(gsub("\"\"", "\"", texts)))
  }
})

test_that("quotes inside cells and in JSON are the text that was exported", {
  file <- csv(head, "\"\"\"exact phrase\"\" tool\",/b,50,1000,3.1", "5\" pot,/c,1,10,2")
  rows <- tide_read(file)$tables[[1]]$rows
  expect_equal(as.character(rows$query), c("\"exact phrase\" tool", "5\" pot"))
  json <- tide_read(csv(paste("[{\"query\":\"\\\"exact phrase\\\"",
    "tool\",\"page\":\"/a\",\"clicks\":1,\"impressions\":9,\"position\":2}]"),
    name = "a.json"))
  expect_equal(as.character(json$tables[[1]]$rows$query), "\"exact phrase\" tool")
  traced <- tide_trace(json, "\"exact phrase\" tool")
  expect_equal(sum(traced$rows$clicks), 1)
})

test_that("messages name the line, row or object where the figure stands", {
  book <- withr::local_tempfile(fileext = ".xlsx")
  openxlsx::write.xlsx(
    data.frame(Query = c("a\nb", "c"), Clicks = 1:2, Impressions = 10, Position = c(2, 0.5)), book,
    startRow = 3)
  cases <- list(
    list(csv(head, "", "\"so\ncks\",/b,50,1000,3", "", "hats,/c,many,800,4"), "line 6 has 'many'"),
    list(csv("A title", "", head, "Total,,70,1800,3", good, "x,/c,-1,800,4"), "line 7 has '-1'"),
    list(csv("", "{\"query\":\"a\",\"clicks\":1,\"impressions\":9,\"position\":2}", "",
      "{\"query\":\"b\",\"clicks\":1,\"impressions\":9,\"position\":0.5}", name = "a.ndjson"),
      "line 4 has '0.5'"),
    list(csv("[{\"query\":\"a\",\"clicks\":1,\"impressions\":9,\"position\":2},",
      "{\"query\":\"b\",\"clicks\":\"x\",\"impressions\":9,\"position\":2}]", name = "a.json"),
      "object 2 has 'x'"),
    list(book, "row 5 has '0.5'"),
    list(csv(head, good[1], "\"exact\" tool,/b,1,10,2"), "line 3"),
    list(csv(head, good[1], "\"never closed,/b,1,10,2", good), "line 3"))
  for (case in cases) expect_error(tide_read(case[[1]]), case[[2]], fixed = TRUE)
})

test_that("a header that stands again, rows of totals and empty rows are left out by name", {
  data <- tide_read(csv(head, good, head, "shoes,/a,1,2,3", ",,,,", "Total,,71,1802,3.5"))
  expect_setequal(data$left_out$reason, c("the header again", "empty row", "row of totals"))
  expect_equal(sum(data$tables[[1]]$rows$clicks), 71)
  none <- tide_read(csv(head, "a,/a,0,10,3", "b,/b,0,20,4", "Total,,0,30,3.7"))
  expect_equal(none$left_out$reason, "row of totals")
  expect_error(tide_read(csv(head, "a,/a,1,10,", "b,/b,2,0,3")), class = "tide_error_nothing_left")
  long <- tide_read(csv(head, good, paste0(strrep("a", 40000), ",/a,1,2,3")))
  expect_equal(long$left_out$reason, "a query of more than 32,767 bytes")
})

test_that("figures that can be read two ways are asked about, and impossible ones refused", {
  open <- csv("Query,Clicks,Impressions,Position", "a,2.000,10.000,2")
  expect_error(tide_read(open), "`decimal`", class = "tide_error_decimal")
  clicks <- function(file, ...) tide_read(file, ...)$tables[[1]]$rows$clicks
  expect_equal(clicks(open, decimal = "comma"), 2000)
  expect_equal(clicks(open, decimal = "point"), 2)
  expect_equal(clicks(csv("Query;Clicks;Impressions;Position", "a;2.000;10.000;2,5")), 2000)
  for (row in c("a,1.5,10,2", "a,1e20,1e21,2")) {
    expect_error(tide_read(csv("Query,Clicks,Impressions,Position", row)),
      class = "tide_error_range")
  }
  large <- tide_read(csv("Query,Clicks,Impressions,Position", "a,3000000000,9000000000,2"))
  expect_equal(large$tables[[1]]$rows$clicks, 3e9)
  expect_match(format(large), "3,000,000,000 clicks, 9,000,000,000 impressions", all = FALSE)
  expect_error(tide_read(csv(head, good), columns = c(query = "Nope")), "'Nope'",
    class = "tide_error_columns_missing")
})

test_that("dates out of range are refused by line, and spans of days are windows", {
  dated <- function(...) csv("Date,Query,Clicks,Impressions,Position",
    sprintf("%s,%s,1,10,2", c(...), c("a", "b")))
  for (date in c("1969-12-31", "0001-01-01", "9999-12-31", "2026-02-30", "2026-08-01 and more")) {
    expect_error(tide_read(dated(date, date)), "line 2", class = "tide_error_not_date")
  }
  one <- tide_read(dated("2026-08-01 - 2026-08-28", "2026-08-01 - 2026-08-28"))$tables[[1]]
  expect_equal(one$dimensions, "query")
  expect_equal(one$days, 28L)
  expect_equal(tide_summary(tide_read(dated("1.8.2026 \u2013 28.8.2026",
    "1.8.2026 \u2013 28.8.2026")))$window$days,
    28)
  several <- tide_read(dated("2026-08-03 to 2026-08-09", "2026-08-10 to 2026-08-16"),
    exported = "2026-12-01")$tables[[1]]
  expect_equal(c(several$from, several$to), as.IDate(c("2026-08-03", "2026-08-16")))
  expect_error(tide_read(dated("2026-08-28 - 2026-08-01", "2026-08-28 - 2026-08-01")),
    class = "tide_error_not_date")
  skip_if_not_installed("nanoparquet")
  store <- tide_store(withr::local_tempdir())
  tide_load(store, dated("2026-08-01 - 2026-08-28", "2026-08-01 - 2026-08-28"))
  expect_equal(tide_summary(tide_stored(store, by_month = TRUE))$window$days, 28)
  expect_equal(tide_stored(store)$tables[[1]]$days, 28L)
})

test_that("texts of any encoding are read, and damaged ones are said to be", {
  text <- paste0(c(head, good), collapse = "\n")
  coded <- function(encoding, mark = TRUE) {
    file <- tempfile(fileext = ".csv")
    writeBin(iconv(list(charToRaw(paste0(if (mark) "\ufeff", text))), "UTF-8", encoding,
      toRaw = TRUE)[[1]],
      file)
    file
  }
  for (encoding in c("UTF-8", "UTF-16LE", "UTF-16BE", "UTF-32LE", "UTF-32BE")) {
    for (mark in c(TRUE, FALSE)) {
      expect_equal(sum(tide_read(coded(encoding, mark))$tables[[1]]$rows$clicks), 70,
        label = paste(encoding, mark))
    }
  }
  raw_csv <- function(...) {
    file <- tempfile(fileext = ".csv")
    writeBin(c(...), file)
    file
  }
  windows <- raw_csv(charToRaw("Query;Clicks;Impressions;Position\r\nm"), as.raw(0xfc),
    charToRaw("sli;1"), as.raw(0xa0), charToRaw("234;10"), as.raw(0xa0), charToRaw("000;3,5\r\n"))
  rows <- tide_read(windows)$tables[[1]]$rows
  expect_equal(list(as.character(rows$query), rows$clicks, rows$impressions),
    list("m\u00fcsli", 1234, 10000))
  utf16 <- readBin(coded("UTF-16LE"), "raw", 1e4)
  bad <- list(
    list("not_number", raw_csv(charToRaw("Query;Clicks;Impressions;Position\nx;1"), as.raw(0xe9),
      charToRaw(";10;3\n"))),
    list("layout", raw_csv(utf16[1:41])),
    list("no_table", raw_csv(raw(500))),
    list("layout", raw_csv(charToRaw(paste0(text, strrep("\n", 5000), "x")), as.raw(0),
      charToRaw(",/a,1,2,3\n"))))
  for (case in bad) expect_error(tide_read(case[[2]]), class = paste0("tide_error_", case[[1]]))
  lone <- raw_csv(charToRaw(gsub("\n", "\r", text)))
  expect_equal(nrow(tide_read(lone)$tables[[1]]$rows), 2)
})
