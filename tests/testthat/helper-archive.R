# Exports for archives, what an archive holds, and loading from another process.

rows_of <- function(days, clicks, query = "kale", position = 3) {
  sprintf("%s,%s,/a,%d,1000,%g", format(as.IDate("2026-03-01") + days), query, clicks, position)
}

export <- function(...) csv("date,query,page,clicks,impressions,position", ...)

held <- function(store, ...) tide_stored(store, lag = 0, ...)$tables[["date x query x page"]]$rows

# Another process that loads a file into a store: list(status, err).
load_elsewhere <- function(store, file, before = "", wait = TRUE) {
  script <- tempfile(fileext = ".R")
  writeLines(c(
    sprintf(".libPaths(%s)", paste(deparse(.libPaths()), collapse = "")),
    "library(inktide)",
    sprintf(paste("done <- tryCatch({ tide_load(tide_store('%s'), '%s', exported =",
      "'2026-12-01', progress = function(x) message(x)); 0 },"),
      dirname(store$dir), file),
    paste("  tide_error_store = function(e) { message(conditionMessage(e)); 3 },",
      "tide_error_write = function(e) { message(conditionMessage(e)); 3 })"),
    "quit(status = done)"),
    script)
  err <- tempfile()
  command <-
    sprintf("%s %s %s >/dev/null 2>%s", before, file.path(R.home("bin"), "Rscript"), script, err)
  status <- suppressWarnings(system2("sh", c("-c", shQuote(command)), wait = wait))
  list(status = status, err = if (wait) readLines(err))
}
