# Pages of a made-up site by day: page 1 to 3 change at day 57 by the given factors.
paged <- function(seed = 1, days = 112, clicks = 1, position = 1, demand = 1, pages = 40) {
  set.seed(seed)
  d <- data.table::CJ(page = seq_len(pages), day = seq_len(days))
  later <- d$page <= 3 & d$day > 56
  home <- 1 + d$page %% 5
  at <- pmin(20, ifelse(later, home * position, home))
  impressions <- rpois(nrow(d), 120 * exp(rnorm(pages, 0, 0.4))[d$page] *
    (1 + 0.3 * sin(d$day / 30)) * ifelse(later, demand, 1)) + 1L
  rate <- approx(seq_along(made_curve), made_curve, at, rule = 2)$y * ifelse(later, clicks, 1)
  data.table::data.table(date = as.IDate("2026-01-01") + d$day, query = sprintf("query %d", d$page),
    page = sprintf("https://www.fernmoor.example/%s/p%d/", ifelse(d$page <= 3, "a", "b"), d$page),
    clicks = rbinom(nrow(d), impressions, pmin(0.9, rate)), impressions = impressions,
    position = at)
}

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
  quiet <- vapply(1:20, function(seed) {
    set.seed(seed)
    nrow(inktide:::unusual_runs(data.table::data.table(date = day(1:120),
      clicks = rnbinom(120, mu = 60, size = 30), impressions = rnbinom(120, mu = 2000, size = 30)),
      1L))
  }, 0L)
  expect_lt(mean(quiet > 0), 0.15)
})
