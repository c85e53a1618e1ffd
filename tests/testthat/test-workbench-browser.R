# The workbench in a real browser, as somebody uses it: what must hold stands in
# tests/browser/workbench.js.

# An exec/inktide open of its own. Out: its address.
local_workbench <- function(..., test = parent.frame()) {
  out <- withr::local_tempfile(.local_envir = test)
  program <- system.file("exec", "inktide", package = "inktide")
  process <- callr::process$new("Rscript", c(program, "open", ..., "--no-browser"), stdout = out,
    stderr = "2>&1", env = c("current",
      R_LIBS = paste(.libPaths(), collapse = .Platform$path.sep),
      R_USER_CACHE_DIR = file.path(tempdir(), "cache")))
  withr::defer(process$kill_tree(), envir = test)
  for (try in 1:100) {
    Sys.sleep(0.2)
    url <- regmatches(said <- paste(readLines(out, warn = FALSE), collapse = " "),
      regexpr("http://[^ ]+token=[0-9a-f]+", said))
    if (length(url)) return(url)
  }
  stop("the workbench does not open: ", said)
}

test_that("a walk through the workbench holds what it promises", {
  skip_unless_studies()
  skip_if_not_installed("shiny")
  skip_if_not_installed("callr")
  modules <- file.path(Sys.getenv("INKTIDE_BROWSER"), "node_modules")
  skip_if(!nzchar(Sys.which("node")) || !nzchar(Sys.which("chromium")) ||
    !dir.exists(file.path(modules, "playwright-core")), "no browser that can be driven")
  dir <- withr::local_tempdir()
  tide_demo(dir, seed = 4, days = 120)
  store <- tide_store(dir)
  tide_load(store, file.path(dir, "exports", c("daily.csv", "daily-totals.csv")))
  tide_load(store, tide_pages_read(file.path(dir, "site-html"),
    site = "https://www.fernmoor.example/"))
  hostile <- withr::local_tempfile(fileext = ".csv")
  odd <- c("<script>window.taken = 1</script>", "<img src=x onerror=\"taken=1\">",
    "\u202eseeds \u2066of\u2069 peas", strrep("long words ", 900), "'); DROP TABLE rows; --",
    "plain pea seeds", "\" autofocus onfocus=\"taken=1")
  fwrite(CJ(date = seq(as.Date("2026-06-01"), by = "day", length.out = 40), query = odd)[,
    c(.SD, list(page = "https://www.fernmoor.example/<b>x</b>/'\"/", clicks = 1L,
      impressions = 20L, position = 4))],
    hostile)
  later <- csv("date,query,page,clicks,impressions,position",
    sprintf("2026-01-%02d,pea seeds,https://www.fernmoor.example/shop/pea/,2,30,4", 1:20))
  report <- file.path(dir, "report.html")
  expect_equal(program("report", "--project", dir, "--out", report, "--quiet")$status, 0)
  walk <- test_path("..", "browser", "workbench.js")
  out <- system2("node", c(walk, modules, Sys.which("chromium"),
    shQuote(local_workbench("--project", dir)), shQuote(local_workbench(hostile)),
    shQuote(local_workbench("--project", dir, "--read-only")),
    system.file("exec", "inktide", package = "inktide"), dir, later, report),
    stdout = TRUE)
  held <- rbindlist(lapply(out[startsWith(out, "{")], jsonlite::fromJSON))
  expect_gt(nrow(held), 40)
  for (i in seq_len(nrow(held))) {
    expect_true(held$ok[i], label = paste0(held$name[i], " (", held$seen[i], ")"))
  }
})
