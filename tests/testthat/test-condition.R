# Errors say what, where and how, keep it as fields, and name the function that was called.

test_that("an error has its fields, its class and its call without the data", {
  error <- expect_error(tide_read("nowhere.csv"), class = "tide_error_missing")
  expect_identical(error$call, quote(tide_read()))
  expect_match(error$what, "no such file")
  expect_equal(error$where, "'nowhere.csv'.")
  expect_equal(conditionMessage(error), paste(inktide:::condition_lines(error), collapse = "\n"))
  data <- tide_read(tide_example()[["pairs"]])
  inner <- expect_error(do.call(tide_summary, list(data, split = "vertical")),
    class = "tide_error_grain")
  expect_lt(object.size(inner), object.size(data) / 5)
})

test_that("what is said of the data shows no sign that a terminal would obey", {
  error <- expect_error(inktide:::abort_tide("Bad \033[31mred\a name.", class = "file"))
  expect_false(grepl("[\033\a]", conditionMessage(error)))
})
