# From summary to ranked list on about a million query x page pairs, by size: seconds of CPU and
# peak memory of the process.
#   R_LIBS=.build/library Rscript bench/rank.R [PAIRS,...]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/make-data.R")
given <- commandArgs(TRUE)
sizes <- if (length(given)) as.numeric(strsplit(given[1], ",")[[1]]) else c(1e4, 1e5, 1e6)
cat("| pairs | cells | fit s | list s | findings | peak MB |\n|---:|---:|---:|---:|---:|---:|\n")
for (size in sizes) {
  file <- tempfile(fileext = ".csv")
  make_export(5 * size, file, queries = 1.15 * size)
  summary <- tide_summary(tide_read(file, lag = 0, exported = "2027-01-01"))
  unlink(file)
  invisible(gc(reset = TRUE))
  fit <- system.time(curve <- tide_curve(summary))
  list <- system.time(found <- tide_find(summary, curve))
  cat(sprintf("| %s | %s | %.1f | %.1f | %s | %.0f |\n",
    format(nrow(summary$pairs), big.mark = ","), format(nrow(summary$cells), big.mark = ","),
    sum(fit[1:2]), sum(list[1:2]), format(nrow(found$findings), big.mark = ","), sum(gc()[, 6])))
}
