test_that("check tells what is held, how complete it is, and each problem with its mending", {
  store <- tide_store(withr::local_tempdir())
  expect_equal(format(tide_check(store)), "The archive is empty.")
  clicks <- replace(rep(100, 60), 30, 900)
  tide_load(store, export(rows_of(setdiff(0:59, 40:42), clicks[-(41:43)])), exported = "2026-05-01")
  first <- tide_check(store)
  expect_setequal(first$problems$problem,
    c("days missing", "days far from their neighbours", "no totals without queries"))
  expect_match(first$problems$where[first$problems$problem == "days missing"],
    "2026-04-10 to 2026-04-12")
  expect_match(first$problems$where[first$problems$problem == "days far from their neighbours"],
    "2026-03-30")
  tide_load(store, csv("date,clicks,impressions,position",
    sprintf("%s,%d,9000,4", format(as.IDate("2026-03-01") + 0:59), 2 * clicks)),
    exported = "2026-05-01")
  second <- tide_check(store)
  expect_equal(second$coverage$clicks, rep(0.5, 2))
  expect_false("no totals without queries" %in% second$problems$problem)
})

test_that("check remarks on spellings of pages and brand, and on a sudden change of rows", {
  store <- tide_store(withr::local_tempdir())
  pages <- c("https://www.fernmoor.example/a/", "http://fernmoor.example/a#x",
    "https://www.fernmoor.example/b/")
  rows <- CJ(day = 0:59, q = 1:40)[day < 30 | q <= 15]
  rows[, query := ifelse(q == 1, "fernmoor", ifelse(q == 2, "fernmor", paste("query", q)))]
  tide_load(store, export(rows[, sprintf("%s,%s,%s,%d,100,%d", format(as.IDate("2026-03-01") + day),
    query, pages[1 + (q > 2) * (q %% 3)], ifelse(q < 15, 5, 0), 1 + q %% 3)]),
    exported = "2026-05-01")
  found <- tide_check(store, brand = "fernmoor")$problems
  expect_match(found[problem == "sudden change of the number of rows"]$where,
    "about 2026-(03-3[01]|04-01)$")
  remarks <- found[weight == "remark"]
  expect_setequal(remarks$problem, c("http and https mixed", "addresses with and without www mixed",
    "addresses that fold together", "spellings that the brand words miss"))
  expect_match(remarks[problem == "spellings that the brand words miss"]$where, "fernmor")
})

test_that("runs of days are told shortly", {
  skip_unless_studies()
  day <- as.integer(as.IDate("2026-03-01"))
  expect_equal(inktide:::day_runs(day + c(0, 1, 2, 5)), "2026-03-01 to 2026-03-03, 2026-03-06")
  expect_match(inktide:::day_runs(day + seq(0, 20, 2)), "and 7 more$")
})
