# Kills a load 200 times at random moments and looks at the archive after each: it must be as
# before the load or as after it, and no committed row may be lost. Run: R_LIBS=.build/library
# Rscript bench/kill-loads.R [TIMES]
suppressPackageStartupMessages({
  library(inktide)
  library(data.table)
})
times <- c(as.numeric(commandArgs(TRUE)), 200)[1]
set.seed(1)
dir <- tempfile("kill")
dir.create(dir)
store <- tide_store(dir)
site <- tide_demo(seed = 4, days = 120, share = 0.3)
rows <- site$daily[, .(date, query, page, device, clicks, impressions, position)]
exe <- file.path(R.home("bin"), "Rscript")
script <- tempfile(fileext = ".R")
state <- function() {
  if (!nrow(summary(store)[summary(store)$undone == 0, ])) return(c(0, 0))
  t <- tide_stored(store, lag = 0)$tables[[1]]$rows
  c(nrow(t), sum(t$clicks))
}
load_in <- function(seconds, file, exported) {
  writeLines(sprintf("library(inktide); tide_load(tide_store('%s'), '%s', exported = '%s')", dir,
    file, exported),
    script)
  system2("sh", c("-c", shQuote(sprintf("R_LIBS=%s timeout -s KILL %.3f %s %s >/dev/null 2>&1",
    paste(.libPaths(), collapse = ":"), seconds, exe, script))))
}
# How long a whole load takes decides where the kills fall.
first <- file.path(dir, "first.csv")
fwrite(rows, first)
tide_load(store, first, exported = "2026-11-01")
again <- file.path(dir, "again.csv")
fwrite(copy(rows)[, impressions := impressions + 1L], again)
whole <- system.time(load_in(60, again, "2026-11-02"))[["elapsed"]]
stopifnot(nrow(summary(store)) == 2)
lost <- between <- landed <- 0
for (i in seq_len(times)) {
  file <- file.path(dir, "next.csv")
  fwrite(copy(rows)[, clicks := clicks + i * 0L + rbinom(.N, 1, 0.01)][,
    impressions := pmax(impressions, clicks)],
    file)
  before <- state()
  load_in(whole * runif(1, 0.4, 1.4), file, sprintf("2027-%02d-%02d", 1 + i %/% 28, 1 + i %% 28))
  after <- state()
  wanted <- fread(file)[, c(.N, sum(clicks))]
  if (identical(as.numeric(after), as.numeric(wanted))) {
    landed <- landed + 1
  } else if (!identical(after, before)) {
    between <- between + 1
  }
  if (after[1] < before[1]) lost <- lost + 1
}
problems <- tide_check(store)$problems
left <- setdiff(list.files(file.path(store$dir, "parts")),
  DBI::dbGetQuery(con <- DBI::dbConnect(RSQLite::SQLite(), file.path(store$dir, "archive.sqlite")),
    "SELECT file FROM parts")$file)
DBI::dbDisconnect(con)
cat(sprintf(paste("%d kills: %d came too late (load whole), %d left the archive as before,",
  "%d between, %d lost rows; %d leftover parts wait for the next load;", "damaged parts: %d\n"),
  times, landed, times - landed - between, between, lost, length(left),
  sum(problems$problem == "damaged part")))
