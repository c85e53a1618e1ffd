# Has a step become slower? Each step's CPU time on 200,000 rows, as a ratio to a plain table's work
# in the same run (read, group and sort with data.table, which no change of ours touches), the
# smallest of seven turns. Ends with status 1 where a ratio is a fifth above the one kept in
# bench/quick.tsv.
#   make bench-quick
#   R_LIBS=.build/library Rscript bench/quick.R keep     renews what is kept
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/make-data.R")
setDTthreads(1)
dir.create("bench/data", showWarnings = FALSE)
file <- "bench/data/200000.csv"
if (!file.exists(file)) make_export(2e5, file)
cpu <- function(work) {
  gc(FALSE)
  taken <- system.time(force(work))
  taken[["user.self"]] + taken[["sys.self"]]
}
# The second answer: a project whose rows are loaded, and that was asked once.
project <- tempfile("project")
dir.create(project)
writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]"),
  file.path(project, "inktide.yml"))
invisible(tide_load(tide_store(project), file))
ask <- function() {
  inktide:::cli_main(c("find", "--project", project, "--format", "csv", "--quiet", "--out",
    tempfile(fileext = ".csv")))
}
invisible(ask())
once <- function() {
  plain <- cpu(for (i in 1:3) {
    rows <- fread(file)
    sums <- rows[, .(clicks = sum(clicks), impressions = sum(impressions)), by = c("query", "page")]
    setorderv(sums, "clicks", -1L)
  })
  took <- c(read = cpu(data <- tide_read(file)),
    summary = cpu(summary <- tide_summary(data, brand = "fernmoor")),
    curve = cpu(curve <- tide_curve(summary)), list = cpu(found <- tide_find(summary, curve)),
    compare = cpu(tide_compare(data, curve = curve, brand = "fernmoor")),
    explore = cpu({
      explorer <- tide_explorer(data, curve, brand = "fernmoor")
      for (i in 1:20) {
        tide_explore(explorer, "page", tide_segment("x", query_text = as.character(i)))
      }
    }), again = cpu(ask()))
  took / plain
}
turns <- vapply(1:7, function(i) once(), numeric(7))
now <- data.table(step = rownames(turns), ratio = round(apply(turns, 1, min), 3))
kept_file <- "bench/quick.tsv"
if (identical(commandArgs(TRUE), "keep")) {
  fwrite(now, kept_file, sep = "\t")
  print(now)
  quit()
}
kept <- fread(kept_file)
now[, "kept" := kept$ratio[match(now$step, kept$step)]]
now[, "times" := round(now$ratio / now$kept, 2)]
print(now)
slower <- now$step[now$times > 1.2]
if (length(slower)) {
  cat("slower by more than a fifth:", paste(slower, collapse = ", "), "\n")
  quit(status = 1)
}
