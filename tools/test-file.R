# One file of tests against the built package: FILE RESULTS. Prints what failed, writes the results
# as a table.
words <- commandArgs(TRUE)
suppressPackageStartupMessages({
  library(testthat)
  library(inktide)
})
results <- as.data.frame(test_file(file.path("tests/testthat", words[1]), package = "inktide",
  load_package = "installed", reporter = CheckReporter$new(), stop_on_failure = FALSE))
saveRDS(results[c("test", "nb", "failed", "skipped", "error", "real")], words[2])
