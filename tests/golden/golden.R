# The referee of changes that must move no figure: what every command says in CSV on the demo site,
# the shipped examples and three simulated sites, held against what was frozen.
#   R_LIBS=.build/library Rscript tests/golden/golden.R freeze|compare
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
setDTthreads(1)
Sys.setenv(R_DATATABLE_NUM_THREADS = "1")
source("bench/read-rows.R")
source("bench/simulate-site.R")
source("bench/simulate-opportunities.R")
source("bench/simulate-otherwise.R")
frozen <- "tests/golden/frozen.rds"
folder <- tempfile("golden")
dir.create(folder)

demo <- tide_demo(file.path(folder, "demo"), seed = 1, days = 300, share = 0.3)$files
site_file <- function(name, rows) {
  file <- file.path(folder, paste0(name, ".csv"))
  fwrite(rows, file)
  file
}
sites <- list(low = site_file("low", simulate_opportunities("plain", 1)$rows),
  otherwise = site_file("otherwise", simulate_otherwise(names(otherwise_kinds)[1], 2)$rows),
  contested = site_file("contested", simulate_opportunities(names(opportunity_kinds)[2], 3)$rows))
examples <- tide_example()
events <- file.path(folder, "demo", "events.csv")

views <- function(file, ...) {
  always <- c(file, "--exported", "2026-12-01", ...)
  list(find = c("find", always, "--min-gain", "0"), tasks = c("find", always),
    pages = c("find", always, "--view", "page"), folders = c("find", always, "--view", "folder"),
    target = c("find", always, "--target", "3"),
    day = c("find", always, "--hours", "8", "--per-page", "1"), curve = c("curve", always),
    rivals = c("curve", always, "--compare"), diagnose = c("curve", always, "--diagnose"),
    moves = c("compare", always), page_moves = c("compare", always, "--level", "page"),
    folders_moved = c("compare", always, "--level", "folder"),
    windows = c("compare", always, "--windows", "7,28"),
    intent = c("compare", always, "--by", "intent"), bands = c("compare", always, "--by", "band"))
}
calls <- c(demo = views(c(demo[["daily"]], demo[["totals"]], demo[["page_totals"]]), "--brand",
  "fernmoor,fern moor"),
  demo_more = list(
    device = c("curve", demo[["daily"]], "--by", "device", "--exported", "2026-12-01"),
    months = c("curve", demo[["daily"]], "--by", "month", "--exported", "2026-12-01"),
    words = c("curve", demo[["daily"]], "--by", "words", "--exported", "2026-12-01"),
    devices = c("compare", demo[["daily"]], "--by", "device", "--exported", "2026-12-01"),
    site = c("trace", "/*", demo[["daily"]], "--exported", "2026-12-01"),
    query = c("trace", "buy tomato seeds", demo[["daily"]], "--exported", "2026-12-01")),
  demo_follow = lapply(
    stats::setNames(nm = c("pages", "lines", "bands", "events", "changes", "days")),
    function(view) {
      c("follow", demo[["daily"]], "--exported", "2026-12-01", "--events", events, "--view", view,
        "--days", "182")
    }), pairs = views(examples[["pairs"]], "--brand", "fernmoor"),
  capped = views(examples[["capped"]])[c("find", "curve", "pages")],
  unlist(lapply(sites, views), recursive = FALSE))

run <- function(words) {
  out <- tempfile()
  sink(out)
  status <- tryCatch(inktide:::cli_main(c(words, "--format", "csv", "--quiet")), finally = sink())
  text <- readLines(out, encoding = "UTF-8")
  if (status != 0 || !length(text)) return(list(status = status, text = text))
  list(status = status, rows = fread(text = c(text, ""), keepLeadingZeros = TRUE))
}
now <- parallel::mclapply(calls, run, mc.cores = 2)
# The arithmetic of the first finding of each kind, as text.
listed <- now[["demo.tasks"]]$rows
first <- listed$id[!duplicated(listed$kind)]
now <- c(now, lapply(stats::setNames(first, paste0("explain.", first)), function(id) {
  out <- tempfile()
  sink(out)
  tryCatch(inktide:::cli_main(c("trace", id, calls[["demo.tasks"]][-1], "--quiet")),
    finally = sink())
  list(status = 0L, rows = data.table(line = readLines(out)))
}))
# Texts are held against each other by their digests, numbers by the first 300 and by the sums of
# all.
now <- lapply(now, function(one) {
  rows <- lapply(one$rows, function(x) {
    if (is.numeric(x)) {
      c(utils::head(as.numeric(x), 300), sum(x, na.rm = TRUE), sum(abs(x), na.rm = TRUE))
    } else {
      digest::digest(as.character(x))
    }
  })
  list(status = one$status, rows = rows, lines = NROW(one$rows))
})
failed <- vapply(now, function(one) !length(one$rows), NA)
if (any(failed)) cat("no rows:", names(now)[failed], "\n")

if (identical(commandArgs(TRUE)[1], "freeze")) {
  saveRDS(now, frozen, compress = "xz")
  cat(sprintf("%d outputs frozen, %d rows\n", length(now), sum(vapply(now, `[[`, 0L, "lines"))))
} else {
  then <- readRDS(frozen)
  moved <- character()
  for (name in names(then)) {
    was <- then[[name]]
    is <- now[[name]]
    say <- function(...) {
      cat(name, ..., "\n")
      moved <<- union(moved, name)
    }
    if (is.null(is) || was$lines != is$lines || !identical(names(was$rows), names(is$rows)) ||
        was$status != is$status) {
      say("status", is$status, "rows", was$lines, "->", is$lines, "columns",
        setdiff(names(was$rows), names(is$rows)), "->", setdiff(names(is$rows), names(was$rows)))
      next
    }
    for (column in names(was$rows)) {
      before <- was$rows[[column]]
      after <- is$rows[[column]]
      if (is.character(before)) {
        if (!identical(before, after)) say(column, "other texts")
        next
      }
      apart <-
        which(abs(before - after) > 1e-9 * pmax(abs(before), 1) | is.na(before) != is.na(after))
      if (length(apart)) {
        say(column, length(apart), "rows, the first", apart[1], ":", before[apart[1]], "->",
          after[apart[1]])
      }
    }
  }
  moved <- length(moved)
  cat(sprintf("%d of %d outputs moved\n", moved, length(then)))
  quit(status = as.integer(moved > 0))
}
