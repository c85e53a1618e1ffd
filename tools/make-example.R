# Makes the exports in inst/extdata from the demo site, packed. Run by `make example`, only when the
# site changes. Set the library path to the built package first (the Makefile does).
library(inktide)
files <- tide_demo(tempfile("site"), seed = 7, days = 56, share = 0.12)$files
target <- file.path("inst", "extdata", c("pairs.csv.gz", "totals.csv.gz", "capped.csv.gz"))
dir.create(dirname(target[1]), showWarnings = FALSE, recursive = TRUE)
for (i in seq_along(target)) {
  from <- files[c("daily", "totals", "capped")][[i]]
  packed <- gzfile(target[i], "wb", compression = 9)
  writeBin(readBin(from, "raw", file.size(from)), packed)
  close(packed)
}
print(file.size(target))
