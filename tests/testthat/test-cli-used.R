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
    writeLines(sprintf("<html><head><title>%s</title></head><body><h1>%s</h1><p>Grown %s.</p></body></html>",
      name, name, name), file.path(page, "index.html"))
  }
  tide_load(store, tide_pages_read(html, "https://www.fernmoor.example/"))
  run <- function(...) program(..., "--project", dir, "--quiet")
  expect_equal(run("find")$status, 0)
  for (call in list(c("list", "--decimal", "comma"), c("find", "--repeats", "add"),
    c("check", "--columns", "query=Query"), c("trace", "1", "--top", "3"), c("trace", "1", "--figure", "x.svg"), c("pages", "--top", "3"),
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
