# Times whole processes: `inktide find` beside the floor (read the file) and the spreadsheet's
# version of the job, with wall time, CPU and peak memory. Writes the table in bench/results.tsv;
# copy it to bench/README.md.
#   make bench            1 thousand, 100 thousand, 1 million and 10 million rows
#   R_LIBS=.build/library Rscript bench/run.R 1e3 1e5
suppressPackageStartupMessages(library(data.table))
source("bench/make-data.R")
sizes <- as.numeric(commandArgs(TRUE))
if (!length(sizes)) sizes <- c(1e3, 1e5, 1e6, 1e7)
threads <- parallel::detectCores()
Sys.setenv(R_DATATABLE_NUM_THREADS = threads)
dir.create("bench/data", showWarnings = FALSE)
if (!nzchar(Sys.which("time"))) {
  stop("GNU time is missing (Debian: time); it measures the peak memory.")
}

timed <- function(command, args) {
  log <- tempfile()
  out <- suppressWarnings(system2("time",
    c("-f", shQuote("%e %U %S %M"), "-o", log, command, shQuote(args)), stdout = TRUE,
    stderr = FALSE))
  used <- as.numeric(strsplit(tail(readLines(log), 1), " ")[[1]])
  list(wall = used[1], cpu = used[2] + used[3], peak = used[4] / 1024, out = out)
}
# The three take turns, so that a busy moment of the machine hits them alike; the quickest run of
# each counts.
best <- function(calls, runs) {
  all <- lapply(seq_len(runs), function(i) lapply(calls, function(call) timed(call[1], call[-1])))
  lapply(stats::setNames(seq_along(calls), names(calls)), function(k) {
    own <- lapply(all, `[[`, k)
    own[[which.min(vapply(own, `[[`, 0, "wall"))]]
  })
}

results <- rbindlist(lapply(sizes, function(rows) {
  file <- sprintf("bench/data/%.0f.csv", rows)
  if (!file.exists(file)) make_export(rows, file)
  runs <- if (rows <= 1e6) 5 else 2
  out <- tempfile(fileext = ".csv")
  run <- best(list(read = c("Rscript", "bench/only-read.R", file),
    plain = c("Rscript", "bench/spreadsheet.R", file, out),
    find = c("exec/inktide", "find", file, "--brand", "fernmoor", "--format", "csv", "--out", out,
      "--quiet")),
    runs)
  floor <- run$read
  plain <- run$plain
  find <- run$find
  data.table(rows = rows, file_mb = round(file.size(file) / 2^20, 1),
    table_mb = round(as.numeric(floor$out)), read_s = floor$wall, spreadsheet_s = plain$wall,
    find_s = find$wall, find_cpu_s = find$cpu, find_to_read = round(find$wall / floor$wall, 2),
    find_to_spreadsheet = round(find$wall / plain$wall, 2), read_peak_mb = round(floor$peak),
    spreadsheet_peak_mb = round(plain$peak), find_peak_mb = round(find$peak),
    peak_to_table = round(find$peak / as.numeric(floor$out), 2))
}))
print(results)
fwrite(results, "bench/results.tsv", sep = "\t")
cat(sprintf("%s, data.table %s, %d threads\n", R.version.string, packageVersion("data.table"),
  threads))
