test_that("findings are a table where one expects one", {
  found <- demo()$found
  expect_equal(nrow(found), nrow(found$findings))
  expect_equal(head(found, 2)$findings, found$findings[1:2])
  expect_s3_class(found[1:3], "tide_findings")
  expect_equal(as.data.frame(found[1:3])$id, found$findings$id[1:3])
  # A head, two lines, and the first steps.
  expect_length(format(head(found, 2)), 6)
  expect_error(predict(found$curve, places = 3), "places",
    class = "tide_error_argument")
})
