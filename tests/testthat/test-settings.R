project <- function(...) {
  dir.create(dir <- tempfile("project"))
  writeLines(c(...), file.path(dir, "inktide.yml"))
  dir
}

test_that("settings are read, paths are relative to them", {
  dir <- project("site: https://www.fernmoor.example/", "brand: [fernmoor, fern moor]", "exports: ['exports/*.csv']", "columns: {query: Words}")
  dir.create(file.path(dir, "exports"))
  writeLines("a", file.path(dir, "exports", "b.csv"))
  read <- tide_settings(dir)
  expect_equal(read$rules$brand, c("fernmoor", "fern moor"))
  expect_equal(basename(read$exports), "b.csv")
  expect_equal(read$columns, c(query = "Words"))
  expect_equal(inktide:::find_project(file.path(dir, "exports")), normalizePath(dir))
  expect_null(inktide:::find_project(tempdir()))
})

test_that("mistakes in settings are named with their line and the nearest name", {
  cases <- list(
    list(c("# a comment", "brands: [x]"), "line 2.*Did you mean 'brand'"),
    list(c("site: a", "exports: [nowhere.csv]"), "missing.*nowhere.csv"),
    list(c("brand: [a", "b"), "cannot be read"),
    list(c("brand: a", "sight: x"), "line 2.*'site'"))
  for (case in cases) {
    error <- expect_error(tide_settings(project(case[[1]])), class = "tide_error_settings")
    expect_match(gsub("\\s+", " ", conditionMessage(error)), case[[2]])
  }
  expect_error(tide_settings(tempdir()), class = "tide_error_project")
})

test_that("options are checked before any file is touched", {
  parse <- function(...) inktide:::parse_call(c(inktide:::cli_commands()$find, name = "find"), c(...))
  call <- parse("a.csv", "--brand", "x, y z", "--position", "4:20", "--device", "mobile", "--columns", "query=Words,page=Where")
  expect_equal(call$files, "a.csv")
  expect_equal(call$options$brand, c("x", "y z"))
  expect_equal(call$options$position, c(4, 20))
  expect_equal(call$options$columns, c(query = "Words", page = "Where"))
  expect_null(call$options$to)
  words <- tempfile()
  writeLines(c("fernmoor", "", " fern moor "), words)
  expect_equal(parse("--brand", paste0("@", words))$options$brand, c("fernmoor", "fern moor"))
  for (bad in list(c("--position", "20:4"), c("--columns", "Words"), c("--brand", "@nowhere"), c("--days", "x"), c("--frmat", "csv"))) {
    expect_error(parse(bad), class = "tide_error")
  }
})

test_that("texts for the terminal keep to their width, whatever the script", {
  wide <- c("kale", "\u6d77\u5e26 \u79cd\u5b50 \u5927 \u5305\u88c5", "a very long query about growing kale in pots")
  expect_equal(nchar(inktide:::fit_text(wide, 12), "width"), rep(12, 3), tolerance = 0.1)
  expect_match(inktide:::fit_path("/guides/how-to-grow-artichoke/", 12), "choke/$")
  lines <- inktide:::wrap_lines(c("short", paste("  indented", strrep("word ", 40))), 60)
  expect_true(all(nchar(lines) <= 60))
  expect_true(all(startsWith(lines[-1], "  ")))
})

test_that("the demo command makes a whole project, and refuses a folder that holds something else", {
  dir <- file.path(withr::local_tempdir(), "fernmoor")
  run <- program("demo", dir, "--quiet", env = "COLUMNS=80")
  expect_equal(run$status, 0)
  made <- c("inktide.yml", "report.html", "findings.csv", "figures/curve.png", "figures/map.png", "exports/daily.csv", "exports/top-queries.csv")
  expect_true(all(file.exists(file.path(dir, made))))
  expect_true(all(nchar(head(run$out, 20), "width") <= 80))
  expect_gt(nrow(fread(file.path(dir, "findings.csv"))), 50)
  other <- withr::local_tempdir()
  writeLines("mine", file.path(other, "notes.txt"))
  expect_equal(program("demo", other)$status, 2)
})
