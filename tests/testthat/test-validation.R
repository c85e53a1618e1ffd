test_that("the cases worked by hand come out as the vignette has them", {
  page <- file.path("..", "..", "vignettes", "validation.Rmd")
  skip_if_not(file.exists(page), "the vignettes are not at hand")
  code <- withr::local_tempfile(fileext = ".R")
  knitr::purl(page, code, quiet = TRUE, documentation = 0)
  expect_gt(sum(grepl("^same\\(", readLines(code))), 10)
  expect_error(source(code, local = new.env()), NA)
})
