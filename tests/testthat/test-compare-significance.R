test_that("a change counts against no change and against the site's, by the larger p-value", {
  # By hand, Student's t: 0.6 off none and 0.2 off the site's 0.4, noise 0.01 and wavering 0.03.
  found <- inktide:::test_both_ways(0.6, 0.01, 0.4, list(variance = 0.03, df = 10))
  expect_equal(found$p, 2 * stats::pt(-0.2 / 0.2, 10))
  still <- inktide:::test_both_ways(0, 0.01, 0.4, list(variance = 0.03, df = 10))
  expect_equal(still$p, 1)
})

test_that("a page that falls far more than the site is significant, whatever seasons do", {
  set.seed(9)
  pages <- 60
  d <- data.table::CJ(id = 1:pages, day = 1:180)
  # The site falls by half; each page by its own measure around that, as seasons of kinds do.
  fall <- exp(rnorm(pages, log(0.5), 0.35))
  fall[1] <- 0.3
  weekly <- c(470 / 4, rep(20, pages - 1))
  impressions <- rpois(nrow(d), (weekly[d$id] / 7 / 0.2) * ifelse(d$day > 90, fall[d$id], 1))
  rows <- data.table::data.table(date = as.IDate("2026-01-01") + d$day,
    query = sprintf("kind%d", d$id), page = sprintf("https://www.fernmoor.example/p%d/", d$id),
    clicks = rbinom(nrow(d), impressions, 0.2), impressions = impressions, position = 3)
  moves <- tide_compare(as_data(rows[impressions > 0]), by = "page", days = 90)$moves
  expect_equal(moves$name[1], "https://www.fernmoor.example/p1/")
  expect_true(moves$real[1])
  # Significant ones first, the largest of them first.
  expect_false(is.unsorted(-moves$real))
  expect_false(is.unsorted(-abs(moves$change[moves$real])))
})
