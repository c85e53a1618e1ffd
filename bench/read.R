# tide_read() beside fread() alone on one file, whole processes in turn, the quickest of three of
# each.
#   R_LIBS=.build/library Rscript bench/read.R [ROWS]
suppressPackageStartupMessages(library(data.table))
source("bench/make-data.R")
rows <- c(as.numeric(commandArgs(TRUE)), 1e7)[1]
Sys.setenv(R_DATATABLE_NUM_THREADS = parallel::detectCores())
dir.create("bench/data", showWarnings = FALSE)
file <- sprintf("bench/data/%.0f.csv", rows)
if (!file.exists(file)) make_export(rows, file)
timed <- function(code) {
  log <- tempfile()
  script <- tempfile(fileext = ".R")
  writeLines(code, script)
  system2("time", c("-f", shQuote("%e %M"), "-o", log, file.path(R.home("bin"), "Rscript"), script),
    stdout = FALSE, stderr = FALSE)
  as.numeric(strsplit(tail(readLines(log), 1), " ")[[1]])
}
runs <- replicate(3, list(
  fread = timed(sprintf("library(data.table); x <- fread('%s', showProgress = FALSE)", file)),
  read = timed(sprintf("library(inktide); x <- tide_read('%s', exported = '2027-01-01')", file))),
  simplify = FALSE)
best <- function(of) Reduce(function(a, b) if (a[1] <= b[1]) a else b, lapply(runs, `[[`, of))
plain <- best("fread")
ours <- best("read")
cat(sprintf("%.0f rows: fread %.2f s, %.0f MB; tide_read %.2f s, %.0f MB; ratio %.2f\n", rows,
  plain[1], plain[2] / 1024, ours[1], ours[2] / 1024, ours[1] / plain[1]))
