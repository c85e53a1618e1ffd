# Each option of each command is used or refused: what has no meaning in a call is no silent matter.

# Files of one small site: by date, query, page and more; without dates; totals by date.
files_of <- function() {
  rows <- fread(tide_example()[["pairs"]])
  rows[, "Country" := c("nor", "deu", "swe")[1 + seq_len(.N) %% 3]]
  undated <- rows[, .(Clicks = sum(Clicks), Impressions = sum(Impressions),
    Position = sum(Position * Impressions) / sum(Impressions)), by = c("Query", "Page")]
  dir <- tempfile("used")
  dir.create(dir)
  paths <- list(dated = file.path(dir, "dated.csv"), undated = file.path(dir, "undated.csv"),
    totals = tide_example()[["totals"]], months = file.path(dir, "months.csv"))
  fwrite(rows, paths$dated)
  fwrite(undated, paths$undated)
  set.seed(1)
  fwrite(data.table(month = sprintf("%d-%02d", 2023 + 0:35 %/% 12, 0:35 %% 12 + 1),
    clicks = round(3000 * exp(rnorm(36, 0, 0.1)))), paths$months)
  paths
}

test_that("an option that has no meaning in a call is refused, and named", {
  files <- files_of()
  refused <- function(...) {
    run <- program(..., "--quiet", "--exported", "2026-12-01")
    expect_equal(run$status, 2L, label = paste(c(...), collapse = " "))
    flags <- grep("^--", c(...), value = TRUE)
    # By its own name, without a trace.
    expect_match(paste(run$err, collapse = " "), paste(flags, collapse = "|"))
  }
  window <- list(c("--after", "2026-10-01..2026-10-10"), c("--before", "2026-09-10..2026-09-12"),
    "--year", c("--windows", "7"), "--all-days")
  for (option in some(c(window, list(c("--why", "pea"), c("--top", "3"), c("--fdr", "0.2"))), 4)) {
    refused("compare", files$dated, "--by", "device", option)
    refused("compare", files$undated, "--by", "intent", option)
  }
  for (option in some(list(c("--why", "pea"), c("--top", "3"), c("--brand", "fernmoor"),
    c("--figure", "x.svg")))) {
    refused("compare", files$totals, option)
  }
  for (option in list(c("--from", "2026-10-01"), c("--to", "2026-10-01"),
    c("--without", "2026-10-02"))) {
    for (command in some(c("find", "curve", "list", "value", "report", "compare", "trace"))) {
      refused(command, if (command == "trace") "seeds", files$undated, option,
        if (command == "compare") c("--by", "intent"))
    }
  }
  for (option in some(list(c("--query", "x"), c("--days", "9"), c("--by", "brand"),
    c("--hours", "3"), c("--band", "4:9")))) {
    refused("forecast", "--history", files$months, option)
  }
  refused("list", files$dated, "--lead", "3")
  refused("list", files$totals, "--brand", "fernmoor")
  for (command in c("compare", "follow", "watched")) {
    refused(command, files$dated, "--facts", files$months)
  }
})

test_that("of a table without dates no days are chosen, also beside totals that have them", {
  rows <- fread(tide_example()[["pairs"]])
  dir <- withr::local_tempdir()
  for (by in c("Query", "Page", "Date")) {
    fwrite(rows[, .(Clicks = sum(Clicks), Impressions = sum(Impressions),
      Position = sum(Position * Impressions) / sum(Impressions)), by = by],
      file.path(dir, paste0(by, ".csv")))
  }
  run <- function(command, ...) {
    program(command, dir, ..., "--exported", "2026-12-01", "--format", "csv")
  }
  whole <- run("find")
  # Some of its 56 days are refused; days that hold them all change nothing.
  for (option in list(c("--from", "2026-10-01"), c("--to", "2026-10-01"), c("--days", "28"),
    c("--without", "2026-10-02"))) {
    for (command in some(c("find", "list", "curve", "value"), 1)) {
      refused <- run(command, option, if (command == "list") c("--by", "query"))
      expect_equal(refused$status, 2)
      expect_match(paste(refused$err, collapse = " "), "by query has no dates")
    }
    expect_equal(run("list", "--by", "day", option)$status, 0)
  }
  for (option in list(c("--days", "400"), c("--from", "2026-09-01"), c("--without",
    "2026-11-02"))) {
    expect_equal(run("find", option)$out, whole$out)
  }
  # The archive says the same of the same rows; what nobody chose leaves nothing out.
  project <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "brand: fernmoor"),
    file.path(project, "inktide.yml"))
  tide_load(tide_store(project), dir, exported = "2026-12-01")
  stored <- function(...) program(..., "--project", project, "--format", "csv")
  expect_equal(stored("find")$out, run("find", "--brand", "fernmoor")$out)
  expect_equal(stored("list", "--by", "query")$status, 0)
  expect_match(stored("find", "--days", "28")$err, "by query has no dates", all = FALSE)
  expect_equal(stored("find", "--days", "400")$out, stored("find")$out)
})

test_that("what a project has stored, its pages and its findings refuse what they do not use", {
  files <- files_of()
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "brand: fernmoor"),
    file.path(dir, "inktide.yml"))
  store <- tide_store(dir)
  tide_load(store, files$dated, exported = "2026-12-01")
  html <- withr::local_tempdir()
  for (name in c("cauliflower", "pea", "radish")) {
    page <- file.path(html, "guides", paste0("how-to-grow-", name))
    dir.create(page, recursive = TRUE)
    writeLines(sprintf(paste0("<html><head><title>%s</title></head><body><h1>%s</h1>",
      "<p>Grown %s.</p></body></html>"), name, name, name), file.path(page, "index.html"))
  }
  tide_load(store, tide_pages_read(html, "https://www.fernmoor.example/"))
  run <- function(...) program(..., "--project", dir, "--quiet")
  expect_equal(run("find")$status, 0)
  for (call in list(c("list", "--decimal", "comma"), c("find", "--repeats", "add"),
    c("check", "--columns", "query=Query"), c("trace", "1", "--top", "3"),
    c("trace", "1", "--figure", "x.svg"), c("pages", "--top", "3"),
    c("pages", "--query", "pea"), c("pages", "--missing", "--status"), c("pages", "--changes",
      "--page", "x"), c("pages", "--status", "--query", "pea"), c("pages", "--missing", "--delay",
      "2"), c("pages", "--link-to", "/guides/how-to-grow-pea/", "--words", "2:"))) {
    expect_equal(run(call)$status, 2L, label = paste(call, collapse = " "))
  }
  # What chooses rows chooses them, and changes no figure of those that stay.
  rows <- function(...) fread(text = run("pages", "--missing", "--format", "csv", ...)$out)
  all <- rows()
  for (option in list(c("--query", "grow"), c("--page", "radish"), c("--words", "3:"))) {
    some <- rows(option)
    expect_true(nrow(some) > 0 && nrow(some) < nrow(all), label = option[1])
    expect_equal(merge(some, all, by = c("query", "page"))$if_done.x,
      merge(some, all, by = c("query", "page"))$if_done.y)
  }
  expect_true(all(grepl("radish", rows("--page", "radish")$page)))
})

test_that("windows look back beyond the days that are listed", {
  files <- files_of()
  rows <- function(...) {
    run <- program("list", files$dated, "--brand", "fernmoor", "--exported", "2026-12-01",
      "--windows", "14", "--format", "csv", "--quiet", ...)
    fread(text = run$out)
  }
  whole <- fread(files$dated)
  last <- max(as.IDate(whole$Date))
  sums <- whole[, .(change = sum(Clicks[as.IDate(Date) > last - 14]) -
    sum(Clicks[as.IDate(Date) <= last - 14 & as.IDate(Date) > last - 28])), by = "Query"]
  for (option in list(character(), c("--days", "14"), c("--from", format(last - 10)),
    c("--days", "14", "--query", "grow"))) {
    listed <- rows(option)
    expect_gt(nrow(listed), 10)
    expect_equal(listed$change_14, sums$change[match(listed$query, sums$Query)])
  }
  # What lies before the data is not known.
  long <- fread(text = program("list", files$dated, "--windows", "28,40", "--format", "csv",
    "--quiet", "--exported", "2026-12-01")$out)
  expect_false(anyNA(long$change_28))
  expect_true(all(is.na(long$change_40)))
})

test_that("calls that go wrong say what, and nothing else is written", {
  files <- files_of()
  dir <- withr::local_tempdir()
  cases <- list(list(c("help", "nosuch"), 2L, "Unknown command 'nosuch'"),
    list(c("list", files$undated, "--tpo", "3"), 2L, "Did you mean '--top'"),
    list(c("find", files$undated, "--out", file.path(dir, "x.docx")), 2L, "writes no such file"),
    list(c("report", files$undated, "--out", file.path(dir, "x.txt")), 2L, "--out must be"),
    list(c("list", files$undated, "--device", "handy"), 2L, "No table is by device"),
    list(c("forecast", "--history", files$months, "--months", "2.5"), 2L, "a whole number"))
  for (case in cases) {
    run <- program(case[[1]], "--quiet"[!case[[1]][1] %in% "help"])
    expect_equal(run$status, case[[2]], label = paste(case[[1]], collapse = " "))
    expect_match(paste(run$err, collapse = " "), case[[3]])
  }
  expect_length(list.files(dir), 0)
  # What is loaded is not said to be missing where a filter leaves none of it.
  said <- program("list", files$dated, files$totals, "--query", "grow", "--exported", "2026-12-01")
  expect_false(any(grepl("would add", said$out)))
  # Settings: one error with its line, for each.
  for (line in c("bands: .nan", "bands: [1, .inf]", "goals: {a: .nan}",
    "clicks_above: [keep, refuse]", "repeats: [add, newest]", "brand: {a: b}",
      "hours: {low_ctr: .inf}",
    "pull: {a: {url: 'https://x@y/', fields: {clicks: /c, impressions: /i}}}", "pull: {a: 5}",
    "pull: {a: {url: 'https://x/', fields: {clicks: /c, impressions: /i}, split: 3}}")) {
    writeLines(c("site: https://www.fernmoor.example/", line), file.path(dir, "inktide.yml"))
    expect_error(tide_settings(dir), "line 2", class = "tide_error_settings", label = line)
  }
  for (format in c("'x'", "'-3'", "'0'", "'99'", "''")) {
    store <- tide_store(tempfile("project"))
    tide_load(store, files$undated)
    con <- DBI::dbConnect(RSQLite::SQLite(), file.path(store$dir, "archive.sqlite"))
    DBI::dbExecute(con, sprintf("UPDATE meta SET value = %s", format))
    DBI::dbDisconnect(con)
    expect_error(tide_stored(store), "has format", class = "tide_error_store", label = format)
  }
})

test_that("a column that is named for a database has to be there", {
  con <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  withr::defer(DBI::dbDisconnect(con))
  DBI::dbWriteTable(con, "rows", data.frame(date = "2026-08-01", query = "kale", clicks = 1,
    impressions = 9, position = 3))
  expect_error(tide_source(con, "rows", columns = c(query = "nosuch")), "No table has a column",
    class = "tide_error_source")
  expect_s3_class(tide_source(con, "rows", columns = c(query = "Query")), "tide_source")
})

test_that("results are reached as an R user expects", {
  summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
  curve <- tide_curve(summary)
  found <- tide_find(summary, curve)
  expect_equal(found$gain, tidy(found)$gain)
  expect_null(found$nothing)
  expect_equal(nrow(found[1:2, ]), 2)
  expect_equal(found[2:3, c("id", "gain")], tidy(found)[2:3, c("id", "gain")])
  expect_equal(predict(curve, newdata = data.frame(position = 1:3)), predict(curve, 1:3))
  knots <- as.numeric(rownames(coef(curve)))
  expect_equal(as.vector(coef(curve)[, "brand"]), predict(curve, knots, "brand")$ctr)
  expect_error(tide_compare(summary), "can be compared", class = "tide_error_argument")
  # The standard error between knots is that of the weighted mean of the two.
  weights <- inktide:::knot_weights(c(1, 1.4, 6.2, 33))
  fit <- curve$fits[[2]]
  expect_equal(inktide:::log_se(fit, c(1, 1.4, 6.2, 33)),
    sqrt(rowSums((weights %*% fit$covariance) * weights)))
})
