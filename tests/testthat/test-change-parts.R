test_that("the share-out of a change is exact, symmetric, zero for what did not move (Shapley)", {
  set.seed(1)
  n <- 300
  draw <- function() rpois(n, 3) * sample(0:1, n, TRUE, c(0.2, 0.8))
  d1 <- draw()
  d2 <- draw()
  e1 <- d1 * runif(n)
  e2 <- d2 * runif(n)
  c1 <- rpois(n, e1) * (d1 > 0)
  c2 <- rpois(n, e2) * (d2 > 0)
  factor <- runif(n, 0.5, 2)
  parts <- inktide:::change_parts(c1, c2, e1, e2, d1, d2, factor)
  expect_equal(rowSums(parts), c2 - c1)
  back <- inktide:::change_parts(c2, c1, e2, e1, d2, d1, factor)
  expect_equal(as.matrix(back), -as.matrix(parts))
  # By hand, the mean over both orders of demand 2 -> 3 and clicks for each 5 -> 7, at a factor of
  # 1.1; 23 clicks are had, 20 before.
  one <- inktide:::change_parts(20, 23, 2 * 5, 3 * 7, 2, 3, 1.1)
  expect_equal(one$by_demand, 1.1 * mean(c(1 * 5, 1 * 7)))
  expect_equal(one$by_position, 1.1 * mean(c(2 * 2, 2 * 3)))
  expect_equal(one$by_ctr, 3 - 1.1 * 11)
  still <- inktide:::change_parts(10, 20, 5, 10, 50, 100, 2)
  expect_equal(unlist(still), c(by_demand = 10, by_position = 0, by_ctr = 0, by_new_lost = 0))
})

test_that(
  "luck goes along with the cause that moved, sums stay, and what did not move is left alone",
  {
    parts <- data.table::data.table(by_demand = c(-20, -20, -4, 6), by_position = c(-5, 5, 0, 0),
      by_ctr = c(-4, 3, -9, 2), by_new_lost = 0)
    tests <- data.table::data.table(p_visible = c(1e-6, 1e-6, 0.4, 1e-6),
      p_clicked = c(0.6, 0.6, 0.6, 0.01))
    shared <- inktide:::share_luck(data.table::copy(parts), tests, common = c(1, 0, 0, 0))
    expect_equal(rowSums(shared), rowSums(parts))
    expect_equal(unlist(shared[1]),
      c(by_demand = -24, by_position = -6, by_ctr = 1, by_new_lost = 0))
    expect_equal(unlist(shared[2]),
      c(by_demand = -17, by_position = 5, by_ctr = 0, by_new_lost = 0))
    expect_equal(shared[3:4], parts[3:4])
  })

test_that("luck goes along with a cause that is clear, and stays CTR where that is clear too", {
  parts <- data.table(by_demand = c(-30, -30, -30, 0), by_position = c(-10, -10, 0, 0),
    by_ctr = c(-8, -8, -8, -8), by_new_lost = 0)
  tests <- list(p_visible = c(0.001, 0.001, 0.2, 0.2), p_clicked = c(0.05, 0.001, 0.5, 0.5))
  out <- inktide:::share_luck(copy(parts), tests, common = rep(-2, 4))
  # By hand: of 8 lost clicks 2 are the site's; the other 6 go as 30 to 10.
  expect_equal(unlist(out[1]),
    c(by_demand = -34.5, by_position = -11.5, by_ctr = -2, by_new_lost = 0))
  expect_equal(out[2:4], parts[2:4])
  expect_equal(rowSums(out), rowSums(parts))
})

test_that("lines of any level are the sums of their pairs, whatever the names", {
  set.seed(3)
  pairs <- data.table(name = sample(c("b", "a", "c"), 60, TRUE))
  for (column in c(outer(c("clicks_", "expected_", "demand_", "impressions_", "weighted_"), 1:2,
      paste0))) {
    set(pairs, j = column, value = rpois(60, 20) + 0.5)
  }
  for (column in inktide:::part_names) set(pairs, j = column, value = rnorm(60))
  basis <- list(days = c(28, 30), scale = 30 / c(28, 30), fdr = 0.1)
  lines <- inktide:::move_lines(inktide:::named_sums(pairs, pairs$name), basis)
  plain <- pairs[, lapply(.SD, sum), by = "name",
    .SDcols = c("clicks_1", "clicks_2", "by_demand", "by_new_lost")][match(lines$name, name)]
  expect_equal(lines$clicks_before, plain$clicks_1 * 30 / 28)
  expect_equal(lines$by_demand, plain$by_demand)
  expect_equal(lines$by_new_lost, plain$by_new_lost)
  expect_false(is.unsorted(-abs(lines$change)))
  whole <- inktide:::move_lines(inktide:::named_sums(pairs, rep("all", 60)), basis)
  expect_equal(sum(lines$change), whole$change)
})
