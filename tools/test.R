# Everything that guards a change: layers, then the tests against the built package, as many files
# at once as there are processors. With `all`: the studies among the tests, too, and the package
# check with its examples and vignettes. Ends with one line, "N passed, N failed".
all <- "all" %in% commandArgs(TRUE)
library_path <- normalizePath(file.path(".build", "library"))
.libPaths(c(library_path, .libPaths()))
Sys.setenv(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), NOT_CRAN = "true",
  R_DATATABLE_NUM_THREADS = "1", INKTIDE_STUDIES = if (all) "true" else "")
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

# What took longest last time begins first.
times_file <- file.path(".build", "test-times.rds")
times <- if (file.exists(times_file)) readRDS(times_file) else numeric()
files <- list.files("tests/testthat", "^test-.*[.]R$")
files <- files[order(-ifelse(is.na(times[files]), Inf, times[files]))]

run_file <- function(file) {
  results <- tempfile(fileext = ".rds")
  said <- suppressWarnings(system2("Rscript", c("tools/test-file.R", file, results), stdout = TRUE,
    stderr = TRUE))
  list(file = file, said = said, results = if (file.exists(results)) readRDS(results))
}
done <- parallel::mclapply(files, run_file, mc.cores = max(1L, parallel::detectCores()),
  mc.preschedule = FALSE)
for (one in done) {
  if (is.null(one$results)) {
    cat(sprintf("FAILED: %s ended before its time\n", one$file), one$said, sep = "\n")
    failed <- failed + 1
    next
  }
  bad <- sum(one$results$failed) + sum(one$results$error)
  if (bad) cat(one$said, sep = "\n")
  passed <- passed + sum(one$results$nb) - sum(one$results$failed) - sum(one$results$skipped)
  failed <- failed + bad
}
saveRDS(unlist(lapply(done, function(one) stats::setNames(sum(one$results$real), one$file))),
  times_file)

# The check builds in a folder of its own, from the tracked sources alone.
check_package <- function() {
  work <- tempfile("check")
  dir.create(work)
  source <- normalizePath(".")
  old <- setwd(work)
  on.exit({
    setwd(old)
    unlink(work, recursive = TRUE)
  })
  build <- system2("R", c("CMD", "build", "--no-manual", shQuote(source)), stdout = "build.log",
    stderr = "build.log")
  if (build != 0) cat(readLines("build.log"), sep = "\n")
  judge("R CMD build", build == 0)
  package <- list.files(".", "[.]tar[.]gz$")
  # Tests have run above; suggested packages and the PDF manual are no matter of the check.
  Sys.setenv(`_R_CHECK_FORCE_SUGGESTS_` = "false", `_R_CHECK_SYSTEM_CLOCK_` = "false")
  invisible(system2("R", c("CMD", "check", "--no-manual", "--no-tests", package),
    stdout = "check.log", stderr = "check.log"))
  log <- readLines("check.log")
  count <- function(word) sum(grepl(paste0("\\.\\.\\.? ?(\\[.*\\] ?)?", word, "$"), log))
  problems <- vapply(c("ERROR", "WARNING", "NOTE"), count, 0)
  if (sum(problems) > 0 || !any(grepl("^Status:", log))) cat(log, sep = "\n")
  judge("package check without errors, warnings or notes", any(grepl("^Status: OK", log)))
  judge("every example runs", any(grepl("^\\* checking examples .*OK$", log)))
}
if (all) check_package()

cat(sprintf("%d passed, %d failed\n", as.integer(passed), as.integer(failed)))
quit(status = as.integer(failed > 0))
