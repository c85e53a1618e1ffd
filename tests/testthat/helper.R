# Files run beside each other.
data.table::setDTthreads(1)
library(data.table, warn.conflicts = FALSE)

# A CSV file of these lines.
csv <- function(..., name = "export.csv") {
  dir.create(dir <- tempfile("csv"))
  file <- file.path(dir, name)
  writeLines(c(...), file, useBytes = TRUE)
  file
}

# Simulations and whole sites, which take longer than a change should wait for: they run with `make
# test-all`.
with_studies <- function() nzchar(Sys.getenv("INKTIDE_STUDIES"))
skip_unless_studies <- function() skip_if_not(with_studies(), "a study")
# How often something random is tried, and how many of like cases: all among the studies.
turns <- function(times) if (with_studies()) times else max(2, times %/% 10)
some <- function(cases, of = 2) {
  if (with_studies()) cases else cases[unique(round(seq(1, length(cases), length.out = of)))]
}

# Data as read, straight from rows.
as_data <- function(rows) {
  dimensions <- intersect(inktide:::dimension_names, names(rows))
  rows <- copy(rows)
  # A file read has its texts coded.
  for (column in Filter(function(column) is.character(rows[[column]]), dimensions)) {
    set(rows, j = column, value = factor(rows[[column]], unique(rows[[column]])))
  }
  tables <- stats::setNames(list(inktide:::new_table(rows, dimensions, as.IDate("2030-01-01"))),
    inktide:::grain_label(dimensions))
  inktide:::new_tide_data(tables, data.table(file = "made.csv", rows = nrow(rows),
    kept = nrow(rows), ctr = "none", capped = FALSE, grain = names(tables)),
    inktide:::sum_left_out(data.table()))
}

# Of no family that is fitted: an exponential fall to a floor.
made_curve <- 0.02 + 0.26 * exp(-0.5 * (0:9))

# A site with a known curve: one row per query and day. `factor` multiplies the curve for each
# query.
made_site <- function(queries = 600, days = 60, seed = 1, curve = made_curve,
    factor = exp(rnorm(queries, -0.045, 0.3)), demand = exp(rnorm(queries, 1.5, 1))) {
  set.seed(seed)
  force(factor)
  force(demand)
  rows <- CJ(q = seq_len(queries), day = seq_len(days))
  home <- sample(seq_along(curve), queries, TRUE)
  rows[, position := pmin(length(curve), pmax(1, home[q] + sample(-1:1, .N, TRUE)))]
  rows[, impressions := rpois(.N, demand[q])]
  rows <- rows[impressions > 0]
  rows[, clicks := rbinom(.N, impressions, pmin(0.95, curve[position] * factor[q]))]
  rows[, .(date = as.IDate("2026-01-01") + day, query = sprintf("query %04d", q),
    page = sprintf("https://www.fernmoor.example/p%d/", q %/% 3), clicks, impressions,
    position = as.numeric(position))]
}

# The demo site and what is found in it, made once for all tests.
demo <- local({
  made <- getOption("inktide_demo")
  function() {
    if (is.null(made)) {
      site <- tide_demo(seed = 3)
      summary <- tide_summary(as_data(site$daily), brand = inktide:::demo_code()$demo_brand_words)
      made <<- list(site = site, summary = summary, found = tide_find(summary))
    }
    made
  }
})

# The program as a person calls it, in this process; in one of its own where the environment
# matters. Out: status, out, err.
program <- function(..., dir = ".", env = character()) {
  withr::local_dir(dir)
  if (length(env)) return(process(..., env = env))
  withr::local_envvar(R_DATATABLE_NUM_THREADS = "1", TZ = "UTC",
    R_USER_CACHE_DIR = file.path(tempdir(), "cache"))
  out <- withr::local_tempfile()
  err <- withr::local_tempfile()
  to <- file(err, "w", encoding = "UTF-8")
  sink(out)
  sink(to, type = "message")
  status <- tryCatch(inktide:::cli_main(c(...)), finally = {
    sink(type = "message")
    sink()
    close(to)
  })
  list(status = status, out = readLines(out, encoding = "UTF-8"),
    err = readLines(err, encoding = "UTF-8"))
}

# exec/inktide itself.
process <- function(..., env = character()) {
  out <- withr::local_tempfile()
  err <- withr::local_tempfile()
  status <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"),
    shQuote(c(system.file("exec", "inktide", package = "inktide"), ...)), stdout = out,
    stderr = err,
    env = c(paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep)), env)))
  list(status = status, out = readLines(out, encoding = "UTF-8"),
    err = readLines(err, encoding = "UTF-8"))
}
