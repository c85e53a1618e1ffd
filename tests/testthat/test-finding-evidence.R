# A query on a page of its own, the same every day of the last so many days.
with_newcomer <- function(rows, days) {
  last <- max(rows$date)
  rbind(rows, data.table(date = last - seq_len(days) + 1L, query = "newcomer",
    page = "https://www.fernmoor.example/new/", clicks = 1L, impressions = 60L, position = 3),
    use.names = TRUE)
}

test_that("a young page is judged on its life so far, as an old one with the same days is", {
  rows <- made_site(queries = 200, days = 90)
  found <- function(days) {
    listed <- tidy(tide_find(tide_summary(as_data(with_newcomer(rows, days)))))
    listed[listed$query == "newcomer" & listed$kind == "low_ctr", ]
  }
  old <- found(90)
  young <- found(20)
  expect_equal(nrow(young), 1)
  expect_equal(young$if_done / old$if_done, 1, tolerance = 0.1)
  expect_match(young$reason, "The page was first seen on .*: judged on its 20 days so far.")
  expect_false(grepl("first seen", old$reason))
  # Seldom seen is not young, nor is what came a few days ago.
  expect_false(any(grepl("first seen", found(5)$reason)))
  seldom <- rbind(rows, data.table(date = max(rows$date) - c(0, 30), query = "newcomer",
    page = "https://www.fernmoor.example/new/", clicks = 0L, impressions = 1L, position = 3))
  young <- inktide:::young_days(tide_summary(as_data(seldom)))
  expect_true(all(is.na(unlist(young))))
  expect_true(all(vapply(young, is.double, NA)))
})

test_that("the first day is the same whether months are read together or one by one", {
  skip_if_not_installed("nanoparquet")
  rows <- with_newcomer(made_site(queries = 80, days = 90), 20)
  store <- tide_store(withr::local_tempdir())
  file <- csv("x")
  fwrite(rows, file)
  tide_load(store, file, exported = "2027-01-01")
  whole <- tide_summary(tide_stored(store, lag = 0))
  months <- tide_summary(tide_stored(store, lag = 0, by_month = TRUE, at_once = 1000))
  first <- function(summary) summary$queries[order(query), c("query", "first")]
  expect_equal(first(months), first(whole))
  expect_equal(whole$queries[query == "newcomer"]$first, max(rows$date) - 19L)
  expect_equal(whole$pages[grepl("new/", page)]$first, max(rows$date) - 19L)
})
