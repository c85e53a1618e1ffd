test_that("where a step leads can be told, and what cannot be meant is refused", {
  expect_equal(inktide:::next_step(c(5, 12.5), inktide:::check_target("+3")), c(2, 9.5))
  expect_equal(inktide:::next_step(c(5, 12.5), inktide:::check_target("4")), c(4, 4))
  for (wrong in list("top", 0, "+x", c("3", "4"), NA)) {
    expect_error(tide_find(demo()$summary, demo()$found$curve, target = wrong),
      class = "tide_error_argument")
  }
  steps <- function(target) subset(tidy(tide_find(demo()$summary, demo()$found$curve,
    target = target, kind = "striking_distance")),
    kind == "striking_distance")
  three <- steps("+3")
  expect_match(three$reason[1],
    sprintf("At position %s", inktide:::format_place(three$position[1] - 3)), fixed = TRUE)
  top <- steps(2)
  expect_true(all(top$position >= 4) && all(grepl("At position 2 about", top$reason, fixed = TRUE)))
})
