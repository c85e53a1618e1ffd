# Every setting is written once: what shows it is what may stand in a project.

lines <- inktide:::setting_lines()

test_that("the settings that help page and new projects show are settings, each with its words", {
  dir <- withr::local_tempdir()
  writeLines(lines, file.path(dir, "inktide.yml"))
  settings <- tide_settings(dir)
  expect_setequal(setdiff(names(settings), c("folder", "rules")), names(inktide:::setting_names()))
  expect_equal(names(settings$segments), "long questions")
  expect_length(settings$rules$ignore, 2)
  expect_equal(settings$thresholds$striking_distance, c(4, 20))
  for (one in inktide:::setting_table()) expect_match(one$about, "[a-z]")
})

test_that("a new project holds every setting, as it is written or commented", {
  dir <- withr::local_tempdir()
  tide_init(NULL, dir)
  text <- readLines(file.path(dir, "inktide.yml"))
  for (name in names(inktide:::setting_names())) {
    expect_match(text, sprintf("^(# )?%s:", name), all = FALSE, label = name)
  }
  # What is commented can be taken as it is.
  writeLines(sub("^# ", "", grep("^# [a-z_]+:|^#   ", text, value = TRUE)),
    file.path(dir, "inktide.yml"))
  expect_setequal(setdiff(names(tide_settings(dir)), c("folder", "rules")),
    names(inktide:::setting_names()))
})

test_that("an error of a setting shows how it is written", {
  dir <- withr::local_tempdir()
  writeLines(c("brand: x", "bands: [2, 1]"), file.path(dir, "inktide.yml"))
  error <- expect_error(tide_settings(dir), class = "tide_error_settings")
  expect_match(error$fix, "bands: [1, 4, 11, 21]", fixed = TRUE)
})
