test_that("assumptions stand in one table, are set by name and move what they say", {
  skip_unless_studies()
  table <- tide_assumptions()
  expect_false(anyDuplicated(table$name) > 0)
  expect_true(all(table$value > 0 & nzchar(table$about) & nzchar(table$source)))
  expect_true(all(unlist(strsplit(table$moves, " ")) %in%
    c(names(inktide:::finding_kinds()), "forecast", "value")))
  # Each is asked for somewhere, and nothing is asked for that is not there.
  code <- unlist(lapply(ls(asNamespace("inktide")), function(name) {
    object <- get(name, asNamespace("inktide"))
    if (is.function(object)) deparse(object)
  }))
  asked <- unique(unlist(regmatches(code, gregexpr("(?<=assumed\\(\")[a-z_]+", code, perl = TRUE))))
  expect_setequal(asked, table$name)
  summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
  curve <- tide_curve(summary)
  gain <- function(...) {
    found <- tide_find(summary, curve, min_gain = 0, ...)$findings
    vapply(split(found$gain, found$kind), sum, 0)
  }
  usual <- gain()
  moved <- gain(assumptions = list(step_chance = 0.2))
  expect_lt(moved[["striking_distance"]], 0.8 * usual[["striking_distance"]])
  expect_equal(gain(), usual)
  expect_error(tide_find(summary, curve, assumptions = list(merge_risk = 1)),
    class = "tide_error_argument")
  expect_error(tide_assumptions(list(merge_rise = -1)), class = "tide_error_argument")
  dir <- withr::local_tempdir()
  writeLines(c("site: x", "assumptions: {merge_rise: 0.7}"), file.path(dir, "inktide.yml"))
  expect_equal(tide_settings(dir)$assumptions, list(merge_rise = 0.7))
  writeLines(c("site: x", "assumptions: {merge_risk: 0.7}"), file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
})
