test_that(
  "a chance is the assumption, worth ten steps, beside what came of the project's own (by hand)",
  {
    found <- rbind(finding("low_ctr", 10, 1L, chance = 0.6),
      finding("low_ctr", 5, 2L, chance = 0.4), finding("falling", 5, 3L, chance = 0.5))
    outcomes <- data.table(kind = "low_ctr",
      verdict = c(rep("worked", 8), "no sign yet", "made it worse", "too early"))
    learnt <- inktide:::learn_chance(copy(found), outcomes)
    # (10 x 0.5 + 8) / (10 + 10) = 0.65: the odds of both are 0.65 / 0.35 times what they were.
    odds <- function(p) p / (1 - p)
    expect_equal(odds(learnt$chance[1:2]), odds(c(0.6, 0.4)) * 0.65 / 0.35)
    expect_equal(learnt$chance[3], 0.5)
    expect_match(unlist(learnt$how[1]), "of 10 steps of this kind done here 8 worked", all = FALSE)
    expect_equal(inktide:::learn_chance(copy(found), NULL)$chance, found$chance)
  })
