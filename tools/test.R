# Everything that guards a change: layers, then the tests against the built package, as many files
# at once as there are processors. With names of files only these; with `all` the studies among the
# tests, too, and the package check with its examples and vignettes. Ends with one line, "N passed,
# N failed".
all <- "all" %in% commandArgs(TRUE)
library_path <- normalizePath(file.path(".build", "library"))
.libPaths(c(library_path, .libPaths()))
Sys.setenv(R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep), NOT_CRAN = "true",
  R_DATATABLE_NUM_THREADS = "1")
# Drivers of databases that want newer packages than ours stand apart, for processes of their own.
Sys.setenv(INKTIDE_DRIVERS = file.path(getwd(), ".build", "drivers"),
  INKTIDE_BROWSER = file.path(getwd(), ".build", "browser"))
if (all) Sys.setenv(INKTIDE_STUDIES = "true")
# What the browser and the databases need is mostly waited for: it comes while other tests run, and
# theirs wait for it.
installed <- file.path(tempdir(), "installed.log")
if (all) {
  system(sprintf(paste("{ sh tools/setup-browser.sh; sh tools/setup-databases.sh; } > %1$s.part",
    "2>&1; mv %1$s.part %1$s"), installed), wait = FALSE)
}
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

# The package, the demo site and what is found on it are made once; each file of tests runs in a
# fork of this session, so that files cannot meet and a crash ends one of them. Forks and threads
# do not go together.
suppressPackageStartupMessages({
  library(testthat)
  library(inktide)
})
data.table::setDTthreads(1)
# What each file would load for itself.
for (name in c("svglite", "forecast", "httr2", "openxlsx", "readxl")) {
  requireNamespace(name, quietly = TRUE)
}
for (helper in c("helper.R", "helper-columns.R")) source(file.path("tests", "testthat", helper))
options(inktide_demo = demo())

# What took longest last time begins first, where nobody knows yet what is known to be long and what
# has studies in it; files can be named, without "test-" and ".R".
long <- sprintf("test-%s.R", c("matrix", "assumptions", "cli-each-option", "forecast", "documents",
  "faces", "steps", "database", "report", "workbench-browser"))
times_file <- file.path(".build", if (all) "test-times-all.rds" else "test-times.rds")
times <- if (file.exists(times_file)) readRDS(times_file) else numeric()
files <- list.files("tests/testthat", "^test-.*[.]R$")
named <- setdiff(commandArgs(TRUE), "all")
if (length(named)) files <- intersect(sprintf("test-%s.R", named), files)
studies <- vapply(file.path("tests/testthat", files),
  function(file) length(grep("skip_unless_studies", readLines(file))), 0)
files <- files[order(-ifelse(is.na(times[files]), Inf, times[files]),
  match(files, long, length(long) + 1L), -studies)]
waiting <- if (all) grep("^test-(database|workbench-browser)", files, value = TRUE)
files <- append(setdiff(files, waiting), waiting, length(long))

run_file <- function(file) {
  while (file %in% waiting && !file.exists(installed)) Sys.sleep(1)
  said <- tempfile()
  sink(said)
  results <- tryCatch(as.data.frame(test_file(file.path("tests/testthat", file),
    package = "inktide", load_package = "installed", reporter = CheckReporter$new(),
    stop_on_failure = FALSE)),
    finally = sink())
  list(file = file, said = readLines(said),
    results = results[c("test", "nb", "failed", "skipped", "error", "warning", "real")])
}
check_layers <- function() {
  said <- suppressWarnings(system2("Rscript", "tools/check-layers.R", stdout = TRUE))
  list(said = said,
    judged = c(`no file calls a function of a higher layer` = is.null(attr(said, "status"))))
}
# The check builds in a folder of its own, from the tracked sources alone. Out: list(said, judged).
check_package <- function() {
  work <- tempfile("check")
  dir.create(work)
  source <- normalizePath(".")
  old <- setwd(work)
  on.exit({
    setwd(old)
    unlink(work, recursive = TRUE)
  })
  # Only for the vignettes it is installed here, so it is not compiled.
  build <- system2("R", c("CMD", "build", "--no-manual", shQuote(source)), stdout = "build.log",
    stderr = "build.log", env = "R_COMPILE_PKGS=0")
  package <- list.files(".", "[.]tar[.]gz$")
  # Tests run beside it; suggested packages and the PDF manual are no matter of the check.
  Sys.setenv(`_R_CHECK_FORCE_SUGGESTS_` = "false", `_R_CHECK_SYSTEM_CLOCK_` = "false")
  invisible(system2("R", c("CMD", "check", "--no-manual", "--no-tests", package),
    stdout = "check.log", stderr = "check.log"))
  log <- readLines("check.log")
  count <- function(word) sum(grepl(paste0("\\.\\.\\.? ?(\\[.*\\] ?)?", word, "$"), log))
  problems <- vapply(c("ERROR", "WARNING", "NOTE"), count, 0)
  list(
    said = c(if (build != 0) readLines("build.log"),
      if (sum(problems) > 0 || !any(grepl("^Status:", log))) log),
    judged = c(`R CMD build` = build == 0,
      `package check without errors, warnings or notes` = any(grepl("^Status: OK", log)),
      `every example runs` = any(grepl("^\\* checking examples .*OK$", log))))
}

# The check takes longest, so it begins with the first files.
jobs <- c(if (all) "the package check", "the layers", files)
done <- parallel::mclapply(jobs, function(job) {
  switch(job, `the package check` = check_package(), `the layers` = check_layers(), run_file(job))
}, mc.cores = max(1L, parallel::detectCores()), mc.preschedule = FALSE)
for (i in seq_along(done)) {
  one <- done[[i]]
  if (!is.list(one)) {
    judge(sprintf("%s ended before its time: %s", jobs[i], paste(format(one), collapse = " ")),
      FALSE)
    next
  }
  if (!is.null(one$judged)) {
    if (length(one$said)) cat(one$said, sep = "\n")
    for (what in names(one$judged)) judge(what, one$judged[[what]])
    next
  }
  # A warning that nobody expected is a fault of ours.
  bad <- sum(one$results$failed) + sum(one$results$error) + sum(one$results$warning)
  if (bad) cat(one$said, sep = "\n")
  passed <- passed + sum(one$results$nb) - sum(one$results$failed) - sum(one$results$skipped)
  failed <- failed + bad
}
if (!length(named)) {
  done <- Filter(function(one) is.list(one) && !is.null(one$file), done)
  saveRDS(unlist(lapply(done, function(one) stats::setNames(sum(one$results$real), one$file))),
    times_file)
}

if (file.exists(installed)) writeLines(readLines(installed))
cat(sprintf("%d passed, %d failed\n", as.integer(passed), as.integer(failed)))
quit(status = as.integer(failed > 0))
