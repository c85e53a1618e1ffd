test_that("unusual days are named for what they look like, and can be left out", {
  rows <- paged(days = 90)
  day <- function(n) as.IDate("2026-01-01") + n
  rows[date == day(40), clicks := 0L]
  rows[date %in% day(60:61), impressions := impressions * 4L]
  rows[date == day(75), c("clicks", "impressions") := list(clicks * 3L, impressions * 3L)]
  odd <- tide_unusual(as_data(rows[date != day(50)]))
  expect_equal(odd$what, c("clicks missing", "no rows", "seen, not clicked", "surge"))
  expect_equal(odd$from, day(c(40, 50, 60, 75)))
  expect_equal(odd$days, c(1L, 1L, 2L, 1L))
  kept <- tide_filter(as_data(rows), without = odd)
  expect_equal(sum(kept$left_out$rows), sum(rows$date %in% day(c(40, 50, 60, 61, 75))))
  # Of how many quiet series of 120 days anything is told: of a site, and of single queries.
  told <- function(clicks, impressions, spread) {
    mean(vapply(1:20, function(seed) {
      set.seed(seed)
      nrow(inktide:::unusual_runs(data.table::data.table(date = day(1:120),
        clicks = rnbinom(120, mu = clicks, size = spread),
        impressions = rnbinom(120, mu = impressions, size = spread)),
        1L)) > 0
    }, NA))
  }
  expect_lt(told(60, 2000, 30), 0.15)
  for (usual in c(2, 5, 9)) expect_lt(told(usual / 10, usual, 1e6), 0.15, label = usual)
})
