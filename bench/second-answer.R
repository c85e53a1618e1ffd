# The first and the second answer of each command on a loaded project, whole processes: seconds (the
# median of three) and peak memory, with the same of an export read by fread() alone beside it.
#   R_LIBS=.build/library Rscript bench/second-answer.R [demo|ROWS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/make-data.R")
given <- c(commandArgs(TRUE), "demo")[1]
dir <- file.path(tempfile("second"), "site")
dir.create(dir, recursive = TRUE)
if (given == "demo") {
  tide_demo(dir)
  exports <- file.path(dir, "exports", c("daily.csv", "daily-totals.csv"))
} else {
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]"),
    file.path(dir, "inktide.yml"))
  exports <- file.path(dir, "rows.csv")
  make_export(as.numeric(given), exports)
}
program <- normalizePath("exec/inktide")
# Out: c(seconds, peak in MB).
run <- function(command) {
  log <- tempfile()
  old <- setwd(dir)
  on.exit(setwd(old))
  status <- system(sprintf("time -f '%%e %%M' -o %s %s > /dev/null 2>&1", log, command))
  if (status) stop(command)
  figures <- as.numeric(strsplit(tail(readLines(log), 1), " ")[[1]])
  c(figures[1], figures[2] / 1024)
}
plain <- run(sprintf("Rscript -e 'x <- data.table::fread(\"%s\")'", exports[1]))
load <- run(paste(program, "load", paste(exports, collapse = " ")))
first_rows <- fread(exports[1], nrows = 1000)
query <- first_rows[[grep("query", names(first_rows), ignore.case = TRUE)[1]]][1]
commands <- c("list", "find", "compare", sprintf("trace \"%s\"", query), "follow", "forecast",
  "report --out report.html")
kept <- file.path(dir, "archive", "kept")
had <- list.files(kept)
table <- rbindlist(lapply(commands, function(command) {
  call <- paste(program, command)
  first <- vapply(1:3, function(i) {
    # What a load keeps stays, what others kept goes.
    unlink(file.path(kept, setdiff(list.files(kept), had)))
    run(call)
  }, numeric(2))
  again <- vapply(1:3, function(i) run(call), numeric(2))
  data.table(command = sub(" .*", "", command), first = median(first[1, ]),
    first_mb = max(first[2, ]), again = median(again[1, ]), again_mb = max(again[2, ]))
}))
cat(sprintf("fread %.2f s, %.0f MB; load %.1f s, %.0f MB; kept %.1f MB\n", plain[1], plain[2],
  load[1], load[2], sum(file.size(list.files(kept, full.names = TRUE))) / 2^20))
print(table, digits = 3)
unlink(dirname(dir), recursive = TRUE)
