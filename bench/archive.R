# The archive at 10 million rows over 16 months: a window of 90 days beside all of it, and the
# reduction month by month beside all at once, with peak memory, and under a memory limit that all
# at once does not fit into.
#   R_LIBS=.build/library Rscript bench/archive.R [ROWS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/make-data.R")
rows <- c(as.numeric(commandArgs(TRUE)), 1e7)[1]
dir <- sprintf("bench/data/archive-%.0f", rows)
if (!dir.exists(dir)) {
  store <- tide_store(dir)
  first <- as.IDate("2025-07-01")
  for (month in 0:15) {
    from <- seq(as.Date(first), by = "month", length.out = 17)[month + 1:2]
    file <- tempfile(fileext = ".csv")
    make_export(rows / 16, file, days = as.integer(diff(from)), from = format(from[1]),
      queries = max(300, rows / 16 / 7))
    used <- system.time(tide_load(store, file, exported = from[2] + 10))[["elapsed"]]
    message(sprintf("month %d: %.0f rows loaded in %.1f s", month + 1, rows / 16, used))
    unlink(file)
  }
}
timed <- function(code, limit_mb = NULL, first = "NULL") {
  script <- tempfile(fileext = ".R")
  writeLines(sprintf(paste("suppressPackageStartupMessages(library(inktide)); store <-",
    "tide_store('%s'); %s; t <- system.time({ %s }); cat(t[['elapsed']])"),
    dir, first, code),
    script)
  log <- tempfile()
  command <- sprintf("%s time -f '%%M' -o %s %s %s 2>/dev/null",
    if (is.null(limit_mb)) "" else sprintf("ulimit -v %d;", limit_mb * 1024L), log,
    file.path(R.home("bin"), "Rscript"), script)
  out <- suppressWarnings(system2("sh", c("-c", shQuote(command)), stdout = TRUE))
  list(seconds = if (length(out)) as.numeric(tail(out, 1)) else NA,
    peak = as.numeric(tail(readLines(log), 1)) / 1024)
}
cases <- c(
  `all rows, read` = "x <- tide_stored(store, lag = 0)",
  `90 days, read` = "x <- tide_stored(store, days = 90, lag = 0)",
  `all rows, summary at once` = paste(
    "x <- tide_summary(tide_stored(store, lag = 0, dimensions = c('date',", "'query', 'page')))"),
  `all rows, summary by month` = paste(
    "x <- tide_summary(tide_stored(store, lag = 0, dimensions = c('date',",
    "'query', 'page'), by_month = TRUE))"),
  `90 days, summary by month` = paste(
    "x <- tide_summary(tide_stored(store, days = 90, lag = 0, dimensions =",
    "c('date', 'query', 'page'), by_month = TRUE))"))
# Two windows compared by query, beside reading them; the curve is at hand, as it is in a project.
windows <- paste("d <- tide_stored(store, from = '2026-09-06', to = '2026-10-31', lag = 0,",
  "dimensions = c('date', 'query', 'page'))")
curve <- tempfile(fileext = ".rds")
saveRDS(tide_curve(tide_summary(tide_stored(tide_store(dir), days = 90, lag = 0,
  dimensions = c("date", "query", "page"), by_month = TRUE))),
  curve)
cases <- c(
  cases,
  `two windows of 28 days, read` = windows,
  `two windows, read and compared by query` = paste0(windows,
    "; x <- tide_compare(d, curve = curve)"))
results <- rbindlist(lapply(names(cases), function(name) {
  run <- timed(cases[[name]],
    first = if (grepl("compared", name)) sprintf("curve <- readRDS('%s')", curve) else "NULL")
  data.table(case = name, seconds = run$seconds, peak_mb = round(run$peak))
}))
print(results)
limit <- results$peak_mb[4] + 450
for (name in names(cases)[3:4]) {
  cat(sprintf("under a limit of %d MB of address space, %s: %s\n", limit, name,
    if (is.na(timed(cases[[name]], limit)$seconds)) "does not fit" else "works"))
}
