# Makes the exports in inst/extdata from the demo site. Run by `make example`, only when the site
# changes. Set the library path to the built package first (the Makefile does).
library(inktide)
files <- tide_demo(tempfile("site"), seed = 7, days = 56, share = 0.12)$files
target <- file.path("inst", "extdata", c("pairs.csv", "totals.csv", "capped.csv"))
dir.create(dirname(target[1]), showWarnings = FALSE, recursive = TRUE)
file.copy(files[c("daily", "totals", "capped")], target, overwrite = TRUE)
print(file.size(target))
