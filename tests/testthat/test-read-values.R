test_that("numbers are read under the convention of their file", {
  skip_unless_studies()
  point <- c("1234.5", "1,234.5", "1'234", "12", "-3", ".5", "1e3")
  expect_equal(inktide:::read_number(point, "."), c(1234.5, 1234.5, 1234, 12, -3, 0.5, 1000))
  expect_equal(inktide:::read_number(c("1234,5", "1.234,5", "12", "1.234"), ","),
    c(1234.5, 1234.5, 12, 1234))
  expect_true(all(is.na(inktide:::read_number(c("1,23", "12,3456", "a", "1.2.3", ""), "."))))
})
