# One table in every dress: the same rows must come out.
truth <- data.table(date = as.IDate("2026-03-01") + 0:3,
  query = c("m\u00fcsli", "caf\u00e9 seeds", "kale", "pea"), clicks = c(1234, 20, 3, 0),
  impressions = c(1234567, 400, 90, 12), position = c(1.5, 8.4, 12.25, 40))
same <- function(data, decimal = "point") {
  expect_length(data$tables, 1)
  rows <- data$tables[[1]]$rows
  expect_equal(as.character(rows$query), truth$query)
  for (column in c("date", "clicks", "impressions", "position")) {
    expect_equal(as.numeric(rows[[column]]), as.numeric(truth[[column]]))
  }
  expect_equal(data$sources$decimal, decimal)
}
ctr <- truth$clicks / truth$impressions
lines_of <- function(sep = ",", decimal = ".", group = "", dates = format(truth$date),
    percent = FALSE, quote = "",
    header = c("Date", "Query", "Clicks", "Impressions", "CTR", "Position")) {
  number <- function(x) sub(".", decimal,
    formatC(x, format = "f", digits = 2, drop0trailing = TRUE), fixed = TRUE)
  count <- function(x) gsub("(?<=\\d)(?=(\\d{3})+$)", group, sprintf("%d", as.integer(x)),
    perl = TRUE)
  rate <- if (percent) {
    paste0(number(100 * ctr), "%")
  } else {
    sub(".", decimal, format(signif(ctr, 6), scientific = FALSE, trim = TRUE), fixed = TRUE)
  }
  cells <- list(dates, truth$query, count(truth$clicks), count(truth$impressions), rate,
    number(truth$position))
  c(paste(header, collapse = sep),
    do.call(paste, c(lapply(cells, function(x) paste0(quote, x, quote)), sep = sep)))
}
german <- c("Datum", "H\u00e4ufigste Suchanfragen", "Klicks", "Impressionen", "CTR", "Position")

test_that(
  "separators, decimal marks, thousands, percent and quotes are found out by the file itself",
  {
    same(tide_read(csv(lines_of())))
    same(tide_read(csv(lines_of(sep = "\t", percent = TRUE))))
    same(tide_read(csv(lines_of(sep = "|"))))
    same(tide_read(csv(lines_of(quote = "\"", group = ","))))
    same(tide_read(csv(lines_of(sep = ";", decimal = ",", group = ".", percent = TRUE,
      header = german))),
      "comma")
    same(tide_read(csv(lines_of(sep = ";", decimal = ",", group = "\u00a0"))), "comma")
    same(tide_read(csv(lines_of(sep = ",", decimal = ",", quote = "\"", percent = TRUE))), "comma")
  })

test_that("a point for thousands is not taken for a decimal", {
  rows <- tide_read(csv("Suchbegriff;Klicks;Impressionen;Position", "a;1.234;12.000;1,5",
    "b;2.000;30.000;2"))$tables[[1]]$rows
  expect_equal(rows$clicks, c(1234, 2000))
  expect_equal(rows$position, c(1.5, 2))
})

test_that("encodings are told by the bytes", {
  text <- paste0(lines_of(), collapse = "\r\n")
  write <- function(bytes) {
    file <- tempfile(fileext = ".csv")
    writeBin(bytes, file)
    file
  }
  utf8 <- charToRaw(enc2utf8(text))
  same(tide_read(write(c(as.raw(c(0xef, 0xbb, 0xbf)), utf8))))
  same(tide_read(write(iconv(text, "UTF-8", "windows-1252", toRaw = TRUE)[[1]])))
  same(tide_read(write(c(as.raw(c(0xff, 0xfe)),
    iconv(text, "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]]))))
  same(tide_read(write(c(as.raw(c(0xfe, 0xff)),
    iconv(text, "UTF-8", "UTF-16BE", toRaw = TRUE)[[1]]))))
  same(tide_read(write(iconv(text, "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]])))
})

test_that("archives, workbooks and JSON hold the same table", {
  dir <- withr::local_tempdir()
  plain <- file.path(dir, "queries.csv")
  writeLines(enc2utf8(lines_of()), plain, useBytes = TRUE)
  gz <- file.path(dir, "queries.gz")
  con <- gzfile(gz, "wb")
  writeBin(readBin(plain, "raw", 1e5), con)
  close(con)
  same(tide_read(gz))
  rows <- data.frame(Date = format(truth$date), Query = truth$query, Clicks = truth$clicks,
    Impressions = truth$impressions, Position = truth$position)
  jsonlite::write_json(rows, file.path(dir, "rows.json"), digits = NA)
  same(tide_read(file.path(dir, "rows.json")))
  con <- file(file.path(dir, "rows.ndjson"), "w", encoding = "UTF-8")
  jsonlite::stream_out(rows, con, verbose = FALSE, digits = NA)
  close(con)
  same(tide_read(file.path(dir, "rows.ndjson")))
  data <- tide_read(test_path("fixtures", "book.xlsx"))
  same(new <- {
    data$sources <- data$sources[skipped == ""]
    data
  })
  skip_if(!nzchar(Sys.which("zip")), "no zip program")
  writeLines(c("Filter,Value", "Search type,Web"), file.path(dir, "Filters.csv"))
  old <- setwd(dir)
  on.exit(setwd(old))
  utils::zip("all.zip", c("queries.csv", "Filters.csv"), flags = "-q")
  data <- tide_read("all.zip")
  expect_equal(sum(data$sources$skipped == ""), 1)
  expect_match(format(data), "limited to vertical Web", all = FALSE)
  expect_equal(sum(data$tables[[1]]$rows$clicks), sum(truth$clicks))
})

test_that("folders and globs stand for their files", {
  dir <- withr::local_tempdir()
  writeLines(lines_of()[1:3], file.path(dir, "a.csv"), useBytes = TRUE)
  writeLines(lines_of()[c(1, 4:5)], file.path(dir, "b.csv"), useBytes = TRUE)
  writeLines("not a table", file.path(dir, "readme.md"))
  for (input in c(dir, file.path(dir, "*.csv"))) {
    expect_equal(sum(tide_read(input)$tables[[1]]$rows$clicks), sum(truth$clicks))
  }
  expect_error(tide_read(withr::local_tempdir()), "no exports", class = "tide_error_file")
})

test_that("headers of seven languages are understood", {
  headers <- list(c("Query", "Clicks", "Impressions", "Position"),
    c("Suchanfrage", "Klicks", "Impressionen", "Durchschnittliche Position"),
    c("Requ\u00eates les plus fr\u00e9quentes", "Clics", "Impressions", "Position moyenne"),
    c("Consultas principales", "Clics", "Impresiones", "Posici\u00f3n media"),
    c("Query principali", "Clic", "Impressioni", "Posizione media"),
    c("Zoekopdracht", "Klikken", "Vertoningen", "Gemiddelde positie"),
    c("Principais consultas", "Cliques", "Impress\u00f5es", "Posi\u00e7\u00e3o m\u00e9dia"))
  for (header in headers) {
    rows <- tide_read(csv(enc2utf8(paste(header, collapse = ",")), "kale,1,10,2"))$tables$query$rows
    expect_equal(c(rows$clicks, rows$impressions, rows$position), c(1, 10, 2))
  }
  odd <- csv("What people typed,Clicks,Impressions,Position", "kale,1,10,2")
  expect_equal(names(tide_read(odd, columns = c(query = "What people typed"))$tables), "query")
  expect_error(tide_read(odd, columns = c(quary = "What people typed")),
    class = "tide_error_argument")
})

test_that("dates are read in the order the whole column shows", {
  read <- function(dates, ...) {
    file <- csv("date,clicks,impressions,position", paste0(dates, ",1,10,2"))
    tide_read(file, lag = 0, ...)$tables$date$rows$date
  }
  want <- as.IDate(c("2026-03-04", "2026-03-25"))
  for (dates in list(c("2026-03-04", "2026-03-25"), c("4/3/2026", "25/3/2026"),
      c("3/4/2026", "3/25/2026"), c("04.03.2026", "25.03.2026"), c("20260304", "20260325"),
      c("2026/3/4", "2026/3/25"), c("2026-03-04T00:00:00Z", "2026-03-25T00:00:00Z"))) {
    expect_equal(read(dates), want)
  }
  expect_error(read(c("3/4/2026", "5/6/2026")), "mdy", class = "tide_error_date_order")
  expect_equal(read(c("3/4/2026", "5/6/2026"), date_order = "mdy")[2], as.IDate("2026-05-06"))
  expect_equal(read(c("3/4/2026", "5/6/2026"), date_order = "dmy")[2], as.IDate("2026-06-05"))
  expect_error(read(c("13/4/2026", "4/13/2026")), class = "tide_error_not_date")
})

test_that("title lines, blank lines, totals rows and spreadsheet damage are seen through", {
  file <- csv("Performance of fernmoor.example", "", "March, all devices",
    "Query,Clicks,Impressions,CTR,Position", "kale,3,90,3.3%,2", "", "'=leek,2,10,20%,3",
    "2026-03-01,1,10,10%,4", "=\"12\",1,10,10%,4", "Total,7,120,5.8%,2.4")
  data <- tide_read(file)
  rows <- data$tables$query$rows
  expect_equal(as.character(rows$query), c("kale", "=leek", "2026-03-01", "12"))
  expect_equal(data$left_out$reason, "row of totals")
  expect_equal(data$sources$odd_queries, 1)
  kept <- tide_read(csv("Query,Clicks,Impressions,Position", "kale,3,90,2", "total,1,10,2"))
  expect_equal(nrow(kept$tables$query$rows), 2)
})

test_that("queries keep their script and are compared in one Unicode form", {
  same <- c("Caf\u00e9  Seeds", "cafe\u0301 seeds", "CAF\u00c9 SEEDS")
  data <- tide_read(csv("query,clicks,impressions,position",
    enc2utf8(paste0(c(same, "\u6d77\u5e26 \u79cd\u5b50"), ",1,10,2"))))
  summary <- tide_summary(data)
  expect_equal(nrow(summary$queries), 2)
  expect_true("\u6d77\u5e26 \u79cd\u5b50" %in% summary$queries$query)
})

test_that("malformed files give the right table or one clear error, and never crash or warn", {
  head <- "date,query,page,clicks,impressions,ctr,position"
  good <- c("2026-03-01,kale,/a,1,10,0.1,2", "2026-03-02,pea,/b,2,20,0.1,3")
  set.seed(8)
  text <- paste(c(head, good, good), collapse = "\n")
  fuzzed <- lapply(1:40, function(i) {
    bytes <- charToRaw(text)
    at <- sample(length(bytes), 3)
    switch(i %% 4 + 1, bytes[-at], replace(bytes, at, as.raw(sample(1:255, 3))),
      bytes[seq_len(max(at))], c(bytes[seq_len(at[1])], bytes))
  })
  made <- lapply(list("", "\n\n\n", head, paste0(head, "\n"), ",,,\n,,,", "a,b\n1,2", "\"", "{",
    "[]", "[1,2]", "{\"a\":1}", "clicks,impressions,position\n1,2", "PK\003\004garbage",
    "<html><body>log in</body></html>", paste0(head, "\n2026-03-01,\"kale,/a,1,10,0.1,2"),
    gsub(",", ";", text), paste0(text, "\n2026-03-03,x,/c,1e400,10,0.1,2"),
    paste0(text, "\n2026-03-03,x,/c,1,10,0.1,0"), paste0(text, "\n2026-02-30,x,/c,1,10,0.1,2"),
    paste0(text, "\n,x,/c,1,10,0.1,2"), paste0(text, "\n2026-03-03,x,/c,1.5,10,0.1,2")),
    charToRaw)
  binary <- list(as.raw(c(0x1f, 0x8b, 8, 0, 1, 2)), as.raw(0:255), as.raw(c(0xff, 0xfe, 0x41)))
  for (bytes in c(fuzzed, made, binary)) {
    file <- tempfile(fileext = ".csv")
    writeBin(bytes, file)
    expect_silent(result <- tryCatch(tide_read(file, lag = 0), tide_error = identity))
    if (inherits(result, "tide_error")) {
      expect_match(conditionMessage(result), "fix:", fixed = TRUE)
    } else {
      expect_true(all(vapply(result$tables, function(t) {
        all(t$rows$clicks <= t$rows$impressions & t$rows$position >= 1) && !anyNA(t$rows$date)
      }, NA)))
    }
  }
})
