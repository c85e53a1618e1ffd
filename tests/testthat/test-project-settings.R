project <- function(...) {
  dir.create(dir <- tempfile("project"))
  writeLines(c(...), file.path(dir, "inktide.yml"))
  dir
}

test_that("settings are read, paths are relative to them", {
  dir <- project("site: https://www.fernmoor.example/", "brand: [fernmoor, fern moor]",
    "exports: ['exports/*.csv']", "columns: {query: Words}")
  dir.create(file.path(dir, "exports"))
  writeLines("a", file.path(dir, "exports", "b.csv"))
  read <- tide_settings(dir)
  expect_equal(read$rules$brand, c("fernmoor", "fern moor"))
  expect_equal(basename(inktide:::named_files(read, "exports")), "b.csv")
  expect_equal(read$columns, c(query = "Words"))
  expect_equal(inktide:::find_project(file.path(dir, "exports")), normalizePath(dir))
  expect_null(inktide:::find_project(tempdir()))
})

test_that("mistakes in settings are named with their line and the nearest name", {
  cases <- list(
    list(c("# a comment", "brands: [x]"), "line 2.*Did you mean 'brand'"),
    list(c("site: a", "exports: [nowhere.csv]"), "missing.*line 2.*nowhere.csv"),
    list(c("brand: [a", "b"), "cannot be read"),
    list(c("brand: a", "sight: x"), "line 2.*'site'"),
    list(c("windows:", "  lag: 2", "  recnt_days: 3"), "line 3.*'recent_days'"),
    list(c("thresholds:", "  striking_distance: 20:4"), "range.*line 2"),
    list(c("bands: [4, 1]"), "begin with 1.*line 1"),
    list(c("segments:", "  long: {words: '5:'}", "  odd: {query: '(a'}"),
      "not a regular expression.*line 3"),
    list(c("segments:", "  long:", "    wrds: 5"), "line 3.*'words'"),
    list(c("segments:", "  brand: {words: 5}"), "called otherwise.*line 2"))
  for (case in cases) {
    error <- expect_error(inktide:::named_files(tide_settings(project(case[[1]])), "exports"),
      class = "tide_error_settings")
    expect_match(gsub("\\s+", " ", conditionMessage(error)), case[[2]])
  }
  expect_error(tide_settings(tempdir()), class = "tide_error_project")
})

test_that("a whole file of settings becomes rules, segments and thresholds", {
  read <- tide_settings(project("brand: [fernmoor]", "intent: {buying: [buy, price]}",
    "page_groups: {advice: /guides/}", "bands: [1, 6]", "windows: {lag: 2}",
    "thresholds: {striking_distance: \"5:15\"}", "segments:",
    "  long phones: {words: \"5:\", device: mobile, brand: false}"))
  expect_equal(inktide:::band_names(read$rules$bands), c("1-5", "6+"))
  expect_equal(names(read$rules$intent), "buying")
  expect_equal(read$segments[["long phones"]]$conditions,
    list(words = c(5, Inf), device = "mobile", brand = FALSE))
  expect_equal(read$thresholds$striking_distance, c(5, 15))
})

test_that("segments of the settings work in every command, inverted too", {
  dir <-
    project("brand: [fernmoor]", "segments: {seeds: {has_any: [seeds]}, phone: {device: mobile}}")
  files <- tide_example()[["pairs"]]
  rows <- function(...) fread(text = c(
    program(..., files, "--project", dir, "--format", "csv", "--quiet")$out, ""))
  inside <- rows("find", "--segment", "seeds")
  outside <- rows("find", "--segment", "not:seeds")
  expect_true(all(grepl("seeds", inside$query)) && !any(grepl("seeds", outside$query)))
  expect_lt(sum(rows("curve", "--segment", "seeds")$impressions), sum(rows("curve")$impressions))
  expect_lt(sum(rows("trace", "/shop/*", "--segment", "phone,seeds")$clicks),
    sum(rows("trace", "/shop/*")$clicks))
  two <- rows("compare", "--segments", "seeds,not:seeds")
  expect_equal(unique(two$segment), c("seeds", "not seeds"))
  wrong <- program("find", files, "--project", dir, "--segment", "sedes")
  expect_equal(wrong$status, 2)
  expect_match(wrong$err, "Did you mean 'seeds'", all = FALSE)
  expect_equal(program("compare", "--by", "device", "--segments", "brand", files)$status, 2)
  expect_equal(program("compare", "--by", "device", "--level", "page", files)$status, 2)
})

test_that("hours of work can be set for every kind of finding", {
  dir <- withr::local_tempdir()
  writeLines(c("hours:", "  low_ctr: 2"), file.path(dir, "inktide.yml"))
  expect_equal(tide_settings(dir)$hours, list(low_ctr = 2))
  writeLines(c("hours:", "  low_ctr: 0"), file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
  found <- demo()$found
  slow <- tide_find(demo()$summary, found$curve, kind = "low_ctr", hours = c(low_ctr = 2))$findings
  expect_true(all(slow$hours[slow$task == slow$id] == 2))
})

test_that("settings that would run, multiply or be misread are refused by line", {
  of <- function(..., bytes = NULL) {
    dir <- withr::local_tempdir(.local_envir = parent.frame())
    file <- file.path(dir, "inktide.yml")
    if (is.null(bytes)) writeLines(c(...), file) else writeBin(bytes, file)
    tide_settings(dir)
  }
  bad <- list("brand: [!expr Sys.time()]", c("site: x", "brand: &a [x, *a]"),
    paste0("brand: ", strrep("[", 500), strrep("]", 500)),
    vapply(0:60, function(i) paste0(strrep("  ", i), "a:"), ""), rep("brand: [a]", 1e5),
    c("brand: [a]", "brand: [b]"))
  for (lines in bad) expect_error(expect_silent(of(lines)), class = "tide_error_settings")
  expect_error(of("site: x", "brand: [!expr x]"), "line 2", class = "tide_error_settings")
  utf16 <- iconv(list(charToRaw("brand: [a]\n")), "UTF-8", "UTF-16LE", toRaw = TRUE)[[1]]
  expect_error(of(bytes = utf16), "UTF-8", class = "tide_error_settings")
  expect_equal(of(bytes = c(as.raw(c(0xef, 0xbb, 0xbf)), charToRaw("brand: [ab]\n")))$rules$brand,
    "ab")
  expect_equal(of("brand: ['*best*', \"a & b\", fern!moor]  # !expr")$rules$brand,
    c("*best*", "a & b", "fern!moor"))
})
