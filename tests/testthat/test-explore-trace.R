day <- function(i) as.IDate("2026-03-01") + i
rows <- rbind(data.table(date = day(0:27), query = "kale seeds",
  page = "https://www.fernmoor.example/shop/kale/", clicks = rep(c(5, 1), each = 14),
  impressions = 50, position = 4),
  data.table(date = day(0:27), query = "Kale Seeds",
    page = "https://www.fernmoor.example/guides/kale#sow", clicks = rep(c(1, 3), each = 14),
    impressions = 20, position = 9),
  data.table(date = day(7:27), query = "grow kale",
    page = "https://www.fernmoor.example/guides/kale/", clicks = 2, impressions = 30,
    position = 12))
data <- as_data(rows)

test_that("a query gives its pages, with shares, bands and who led when", {
  traced <- tide_trace(data, "KALE  seeds")
  expect_equal(traced$kind, "query")
  expect_equal(basename(traced$rows$page), c("kale", "kale"))
  expect_equal(traced$rows$clicks, c(84, 56))
  expect_equal(traced$rows$share, c(0.6, 0.4))
  expect_equal(traced$rows$band, c("1-3", "4-10")[c(2, 2)])
  expect_equal(traced$rows$weeks_led, c(2L, 2L))
  expect_equal(traced$total$clicks, 140)
  # The query is one impression a day, at the place of its first page.
  both <- as.data.table(traced$rows)
  expect_lt(traced$total$impressions, sum(both$impressions))
  expect_gte(traced$total$impressions, max(both$impressions))
  expect_equal(traced$total$position, 4)
})

test_that("a page in any spelling gives its queries, each with its own weeks", {
  for (name in c("https://www.fernmoor.example/guides/kale/",
      "http://fernmoor.example/guides/kale#x", "/guides/kale")) {
    traced <- tide_trace(data, name)
    expect_equal(traced$rows$query, c("kale seeds", "grow kale"))
    expect_equal(traced$rows$weeks, c(4L, 3L))
  }
  text <- format(traced)
  bars <- sub(".*[0-9+]  ", "", text[grepl("eeds|grow", text)][1:2])
  expect_equal(nchar(bars), c(4, 4))
  expect_match(bars[2], "^ ")
  expect_true(all(nchar(text, "width") <= 80))
})

test_that("what is not held is answered with the nearest names", {
  expect_error(tide_trace(data, "kale sedes"), "Kale Seeds|kale seeds", class = "tide_error_trace")
  expect_error(tide_trace(as_data(rows[, !c("page", "query")]), "kale seeds"),
    class = "tide_error_grain")
  run <- program("trace", "radish spacing", tide_example()[["pairs"]], "--format", "csv", "--quiet")
  expect_equal(run$status, 0)
  expect_equal(names(fread(text = run$out))[1:8],
    c("query", "page", "clicks", "impressions", "ctr", "position", "share", "band"))
  expect_equal(program("trace", "zzz", tide_example()[["pairs"]])$status, 1)
})

test_that("who names a folder as if it were a page is told how folders are named", {
  data <- tide_read(tide_example()[["pairs"]])
  expect_error(tide_trace(data, "/guides/"), "'/guides/\\*'", class = "tide_error_trace")
})

test_that("weeks in the lead are the same in a trace and in the report", {
  made <- demo()
  summary <- made$summary
  queries <- unique(summary$contested$query)
  busy <- head(queries[order(
    -summary$pairs[, .(n = sum(impressions)), by = "query"][match(queries, query)]$n)],
    5)
  recent <- as_data(made$site$daily[date >= summary$recent$from & date <= summary$recent$to])
  for (code in busy) {
    traced <- tide_trace(recent, summary$queries$query[code])$rows
    pages <- match(inktide:::page_key(traced$page), summary$pages$key)
    expect_equal(traced$weeks_led, inktide:::led_weeks(summary, code, pages))
  }
})

test_that("with brand words a trace says what is of the brand", {
  data <- tide_read(tide_example()[["pairs"]])
  rows <- data$tables[[1]]$rows
  rules <- tide_rules(brand = "fernmoor")
  brand <- function(what) tide_trace(data, what, rules = rules)
  expect_true(brand("fernmoor garlic")$brand)
  expect_match(format(brand("radish spacing")), "not a brand query", all = FALSE)
  site <- brand("/*")
  expect_equal(site$brand, rows[grepl("fern ?moor", query), sum(clicks)])
  expect_match(format(site), "^brand queries: 1,692 of the clicks \\(55%\\)", all = FALSE)
  expect_null(tide_trace(data, "/*")$brand)
})

test_that("tables by page or by query alone are traced by their own rows", {
  pages <- tempfile(fileext = ".csv")
  days <- as.character(seq(as.Date("2026-09-01"), by = 1, length.out = 28))
  site <- c("https://www.fernmoor.example/shop/kale/", "https://www.fernmoor.example/shop/pea/")
  rows <- data.table::CJ(date = days, page = site)
  rows[, c("clicks", "impressions", "position") := list(rep(2:1, 28), 50L, 4)]
  data.table::fwrite(rows, pages)
  own <- tide_read(pages)
  own$tables[[1]] <- as_data(rows[, date := as.Date(date)])$tables[[1]]
  one <- tide_trace(own, "/shop/kale/", rules = tide_rules(brand = "x"))
  expect_equal(one$total$clicks, 56)
  expect_equal(one$weekly$clicks, rep(14, 4))
  expect_null(one$brand)
  expect_null(one$site)
  folder <- tide_trace(own, "/shop/*")
  expect_equal(folder$rows$clicks, c(56, 28))
  expect_null(folder$rows[["queries"]])
  queries <- tempfile(fileext = ".csv")
  writeLines(c("query,clicks,impressions,position", "kale seeds,40,900,3.4", "pea,10,800,4.5"),
    queries)
  expect_equal(tide_trace(tide_read(queries), "kale seeds")$total$impressions, 900)
  run <- program("trace", "/shop/kale/", pages)
  expect_equal(run$status, 0)
  expect_match(run$out, "(all queries)", fixed = TRUE, all = FALSE)
})
