test_that("views by page, query, folder and topic add up to the list", {
  found <- demo()$found
  for (by in c("page", "query", "folder", "topic")) {
    view <- tide_group(found, by)
    expect_equal(sum(view$gain), sum(found$findings$gain))
    expect_equal(sum(view$findings), nrow(found$findings))
    expect_equal(sum(view$hours), sum(found$findings$hours))
  }
  day <- tide_choose(found, budget = 8)$findings
  expect_lte(sum(day$hours), 8)
  expect_true(all(table(tide_choose(found, per_page = 2)$findings$page) <= 2))
})

test_that("independent gains add in squares, those that share an assumption in full", {
  of <- function(...) inktide:::total_gain(rbind(...))
  low <- of(finding("low_ctr", 10, 1L, low = 7, high = 13),
    finding("low_ctr", 20, 2L, low = 16, high = 24))
  expect_equal(unlist(low), c(gain = 30, low = 25, high = 35))
  near <- of(finding("striking_distance", 10, 1L, low = 7, high = 13),
    finding("striking_distance", 20, 2L, low = 16, high = 24))
  expect_equal(unlist(near), c(gain = 30, low = 23, high = 37))
})
