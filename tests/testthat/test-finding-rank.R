rank <- function(..., least = 0, asked = TRUE) {
  inktide:::rank_findings(looked_at(...), list(least = least, asked = asked), no_queries)$found
}

test_that("what is too small is told by task, and contests are shown unless somebody asks for more",
  {
    lines <- rbind(finding("low_ctr", 0.4, 1L, task_key = "low_ctr a"),
      finding("low_ctr", 0.3, 2L, task_key = "low_ctr a"), finding("low_ctr", 0.4, 3L),
      finding("cannibalized", 0.1, 4:5))
    expect_equal(sort(rank(lines, least = 0.5)$if_done), c(0.3, 0.4))
    expect_equal(sort(rank(lines, least = 0.5, asked = FALSE)$if_done), c(0.1, 0.3, 0.4))
  })

test_that("gain is if done x confidence x chance, score that per hour, best first", {
  ranked <- rank(finding("low_ctr", 10, 1L), finding("striking_distance", 60, 2L, chance = 0.5),
    finding("cannibalized", 15, 3:4))
  expect_equal(ranked$kind, c("low_ctr", "striking_distance", "cannibalized"))
  expect_equal(ranked$gain, c(10 * 0.9, 60 * 0.9 * 0.5, 15 * 0.9))
  expect_equal(ranked$score, ranked$gain / c(1, 4, 3))
  expect_equal(ranked$rank, 1:3)
})

test_that("a click has one owner, who names the others", {
  ranked <- rank(finding("low_ctr", 20, 1L), finding("striking_distance", 30, 1L),
    finding("striking_distance", 5, 2L))
  expect_equal(ranked$kind, c("low_ctr", "striking_distance"))
  expect_equal(ranked$if_done, c(20, 5))
  looked <- looked_at(finding("low_ctr", 20, 1L), finding("striking_distance", 30, 1L),
    finding("striking_distance", 5, 2L))
  facts <- inktide:::drop_double_counted(looked, inktide:::set_gain(looked$found))$facts
  expect_equal(told_of(facts, lines = 1:3),
    c("Also in striking distance: its gain is included above.", "", ""))
})

test_that("a sure contest comes before all else about its pages, a doubtful one before support", {
  others <- list(finding("low_ctr", 50, 1L), finding("low_ctr", 40, 2L))
  sure <- do.call(rank, c(list(finding("cannibalized", 1, 1:2)), others))
  expect_equal(sure$kind, "cannibalized")
  expect_equal(sure$if_done, 1)
  doubtful <- do.call(rank, c(list(finding("cannibalized", 1, 1:2, confidence = 0.3)), others))
  expect_equal(doubtful$kind, c("low_ctr", "low_ctr"))
  supported <- rank(finding("cannibalized", 1, 1:2, confidence = 0.3),
    finding("striking_distance", 50, 2L), finding("striking_distance", 40, 3L))
  expect_setequal(supported$kind, c("cannibalized", "striking_distance"))
  expect_equal(supported$if_done[supported$kind == "striking_distance"], 40)
})

test_that(
  "what one step serves is one task: hours, score and instruction count once, leads come first",
  {
    ranked <- rank(finding("low_ctr", 10, 1L, task_key = "low_ctr page"),
      finding("low_ctr", 6, 2L, task_key = "low_ctr page"), finding("low_ctr", 2, 3L))
    expect_equal(ranked$if_done, c(10, 2, 6))
    expect_equal(ranked$task[1], ranked$task[3])
    expect_equal(ranked$score, c(16 * 0.9, 2 * 0.9, 0))
    expect_equal(ranked$hours, c(1, 1, 0))
    steps <- inktide:::rank_findings(looked_at(finding("low_ctr", 10, 1L,
      task_key = "low_ctr page"),
      finding("low_ctr", 6, 2L, task_key = "low_ctr page"), finding("low_ctr", 2, 3L)),
      list(least = 0, asked = TRUE), no_queries)$steps
    expect_equal(unname(steps[ranked$task]), ranked$id[c(1, 2, 1)])
    # The task has the same id when another line leads it.
    other <- rank(finding("low_ctr", 1, 1L, task_key = "low_ctr page"),
      finding("low_ctr", 6, 2L, task_key = "low_ctr page"))
    expect_equal(unique(other$task), ranked$task[1])
    expect_equal(inktide:::tasks_within(data.table(task = c("a", "b", "c"), hours = c(3, 4, 1)), 4),
      c("a", "c"))
  })

test_that("ids depend on what the finding is about, never on its figures", {
  a <- rank(finding("low_ctr", 10, 1L))$id
  expect_equal(rank(finding("low_ctr", 99, 1L, confidence = 0.5))$id, a)
  expect_false(rank(finding("low_ctr", 10, 2L))$id == a)
  expect_match(a, "^L-[0-9a-f]{10}$")
})
