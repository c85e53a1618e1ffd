test_that(
  "a chance is the assumption, worth ten steps, beside what came of the project's own (by hand)",
  {
    looked <- function() {
      looked_at(finding("low_ctr", 10, 1L, chance = 0.6), finding("low_ctr", 5, 2L, chance = 0.4),
        finding("falling", 5, 3L, chance = 0.5))
    }
    outcomes <- data.table(kind = "low_ctr",
      verdict = c(rep("worked", 8), "no sign yet", "made it worse", "too early"))
    all <- inktide:::learn_chance(looked(), outcomes)
    learnt <- all$found
    # (10 x 0.5 + 8) / (10 + 10) = 0.65: the odds of both are 0.65 / 0.35 times what they were.
    odds <- function(p) p / (1 - p)
    expect_equal(odds(learnt$chance[1:2]), odds(c(0.6, 0.4)) * 0.65 / 0.35)
    expect_equal(learnt$chance[3], 0.5)
    expect_match(told_of(all$facts, "derivation"), "of 10 steps of this kind done here 8.0 worked")
    expect_equal(inktide:::learn_chance(looked(), NULL)$found$chance, c(0.6, 0.4, 0.5))
  })

test_that("a step counts by what its ratio tells: nothing where that is open, else as the truth", {
  learnt <- function(ratio, sd) {
    outcomes <- data.table(kind = "low_ctr", verdict = "no sign yet", ratio = ratio, ratio_sd = sd)
    inktide:::learn_chance(looked_at(finding("low_ctr", 10, 1L, chance = 0.6)),
      outcomes)$found$chance
  }
  expect_equal(learnt(c(0.7, 1, 1.6), 50), 0.6, tolerance = 0.01)
  expect_equal(learnt(rep(1, 10), 0.01), 0.3, tolerance = 0.05)
  expect_equal(learnt(rep(1.5, 10), 0.01), (10 * 0.6 + 10) / 20, tolerance = 1e-3)
  set.seed(5)
  for (share in c(0, 0.5, 1)) {
    told <- replicate(60, {
      sd <- runif(40, 0.15, 0.5)
      learnt(exp(rnorm(40, ifelse(runif(40) < share, log(1.6), 0), sd)), sd)
    })
    # Verdicts alone would teach 0.3 where half of them worked.
    expect_lt(abs(mean(told) - (10 * 0.6 + 40 * share) / 50), 0.2)
  }
})

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
