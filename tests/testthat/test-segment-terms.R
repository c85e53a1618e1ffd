test_that("head terms are the topic of the page, not the words all pages share", {
  heads <- tide_terms(demo()$summary)
  crops <- inktide:::demo_code()$demo_crops
  expect_gt(mean(crops %in% heads$term), 0.95)
  expect_false(any(c("seeds", "grow", "how", "heirloom", "growing") %in% heads$term[1:45]))
  tomato <- heads[heads$term == "tomato", ]
  expect_match(tomato$modifiers, "seeds")
  expect_equal(inktide:::head_terms(c("how to", "red kale"), c(1L, 2L)), c(NA, "kale"))
})
