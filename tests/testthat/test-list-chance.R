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
