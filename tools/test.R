# All checks, in one run: layers, tests against the built package, the package check with its examples and
# vignette. Ends with one line, "N passed, N failed".
library_path <- normalizePath(file.path(".build", "library"))
.libPaths(c(library_path, .libPaths()))
Sys.setenv(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), NOT_CRAN = "true")
# The check reads UTF-8 sources and wants a locale for it, which a bare machine may not have set.
if (!isTRUE(l10n_info()[["UTF-8"]])) {
  Sys.setenv(LC_ALL = "C.UTF-8")
  invisible(Sys.setlocale("LC_CTYPE", "C.UTF-8"))
}
passed <- failed <- 0
judge <- function(what, ok) {
  cat(sprintf("%s: %s\n", if (ok) "ok" else "FAILED", what))
  if (ok) passed <<- passed + 1 else failed <<- failed + 1
}

judge("no file calls a function of a higher layer", system2("Rscript", "tools/check-layers.R") == 0)

library(inktide)
results <- as.data.frame(testthat::test_dir("tests/testthat", package = "inktide", load_package = "installed",
  reporter = testthat::CheckReporter$new(), stop_on_failure = FALSE))
bad <- sum(results$failed) + sum(results$error)
passed <- passed + sum(results$nb) - sum(results$failed) - sum(results$skipped)
failed <- failed + bad

# The check builds in a folder of its own, from the tracked sources alone.
work <- tempfile("check")
dir.create(work)
source <- normalizePath(".")
old <- setwd(work)
build <- system2("R", c("CMD", "build", "--no-manual", shQuote(source)), stdout = "build.log", stderr = "build.log")
if (build != 0) cat(readLines("build.log"), sep = "\n")
judge("R CMD build", build == 0)
package <- list.files(".", "[.]tar[.]gz$")
# Tests have run above; suggested packages and the PDF manual are no matter of the check.
Sys.setenv(`_R_CHECK_FORCE_SUGGESTS_` = "false", `_R_CHECK_SYSTEM_CLOCK_` = "false")
invisible(system2("R", c("CMD", "check", "--no-manual", "--no-tests", package), stdout = "check.log",
  stderr = "check.log"))
log <- readLines("check.log")
count <- function(word) sum(grepl(paste0("\\.\\.\\.? ?(\\[.*\\] ?)?", word, "$"), log))
problems <- vapply(c("ERROR", "WARNING", "NOTE"), count, 0)
if (sum(problems) > 0 || !any(grepl("^Status:", log))) cat(log, sep = "\n")
judge("package check without errors, warnings or notes", any(grepl("^Status: OK", log)))
judge("every example runs", any(grepl("^\\* checking examples .*OK$", log)))
setwd(old)
unlink(work, recursive = TRUE)

cat(sprintf("%d passed, %d failed\n", as.integer(passed), as.integer(failed)))
quit(status = as.integer(failed > 0))
