test_that("the inventory's figures are sums of the rows, by whatever a row stands for", {
  rows <- made_site(queries = 60, days = 60)[, "device" := c("mobile", "desktop")[1 + clicks %% 2]]
  rows[, "country" := "prt"]
  data <- as_data(rows)
  for (by in setdiff(names(inktide:::line_kinds), c("vertical", "rich_result", "modifier"))) {
    listed <- tide_inventory(data, by = by)
    expect_equal(sum(listed$rows$clicks), sum(rows$clicks), label = by)
    expect_equal(sum(listed$rows$impressions), sum(rows$impressions), label = by)
    expect_equal(listed$rows$ctr, listed$rows$clicks / listed$rows$impressions, label = by)
    expect_true(all(nchar(format(listed), "width") <= 80), label = by)
  }
  queries <- tide_inventory(data, brand = "0004")$rows
  own <- rows[query == "query 0010"]
  line <- queries[query == "query 0010"]
  expect_equal(line$position, sum(own$position * own$impressions) / sum(own$impressions))
  expect_equal(c(line$first, line$last), range(own$date))
  expect_equal(line$pages, length(unique(own$page)))
  expect_equal(queries[query == "query 0004"]$segment, "brand")
  expect_false(is.unsorted(-queries$clicks))
  # Expected clicks are those of the curve, so of all queries they are near the clicks.
  expect_equal(sum(queries$expected_ctr * queries$impressions), sum(rows$clicks), tolerance = 0.1)
  # Eight whole weeks: none before the data begin.
  weekly <- tide_inventory(data)$weekly
  expect_equal(ncol(weekly), 8)
  expect_equal(sum(weekly), sum(rows$clicks[rows$date > max(rows$date) - 56]))
  expect_error(tide_inventory(data, by = "vertical"), class = "tide_error_grain")
  expect_error(tide_inventory(data, sort = "clickz"), class = "tide_error_argument")
  # What is sorted by is seen.
  for (of in c("missed", "ratio", "characters")) {
    sorted <- tide_inventory(data, by = "query", sort = of)
    expect_match(format(sorted), paste0(" ", column_words(of, "short")), all = FALSE)
  }
})

test_that("windows of any length stand on one row and sort it; pages have their leading queries", {
  rows <- made_site(queries = 60, days = 60)
  data <- as_data(rows)
  last <- max(rows$date)
  rising <- function(...) tide_inventory(data, ..., decreasing = FALSE)$rows
  expect_false(is.unsorted(rising()$clicks))
  expect_false(is.unsorted(rising(by = "day")$day))
  listed <- tide_inventory(data, windows = c(7, 14), sort = "change_14", decreasing = FALSE)$rows
  expect_false(is.unsorted(listed$change_14))
  own <- rows[query == listed$query[1]]
  expect_equal(listed$clicks_14[1], sum(own$clicks[own$date > last - 14]))
  expect_equal(listed$change_14[1], sum(own$clicks[own$date > last - 14]) -
    sum(own$clicks[own$date <= last - 14 & own$date > last - 28]))
  pages <- tide_inventory(data, by = "page", lead = 2)
  top <- pages$rows$page[1]
  beneath <- pages$beneath[page == top]
  by_hand <- rows[page == top, .(clicks = sum(clicks)), by = "query"][order(-clicks)][1:2]
  expect_equal(beneath$query, as.character(by_hand$query))
  expect_equal(beneath$clicks, by_hand$clicks)
  expect_match(paste(format(pages), collapse = "\n"), beneath$query[1], fixed = TRUE)
})

test_that("the program lists, sorts and writes the inventory, with facts and coverage", {
  dir <- withr::local_tempdir()
  rows <- made_site(queries = 60, days = 60)
  fwrite(rows, file.path(dir, "a.csv"))
  fwrite(rows[, .(clicks = 2 * sum(clicks), impressions = 2 * sum(impressions), position = 4),
    by = "date"],
    file.path(dir, "days.csv"))
  writeLines(c("query,volume", "query 0010,700"), file.path(dir, "volumes.csv"))
  run <- function(...) program("list", "a.csv", "days.csv", "--lag", "0", "--quiet", ..., dir = dir)
  listed <- fread(text = run("--facts", "volumes.csv", "--format", "csv")$out)
  expect_equal(listed[query == "query 0010"]$volume, 700)
  expect_match(gsub(" +", " ", paste(run("--top", "3")$out, collapse = " ")),
    "coverage: 50% of the site's clicks")
  brand <- paste(run("--by", "modifier", "--brand", "query 00", "--top", "2")$out, collapse = " ")
  expect_match(brand, "words with the brand")
  days <- fread(text = run("--by", "day", "--format", "csv")$out)
  expect_equal(sum(days$clicks), 2 * sum(rows$clicks))
  expect_equal(run("--by", "colour")$status, 2)
  expect_equal(run("--sort", "colour")$status, 2)
  expect_equal(run("--by", "page", "--lead", "2", "--format", "xlsx", "--out", "l.xlsx")$status, 0)
  expect_equal(readxl::excel_sheets(file.path(dir, "l.xlsx")),
    c("By page", "Leading queries", "About"))
})

test_that("the report has the inventory to sort and search, with its own figures", {
  skip_unless_studies()
  data <- as_data(made_site(queries = 60, days = 60))
  found <- tide_find(tide_summary(data))
  listed <- tide_inventory(data, curve = found$curve)
  file <- withr::local_tempfile(fileext = ".html")
  tide_report(found, file, inventory = listed)
  html <- paste(readLines(file, encoding = "UTF-8"), collapse = "")
  section <- regmatches(html, regexpr("<section id='inventory'>.*?</section>", html, perl = TRUE))
  expect_match(section,
    sprintf("60 queries, .*: %s clicks", inktide:::format_count(sum(listed$rows$clicks))))
  expect_equal(lengths(regmatches(section, gregexpr("aria-expanded", section))), 60)
  top <- listed$rows[1]
  expect_match(section,
    sprintf("%s</button>.*?>%s</td>", top$query, format(top$clicks, big.mark = ",")))
  expect_error(tide_report(found, file, inventory = tide_inventory(data, by = "page")),
    class = "tide_error_argument")
})

test_that("what stands beside the brand is listed, with its page and whether that names it", {
  keys <- c("fernmoor price", "price of fern moor kale", "kale fernmoor", "fernmoor", "ab kits",
    "table", "c++ fernmoor-shop")
  expect_equal(inktide:::brand_modifiers(keys, c("fernmoor", "ab")),
    c("price", "price of kale", "kale", "", "kits", "table", "c++"))
  rows <- rbind(made_site(queries = 60, days = 60),
    data.table(date = rep(as.IDate("2026-01-02") + 0:59, each = 3),
      query = c("fernmoor price", "price fernmoor", "fernmoor kale"),
      page = paste0("https://www.fernmoor.example/", c("prices/", "prices/", "")),
      clicks = c(3L, 1L, 2L), impressions = 10L, position = c(1, 1, 2)))
  listed <- tide_inventory(as_data(rows), by = "modifier", brand = "fernmoor", windows = 14)
  expect_equal(listed$rows$modifier, c("price", "kale"))
  expect_equal(listed$rows$clicks, c(4, 2) * 60)
  expect_equal(listed$rows$queries, c(2, 1))
  expect_equal(listed$rows$own_page, c(TRUE, FALSE))
  expect_equal(listed$rows$change_14, c(0, 0))
  expect_equal(listed$total$clicks, 6 * 60)
  expect_error(tide_inventory(as_data(rows), by = "modifier"), class = "tide_error_nothing_left")
  # A page of its own that the home page outranks is there.
  behind <- rbind(rows, data.table(date = as.IDate("2026-01-02"), query = "fernmoor kale",
    page = "https://www.fernmoor.example/shop/kale/", clicks = 1L, impressions = 10L,
    position = 2))
  kale <- tide_inventory(as_data(behind), by = "modifier", brand = "fernmoor")
  expect_equal(kale$rows$own_page, c(TRUE, FALSE))
  expect_equal(kale$rows$named_page, paste0("https://www.fernmoor.example/", c("prices/",
    "shop/kale/")))
  expect_match(format(kale), "exists, / leads", all = FALSE)
  # Of any word: what stands with it, brand or not.
  with_price <- tide_inventory(as_data(rows), by = "modifier", of = "price", brand = "fernmoor")
  expect_equal(with_price$rows$modifier, "fernmoor")
  expect_equal(with_price$rows$queries, 2)
  expect_error(tide_inventory(as_data(rows), by = "modifier", of = "turnip"),
    class = "tide_error_nothing_left")
  # A title that has the brand is not told to take it in.
  summary <- tide_summary(as_data(rows), brand = "fernmoor")
  facts <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("page,title", "https://www.fernmoor.example/,Fern Moor Seeds"), facts)
  summary <- tide_enrich(summary, tide_facts(facts))
  at <- data.table(query = match(c("fernmoor kale", "fernmoor price"), summary$queries$query),
    page = match("https://www.fernmoor.example/", summary$pages$page))
  expect_equal(inktide:::words_to_say(summary, at), c("kale", "price"))
  at$page <- match("https://www.fernmoor.example/prices/", summary$pages$page)
  expect_equal(inktide:::words_to_say(summary, at), c("fernmoor kale", "fernmoor price"))
})

test_that(
  "trends that came with volumes are small lines; a narrow terminal loses columns, not rows",
  {
    rows <- made_site(queries = 30, days = 60)
    facts <- withr::local_tempfile(fileext = ".csv")
    writeLines(c("query,volume,trend", "query 0001,700,\"1,2,8\""), facts)
    listed <- tide_inventory(as_data(rows), windows = c(7, 14), facts = tide_facts(facts))
    wide <- paste(format(listed, n = 40, width = 130), collapse = "\n")
    expect_match(wide, "query 0001.*700 +\u2581\u2582\u2588")
    narrow <- format(listed, n = 40, width = 80)
    expect_false(any(grepl("searches", narrow)))
    expect_lte(max(nchar(narrow)), 80)
  })

test_that("what is expected hangs on no filter; lost is against a place or a CTR of one's own", {
  file <- tide_example()[["pairs"]]
  listed <- function(...) {
    fread(text = program("list", file, "--brand", "none", "--format", "csv", "--quiet", ...)$out)
  }
  whole <- listed("--target", "3")
  some <- listed("--query", "pea", "--target", "3")
  own <- whole[match(some$query, whole$query)]
  expect_gt(nrow(some), 3)
  expect_equal(some$expected_ctr, own$expected_ctr)
  expect_equal(some$lost, own$lost)
  at_three <- predict(tide_curve(tide_summary(tide_read(file))), 3)$ctr
  expect_equal(whole$lost, whole$impressions * at_three - whole$clicks)
  expect_equal(whole$missed, pmax(0, whole$expected_ctr * whole$impressions - whole$clicks))
  expect_equal(listed("--target-ctr", "0.25")$lost, whole$impressions / 4 - whole$clicks)
  expect_equal(listed("--by", "Keywords")$query, whole$query)
})

test_that("a data frame is read as a file is", {
  rows <- data.frame(Query = c("kale", "leek"), Clicks = c("1,200", "30"),
    Impressions = c(9000, 400), Position = c(2.1, 4))
  expect_equal(tide_read(rows)$tables[[1]]$rows$clicks, c(1200, 30))
})

test_that("pages of a table of their own have their private queries in", {
  pairs <- data.table::fread(tide_example()[["pairs"]])
  data.table::setnames(pairs, tolower(names(pairs)))
  pages <- pairs[, list(clicks = sum(clicks), impressions = sum(impressions),
    position = sum(position * impressions) / sum(impressions)), by = c("date", "page")]
  listed <- function(pages, ...) {
    files <- file.path(tempfile(), c("pairs.csv", "pages.csv"))
    dir.create(dirname(files[1]))
    data.table::fwrite(pairs, files[1])
    data.table::fwrite(pages, files[2])
    tide_inventory(tide_read(files), brand = "fernmoor", windows = 14, ...)
  }
  for (by in c("page", "folder")) {
    alone <- tide_inventory(tide_read(tide_example()[["pairs"]]), by = by, brand = "fernmoor",
      windows = 14)
    same <- listed(pages, by = by)
    # Where nothing is private, a table of pages changes no figure.
    expect_equal(same$rows, alone$rows, tolerance = 1e-6)
    expect_equal(same$queries_known, 1)
    expect_equal(same$total$lost, alone$total$lost, tolerance = 1e-6)
  }
  # Private impressions at a place are what a query there would be expected to have.
  more <- data.table::copy(pages)
  more[, c("clicks", "impressions", "position") := list(clicks + 1L, impressions + 20L,
    (position * impressions + 20 * 4) / (impressions + 20))]
  private <- listed(more, by = "page", lead = 1)
  known <- listed(pages, by = "page")$rows
  known <- known[match(inktide:::page_key(private$rows$page), inktide:::page_key(known$page))]
  # Addresses that are one page are one here, too.
  key <- inktide:::page_key
  days <- more[date <= private$to, .N, by = list(page = key(page))]
  expect_equal(private$rows$clicks, known$clicks + days$N[match(key(known$page), days$page)])
  added <- private$rows$expected_ctr * private$rows$impressions -
    known$expected_ctr * known$impressions
  of_curve <- predict(tide_curve(tide_summary(tide_read(tide_example()[["pairs"]]),
    brand = "fernmoor")), 4)$ctr[1]
  expect_equal(added / (private$rows$impressions - known$impressions),
    rep(of_curve, length(added)), tolerance = 0.15)
  expect_equal(private$rows$queries, known$queries)
  expect_lt(private$queries_known, 1)
  expect_true(all(private$beneath$clicks <= max(known$clicks)))
  # A table of pages that lacks some is cut: rows with queries stay what is listed.
  cut <- listed(more[key(page) != key(known$page[1])], by = "page")
  expect_null(cut$queries_known)
  expect_setequal(key(cut$rows$page), key(known$page))
})
