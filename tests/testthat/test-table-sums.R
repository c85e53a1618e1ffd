test_that("sums, distinct values and ratios are those of base R, whatever names the caller has", {
  rows <- data.table(by = c("a", "b", "a", "a"), of = c("x", "x", "y", "x"),
    clicks = c(1, 2, 3, 4), impressions = c(10, 20, 30, 40), weighted = c(10, 40, 90, 160))
  sums <- inktide:::sums_by(rows, "by", c("clicks", "impressions", "weighted"), count = "rows")
  expect_equal(sums$clicks, as.vector(tapply(rows$clicks, rows$by, sum)))
  expect_equal(sums$rows, c(3L, 1L))
  expect_equal(inktide:::distinct_by(rows, "by", "of"), c(2L, 1L))
  expect_equal(inktide:::add_ratios(sums)$position, c(260 / 80, 40 / 20))
  expect_equal(inktide:::last_by(rows, "by", "clicks")$clicks, c(2, 4))
  expect_equal(inktide:::total_row(data.table(clicks = c(2, 3), impressions = c(10, 90),
    position = c(1, 5)))$position, 4.6)
  expect_equal(inktide:::click_shares(data.table(clicks = 0, impressions = c(1, 3))), c(0.25, 0.75))
})

test_that("a name that is both a column and ours stops the tests", {
  captured <- function(clicks) {
    rows <- data.table(query = "kale", clicks = 5)
    rows[, sum(clicks)]
  }
  environment(captured) <- asNamespace("inktide")
  expect_error(captured(1), "both a column and a name of ours: clicks")
  plain <- function(of) data.table(query = "kale", clicks = 5)[, sum(clicks)]
  environment(plain) <- asNamespace("inktide")
  expect_equal(plain(1), 5)
})
