# How cost grows: one process a size, by step (seconds of wall time), with the peak memory. A
# hundred million rows take 11 GB of disk for the export and 3 GB for its rows.
#   R_LIBS=.build/library Rscript bench/growth.R 1e3 1e5 1e6 1e7 1e8
suppressPackageStartupMessages(library(data.table))
source("bench/make-data.R")
sizes <- as.numeric(commandArgs(TRUE))
if (!length(sizes)) sizes <- 10^(3:7)
Sys.setenv(R_DATATABLE_NUM_THREADS = parallel::detectCores())
dir.create("bench/data", showWarnings = FALSE)
steps <- "
library(inktide)
last <- proc.time()[[3]]
took <- c(start = last)
step <- function(name) {
  now <- proc.time()[[3]]
  took[[name]] <<- now - last
  last <<- now
}
data <- tide_read(commandArgs(TRUE)[1], dimensions = c('date', 'query', 'page'), by_block = TRUE)
step('read')
summary <- tide_summary(data, brand = 'fernmoor')
step('summary')
curve <- tide_curve(summary)
step('curve')
found <- tide_find(summary, curve)
step('list')
tide_write(found, tempfile(fileext = '.csv'))
step('write')
cpu <- sum(proc.time()[1:2])
peak <- as.numeric(gsub('[^0-9]', '', grep('VmHWM', readLines('/proc/self/status'), value = TRUE)))
cat(nrow(summary$pairs), nrow(found$findings), round(took, 2), round(cpu, 1), round(peak / 1024))"
script <- tempfile(fileext = ".R")
writeLines(steps, script)
program <- strsplit(sub("^#!/usr/bin/env -S ", "", readLines("exec/inktide", n = 1)), " ")[[1]]
results <- rbindlist(lapply(sizes, function(rows) {
  file <- sprintf("bench/data/%.0f.csv", rows)
  # Beyond ten million rows a larger site over a longer time.
  if (!file.exists(file) && rows > 1e7) make_export(rows, file, days = 480, queries = 1e6)
  if (!file.exists(file)) make_export(rows, file)
  # Started as the program is.
  said <- system2("env", c(program, script, file), stdout = TRUE)
  said <- as.numeric(strsplit(said[length(said)], " ")[[1]])
  as.list(stats::setNames(c(rows, said), c("rows", "pairs", "findings", "start", "read", "summary",
    "curve", "list", "write", "cpu_s", "peak_mb")))
}))
results[, "us_a_row" := round((read + summary) / rows * 1e6, 2)]
results[, "us_a_pair" := round((curve + list) / pairs * 1e6, 1)]
print(results)
fwrite(results, "bench/growth.tsv", sep = "\t")
