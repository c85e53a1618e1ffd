# The project's own few rules of style on all R code; status 1 where one is broken.
found <- unlist(recursive = FALSE,
  lapply(c("R", "inst/demo-site", "tests/testthat", "tools", "bench"), function(dir) unclass(lintr::lint_dir(dir))))
# Titles of tests are sentences, patterns and rows of help tables cannot be broken.
found <- Filter(function(one) !grepl("^(test_that\\(|#' \\| |.*nolint)", one$line), found)
for (one in found) {
  cat(sprintf("%s:%d: %s\n", one$filename, one$line_number, one$message))
}
cat(sprintf("%d places\n", length(found)))
quit(status = as.integer(length(found) > 0))
