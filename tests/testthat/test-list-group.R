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

finding <- function(kind, gain, claims, confidence = 0.9, low = gain / 2, high = gain * 2,
    work = paste(kind, claims[1])) {
  data.table(kind = kind, query = paste(kind, gain), page = "/a", pages = "/a", clicks = 1,
    impressions = 10, ctr = 0.1, position = 5, expected_ctr = 0.2, gain = gain, gain_low = low,
    gain_high = high, confidence = confidence, action = "Do.", reason = "Because.",
    claims = list(claims), identity = paste(kind, paste(claims, collapse = "-")), work = work,
    how = list("by hand"),
    hours = c(low_ctr = 1, striking_distance = 4, cannibalized = 3, falling = 2)[[kind]])
}

test_that("independent gains add in squares, those that share an assumption in full", {
  of <- function(...) inktide:::total_gain(rbind(...))
  low <- of(finding("low_ctr", 10, 1L, low = 7, high = 13),
    finding("low_ctr", 20, 2L, low = 16, high = 24))
  expect_equal(unlist(low), c(gain = 30, low = 25, high = 35))
  near <- of(finding("striking_distance", 10, 1L, low = 7, high = 13),
    finding("striking_distance", 20, 2L, low = 16, high = 24))
  expect_equal(unlist(near), c(gain = 30, low = 23, high = 37))
})
