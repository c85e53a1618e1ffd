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
  cases <- list(list(c("# a comment", "brands: [x]"), "line 2.*Did you mean 'brand'"),
    list(c("site: a", "exports: [nowhere.csv]"), "missing.*line 2.*nowhere.csv"),
    list(c("brand: [a", "b"), "cannot be read"), list(c("brand: a", "sight: x"), "line 2.*'site'"),
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

test_that("init guesses settings with their evidence, that can be read and are never overwritten", {
  dir <- withr::local_tempdir()
  run <- program("init", tide_example()[["pairs"]], "--project", file.path(dir, "new"))
  expect_equal(run$status, 0)
  expect_match(run$out, "fernmoor: .*clicks", all = FALSE)
  read <- tide_settings(file.path(dir, "new"))
  expect_equal(read$site, "https://www.fernmoor.example/")
  expect_true("fernmoor" %in% read$rules$brand)
  expect_true("guides" %in% names(read$rules$page_groups))
  again <- program("init", tide_example()[["pairs"]], "--project", file.path(dir, "new"))
  expect_equal(again$status, 2)
  expect_match(again$err, "has settings already", all = FALSE)
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
  expect_equal(two$segment, c("seeds", "not seeds"))
  wrong <- program("find", files, "--project", dir, "--segment", "sedes")
  expect_equal(wrong$status, 2)
  expect_match(wrong$err, "Did you mean 'seeds'", all = FALSE)
  expect_equal(program("compare", "--by", "device", "--segments", "brand", files)$status, 2)
  expect_equal(program("compare", "--by", "device", "--level", "page", files)$status, 2)
})

test_that("options are checked before any file is touched", {
  parse <- function(...) inktide:::parse_call(c(inktide:::cli_commands()$find, name = "find"),
    c(...))
  call <- parse("a.csv", "--brand", "x, y z", "--position", "4:20", "--device", "mobile",
    "--columns", "query=Words,page=Where")
  expect_equal(call$files, "a.csv")
  expect_equal(call$options$brand, c("x", "y z"))
  expect_equal(call$options$position, c(4, 20))
  expect_equal(call$options$columns, c(query = "Words", page = "Where"))
  expect_null(call$options$to)
  words <- tempfile()
  writeLines(c("fernmoor", "", " fern moor "), words)
  expect_equal(parse("--brand", paste0("@", words))$options$brand, c("fernmoor", "fern moor"))
  for (bad in list(c("--position", "20:4"), c("--columns", "Words"), c("--brand", "@nowhere"),
      c("--days", "x"), c("--frmat", "csv"))) {
    expect_error(parse(bad), class = "tide_error")
  }
})

test_that("texts for the terminal keep to their width, whatever the script", {
  wide <- c("kale", "\u6d77\u5e26 \u79cd\u5b50 \u5927 \u5305\u88c5",
    "a very long query about growing kale in pots")
  expect_equal(nchar(inktide:::fit_text(wide, 12), "width"), rep(12, 3), tolerance = 0.1)
  expect_match(inktide:::fit_path("/guides/how-to-grow-artichoke/", 12), "choke/$")
  lines <- inktide:::wrap_lines(c("short", paste("  indented", strrep("word ", 40))), 60)
  expect_true(all(nchar(lines) <= 60))
  expect_true(all(startsWith(lines[-1], "  ")))
})

test_that("the demo command makes a whole project, and refuses a folder that holds something else",
  {
    skip_unless_studies()
    dir <- file.path(withr::local_tempdir(), "fernmoor")
    run <- program("demo", dir, "--quiet", env = "COLUMNS=80")
    expect_equal(run$status, 0)
    made <- c("inktide.yml", "report.html", "findings.csv", "figures/curve.png", "figures/map.png",
      "exports/daily.csv", "exports/top-queries.csv")
    expect_true(all(file.exists(file.path(dir, made))))
    expect_true(all(nchar(head(run$out, 20), "width") <= 80))
    expect_gt(nrow(fread(file.path(dir, "findings.csv"))), 50)
    other <- withr::local_tempdir()
    writeLines("mine", file.path(other, "notes.txt"))
    expect_equal(program("demo", other)$status, 2)
  })

test_that("hours of work can be set for every kind of finding", {
  expect_setequal(inktide:::finding_names, names(inktide:::finding_kinds()))
  dir <- withr::local_tempdir()
  writeLines(c("hours:", "  low_ctr: 2"), file.path(dir, "inktide.yml"))
  expect_equal(tide_settings(dir)$hours, list(low_ctr = 2))
  writeLines(c("hours:", "  low_ctr: 0"), file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
  found <- demo()$found
  slower <- tide_find(demo()$summary, found$curve, hours = c(low_ctr = 2), kind = "low_ctr")$findings
  expect_true(all(slower$hours[slower$task == slower$id] == 2))
})

test_that("what is suggested has its evidence in the data and can be read back once written", {
  rows <- rbind(data.table(query = c("fernmoor", "fernmoor seeds", "fernmore"),
    page = "https://shop.fernmoor.example/", clicks = c(50, 20, 9), impressions = c(90, 40, 20),
    position = 1),
    data.table(query = sprintf("kale %d", 1:6),
      page = sprintf("https://shop.fernmoor.example/%s/%d", c("a", "b"), 1:6), clicks = 1,
      impressions = 30, position = 6))
  suggested <- tide_init(as_data(rows))
  expect_equal(suggested$site, "https://shop.fernmoor.example/")
  expect_equal(suggested$brand$word, c("fernmoor", "fernmore"))
  expect_equal(suggested$brand$clicks, c(70, 9))
  expect_true(all(suggested$brand$sure))
  expect_equal(as.data.frame(suggested$folders),
    data.frame(folder = c("/a/", "/b/"), pages = 3L, clicks = 3))
  dir <- withr::local_tempdir()
  fwrite(rows, file.path(dir, "day.csv"))
  file <- tide_init(as_data(rows), file.path(dir, "new"), exports = file.path(dir, "day.csv"))$file
  read <- tide_settings(dirname(file))
  expect_setequal(read$rules$brand, c("fernmoor", "fernmore"))
  expect_equal(basename(read$exports), "day.csv")
  expect_error(tide_init(NULL, dirname(file)), class = "tide_error_project")
  # Without pages there is nothing to guess from, and that is no error.
  expect_null(tide_init(as_data(rows[, !"page"]))$site)
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

test_that("assumptions stand in one table, are set by name and move what they say", {
  table <- tide_assumptions()
  expect_false(anyDuplicated(table$name) > 0)
  expect_true(all(table$value > 0 & nzchar(table$about) & nzchar(table$source)))
  expect_true(all(unlist(strsplit(table$moves, " ")) %in% names(inktide:::finding_kinds())))
  # Each is asked for somewhere, and nothing is asked for that is not there.
  code <- unlist(lapply(ls(asNamespace("inktide")), function(name) {
    object <- get(name, asNamespace("inktide"))
    if (is.function(object)) deparse(object)
  }))
  asked <- unique(unlist(regmatches(code, gregexpr("(?<=assumed\\(\")[a-z_]+", code, perl = TRUE))))
  expect_setequal(asked, table$name)
  summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
  curve <- tide_curve(summary)
  gain <- function(...) {
    found <- tide_find(summary, curve, min_gain = 0, ...)$findings
    vapply(split(found$gain, found$kind), sum, 0)
  }
  usual <- gain()
  moved <- gain(assumptions = list(step_chance = 0.2))
  expect_lt(moved[["striking_distance"]], 0.8 * usual[["striking_distance"]])
  expect_equal(gain(), usual)
  expect_error(tide_find(summary, curve, assumptions = list(merge_risk = 1)),
    class = "tide_error_argument")
  expect_error(tide_assumptions(list(merge_rise = -1)), class = "tide_error_argument")
  dir <- withr::local_tempdir()
  writeLines(c("site: x", "assumptions: {merge_rise: 0.7}"), file.path(dir, "inktide.yml"))
  expect_equal(tide_settings(dir)$assumptions, list(merge_rise = 0.7))
  writeLines(c("site: x", "assumptions: {merge_risk: 0.7}"), file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
})
