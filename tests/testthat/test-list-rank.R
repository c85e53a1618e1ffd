rank <- function(..., least = 0, by_line = TRUE) {
  inktide:::rank_findings(rbind(...), list(least = least, by_line = by_line))
}

test_that("what is too small is told by line or by piece of work", {
  lines <- rbind(finding("low_ctr", 0.4, 1L, work = "a"), finding("low_ctr", 0.3, 2L, work = "a"),
    finding("low_ctr", 0.4, 3L))
  expect_equal(sort(rank(lines, least = 0.5, by_line = FALSE)$gain), c(0.3, 0.4))
  expect_equal(rank(lines, least = 0.4)$gain, c(0.4, 0.4))
})

test_that("score is gain x confidence / hours, best first", {
  ranked <- rank(finding("low_ctr", 10, 1L), finding("striking_distance", 60, 2L),
    finding("cannibalized", 15, 3:4))
  expect_equal(ranked$kind, c("striking_distance", "low_ctr", "cannibalized"))
  expect_equal(ranked$score, c(60 * 0.9 / 4, 10 * 0.9, 15 * 0.9 / 3))
  expect_equal(ranked$rank, 1:3)
})

test_that("a click has one owner, who names the others and carries the largest gain", {
  ranked <- rank(finding("low_ctr", 20, 1L), finding("striking_distance", 30, 1L),
    finding("striking_distance", 5, 2L))
  expect_equal(nrow(ranked), 2)
  expect_equal(ranked$kind[1], "low_ctr")
  expect_equal(ranked$gain[1], 30)
  expect_match(ranked$reason[1], "Also in striking distance, counted here once", fixed = TRUE)
  expect_equal(ranked$reason[2], "Because.")
})

test_that("a sure cannibalized query comes before whatever else is said of its pages, a doubtful one does not",
  {
    sure <-
      rank(finding("cannibalized", 1, 1:2), finding("low_ctr", 50, 1L), finding("low_ctr", 40, 2L))
    expect_equal(sure$kind, "cannibalized")
    expect_equal(sure$gain, 50)
    # While pages compete, what is said of their places besides does not count.
    expect_equal(rank(finding("cannibalized", 1, 1:2), finding("falling", 50, 1L))$gain, 1)
    doubtful <- rank(finding("cannibalized", 1, 1:2, confidence = 0.3), finding("low_ctr", 50, 1L),
      finding("low_ctr", 40, 2L))
    expect_equal(doubtful$kind, c("low_ctr", "low_ctr"))
  })

test_that("what one step mends is one task: its hours count once and its scores together", {
  ranked <- rank(finding("low_ctr", 10, 1L, work = "snippet"),
    finding("low_ctr", 6, 2L, work = "snippet"), finding("low_ctr", 12, 3L))
  expect_equal(ranked$gain, c(10, 12, 6))
  expect_equal(ranked$task[c(1, 3)], rep(ranked$id[1], 2))
  expect_equal(ranked$score[1:2], c(16, 12) * 0.9)
  expect_equal(ranked$hours, c(1, 1, 0))
  expect_equal(ranked$task_gain, c(16, 12, 16))
  expect_equal(inktide:::tasks_within(data.table(task = c("a", "b", "c"), hours = c(3, 4, 1)), 4),
    c("a", "c"))
})

test_that("ids depend on what the finding is about, never on its figures", {
  a <- rank(finding("low_ctr", 10, 1L))$id
  expect_equal(rank(finding("low_ctr", 99, 1L, confidence = 0.5))$id, a)
  expect_false(rank(finding("low_ctr", 10, 2L))$id == a)
  expect_match(a, "^L-[0-9a-f]{10}$")
})
