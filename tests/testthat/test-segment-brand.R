test_that("brand words match joined and spaced, short ones only alone", {
  queries <- c("fernmoor seeds", "fern moor seeds", "fern-moor", "kale", "fm seeds", "film seeds")
  expect_equal(inktide:::is_brand(queries, "Fernmoor"), c(TRUE, TRUE, TRUE, FALSE, FALSE, FALSE))
  expect_equal(inktide:::is_brand(queries, "fm"), c(FALSE, FALSE, FALSE, FALSE, TRUE, FALSE))
})

rows <- data.table(
  date = as.IDate("2026-03-01") + 0:5,
  query = c("how to grow kale", "kale seeds", "buy kale seeds", "Fernmoor kale", "best pea seeds",
    "pea"),
  page = paste0("https://www.fernmoor.example",
    c("/guides/kale/", "/shop/kale/", "/shop/kale/", "/", "/shop/pea/", "/guides/pea/")),
  device = c("mobile", "desktop"),
  clicks = c(5, 4, 3, 50, 2, 1),
  impressions = c(100, 50, 40, 100, 30, 500),
  position = c(4.5, 3, 12, 1, 9, 25))

data <- as_data(rows)

test_that("spellings of the brand are found with their evidence, other words are not", {
  queries <- c("fernmoor", "fernmoor seeds", "fernmor", "fren moor", "fernmoors catalogue",
    "fern seeds", "moor", "farmdoor")
  pages <- c(1, 1, 1, 1, 1, 2, 2, 3)
  data <- as_data(data.table(query = queries,
    page = sprintf("https://www.fernmoor.example/%d/", pages), clicks = 10, impressions = 50,
    position = 1.5))
  summary <- tide_summary(data)
  found <- inktide:::brand_spellings(summary$queries$key, inktide:::reduce_pairs(summary$cells),
    summary$pages$page, "fernmoor")
  expect_true(all(found$sure))
  # What the summary counts as brand is the same, but for words given as they are.
  brand <- function(...) {
    all <- tide_summary(data, brand = ...)
    all$queries$query[all$queries$segment == "brand"]
  }
  expect_setequal(brand("fernmoor"), setdiff(queries, c("fern seeds", "moor", "farmdoor")))
  expect_setequal(brand(I("fernmoor")), c("fernmoor", "fernmoor seeds", "fernmoors catalogue"))
  expect_match(format(tide_summary(data, brand = "fernmoor")),
    "also counted as brand: fernmor, frenmoor (2 spellings, 20 clicks)", fixed = TRUE, all = FALSE)
  kept <-
    tide_filter(data, segments = tide_segment("own", brand = TRUE), rules = tide_rules("fernmoor"))
  expect_setequal(kept$tables[[1]]$rows$query, brand("fernmoor"))
  expect_setequal(found$word, c("fernmor", "frenmoor", "fernmoors catalogue"[0]))
  expect_equal(found$shared, c(1, 1))
  expect_equal(found[word == "frenmoor"]$edits, 1L)
})

test_that("short names, and sites where all queries are the brand's, have spellings too, or none", {
  skip_unless_studies()
  for (host in c("a", "ab", "abc", "abcd", "abcde")) {
    for (rest in list(NULL, "socks,https://abc.example/s,1,30,7")) {
      file <- csv("query,page,clicks,impressions,position",
        sprintf("%s,https://%s.example/,50,100,1", c(host, paste(host, "shoes")), host), rest)
      brand <- tide_init(tide_read(file))$brand
      expect_true(host %in% brand$word)
      expect_equal(NROW(tide_summary(tide_read(file), brand = host)$spellings), 0)
    }
  }
})

test_that("diacritics left out or in two letters, and swapped letters, are no difference",
  {
    close <- function(words, brand) inktide:::close_words(words, brand)
    found <- close(c("gartnerei", "gaertnerei", "gärtneri", "garten", "gätrnerei"), "gärtnerei")
    expect_equal(found$word, c("gartnerei", "gaertnerei", "gärtneri", "gätrnerei"))
    expect_equal(found$edits, c(0L, 0L, 1L, 1L))
    expect_equal(close(c("grun", "gruen", "gran"), "grün")$word, c("grun", "gruen"))
  })

test_that(
  "where no brand is named, the word that searches for the house hold is named; a crop is not",
  {
    site <- data.table(query = c("hallam", "hallam seeds", "kale seeds", "bean seeds"),
      page = paste0("https://www.fernmoor.example/", c("", "", "kale/", "bean/")),
      clicks = c(50, 20, 9, 8), impressions = c(90, 40, 300, 280), position = c(1, 1, 5, 6))
    expect_equal(inktide:::likely_brand(tide_summary(as_data(site)))$word, "hallam")
    expect_null(inktide:::likely_brand(tide_summary(as_data(site[3:4]))))
    expect_match(format(tide_init(as_data(site))), "hallam (perhaps)", fixed = TRUE, all = FALSE)
  })
