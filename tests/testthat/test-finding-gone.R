test_that("a page is the less likely there the longer it is unseen, sooner if it was seen often", {
  weeks <- function(page, seen) data.table(query = 1L, page = page, week = seen, clicks = 1,
    impressions = 30, position = 3)
  summary <- list(pages = data.table(page = letters[1:4]), recent = list(days = 84L),
    weekly = rbind(weeks(1L, 1:12), weeks(2L, 1:8), weeks(3L, c(1, 5, 9)), weeks(4L, 1:10)))
  alive <- inktide:::alive_chances(summary)
  expect_equal(alive[1], 1)
  expect_lt(alive[2], 0.05)
  expect_gt(alive[3], alive[4])
  expect_gt(alive[4], alive[2])
  # By hand, seen in 8 of 8 weeks and 4 not: 0.9^4 of staying quiet, 0.98^4 of staying.
  stays <- 0.98^4
  expect_equal(alive[2], stays * 0.1^4 / (stays * 0.1^4 + 1 - stays))
})

test_that("no work is proposed on a page that is gone, and it is said", {
  rows <- made_site(queries = 300, days = 84, demand = rep(12, 300))
  gone <- sort(unique(rows$page))[1:12]
  rows <- rows[!(page %in% gone & date > as.IDate("2026-02-15"))]
  found <- tide_find(tide_summary(as_data(rows)), min_gain = 0)
  expect_false(any(found$findings$page %in% gone))
  expect_match(found$excluded$reason, "not seen any more", all = FALSE)
})
