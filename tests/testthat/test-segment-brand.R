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
  found <- inktide:::brand_spellings(tide_summary(data), "fernmoor")
  expect_setequal(found$word, c("fernmor", "frenmoor", "fernmoors catalogue"[0]))
  expect_equal(found$shared, c(1, 1))
  expect_equal(found[word == "frenmoor"]$edits, 1L)
})

test_that("short names, and sites where all queries are the brand's, have spellings too, or none", {
  for (host in c("a", "ab", "abc", "abcd", "abcde")) {
    for (rest in list(NULL, "socks,https://abc.example/s,1,30,7")) {
      file <- csv("query,page,clicks,impressions,position",
        sprintf("%s,https://%s.example/,50,100,1", c(host, paste(host, "shoes")), host), rest)
      brand <- tide_init(tide_read(file))$brand
      expect_true(host %in% brand$word)
      expect_equal(nrow(inktide:::brand_spellings(tide_summary(tide_read(file)), host)), 0)
    }
  }
})
