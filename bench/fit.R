# What the fit costs beside reading, in one process: cells and fit of 10 million daily rows against
# fread() of the file, and how the fit grows with pairs and with parts.
#   R_LIBS=.build/library Rscript bench/fit.R [ROWS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/make-data.R")
cpu <- function(code) {
  gc(FALSE)
  spent <- system.time(code)
  sum(spent[1:2])
}
rows <- c(as.numeric(commandArgs(TRUE)), 1e7)[1]
dir.create("bench/data", showWarnings = FALSE)
file <- sprintf("bench/data/%.0f.csv", rows)
if (!file.exists(file)) make_export(rows, file)
plain <- min(cpu(fread(file, showProgress = FALSE)), cpu(fread(file, showProgress = FALSE)))
data <- tide_read(file, exported = "2027-01-01")
reduce <- min(cpu(whole <- tide_summary(data)), cpu(whole <- tide_summary(data)))
fit <- cpu(tide_curve(whole))
cat(sprintf(paste("%.0f rows: fread %.1f s of CPU; summary (cells, pairs, weeks) %.1f s;",
  "fit of %d pairs, %d cells %.1f s; ratio %.2f\n\n"),
  rows, plain, reduce, nrow(whole$pairs), nrow(whole$cells), fit, (reduce + fit) / plain))
rm(data)

cat(paste("| pairs | cells | fit s | with 3 parts s | with 6 parts s | peak MB",
  "|\n|---:|---:|---:|---:|---:|---:|\n"))
for (pairs in c(1e4, 3e4, 1e5, 3e5)) {
  if (pairs > nrow(whole$pairs)) break
  own <- whole
  first <- head(unique(whole$cells[, c("query", "page")]), pairs)
  own$cells <- setkeyv(whole$cells[first, on = c("query", "page")], c("query", "page", "bin"))
  in_parts <- function(k) {
    split <- copy(own$cells)[, "part" := sprintf("part %d", query %% k)]
    parted <- own
    parted[c("split", "split_cells")] <- list("device", split[, !"position"])
    cpu(tide_curve(parted, by = "device"))
  }
  gc(reset = TRUE)
  spent <- c(cpu(tide_curve(own)), in_parts(3), in_parts(6))
  cat(sprintf("| %s | %s | %.1f | %.1f | %.1f | %.0f |\n", format(pairs, big.mark = ","),
    format(nrow(own$cells), big.mark = ","), spent[1], spent[2], spent[3], sum(gc()[, 6])))
}
