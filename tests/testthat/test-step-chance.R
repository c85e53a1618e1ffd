test_that("the chance of a step falls with its length, and no target is number one", {
  expect_true(all(diff(inktide:::default_reach(4:20, 3)) < 0))
  expect_true(all(inktide:::next_step(seq(3.6, 20, 0.1)) >= 3))
  expect_equal(inktide:::next_step(c(10, 10.4, 10.6)), c(3, 3, 8))
})

test_that(
  "the chance of a step is learnt from what queries did, and keeps to the default without history",
  {
    set.seed(4)
    walk <- function(rise) {
      d <- data.table::CJ(id = 1:400, month = 1:10)
      start <- runif(400, 4, 19)[d$id]
      up <- (runif(400) < rise)[d$id] & d$month > 6
      target <- ifelse(start > 10, 8, 3)
      list(sums = data.table::data.table(query = d$id, page = d$id %% 40, month = d$month,
        impressions = 50, weighted = 50 * ifelse(up, target - 0.5, start)),
        upto = 400L)
    }
    fits <- lapply(c(0.05, 0.8), function(rise) inktide:::learn_reach(walk(rise)))
    chance <- function(fit, position, target) plogis(qlogis(inktide:::default_reach(position,
      target)) + as.vector(inktide:::reach_features(position, target, 0, 10) %*% fit$coefficients))
    expect_lt(chance(fits[[1]], 12, 8), 0.1)
    expect_gt(chance(fits[[2]], 12, 8), 2 * chance(fits[[1]], 12, 8))
    # Of seven months that can be judged, those three before the rise reach it.
    expect_equal(fits[[2]]$reached, 0.8 * 3 / 6, tolerance = 0.2)
    expect_null(inktide:::learn_reach(NULL))
    short <- walk(0.5)
    short$sums <- short$sums[short$sums$month <= 3]
    expect_null(inktide:::learn_reach(short))
    one <- inktide:::add_courses(walk(0.5), list(sums = walk(0.5)$sums, upto = 100L))
    expect_true(all(one$sums$query <= 100) && all(one$sums$impressions == 100))
  })
