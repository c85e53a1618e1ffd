# What is chosen is chosen everywhere: each command, from files and from an archive, has the clicks
# of the rows that a count by hand has.

test_that("every command works on the rows that are chosen, from files as from an archive", {
  files <- tide_example()
  whole <- fread(files[["pairs"]])
  brand <- grepl("fern ?moor", whole$Query)
  dir <- withr::local_tempdir()
  writeLines("brand: [fernmoor]", file.path(dir, "inktide.yml"))
  tide_load(tide_store(dir), unlist(files[c("pairs", "totals")]), exported = "2026-12-01")
  sources <- list(archive = c("--project", dir),
    file = c(files[["pairs"]], files[["totals"]], "--brand", "fernmoor"))
  cases <- list(list(c("--segment", "brand"), brand), list(c("--segment", "non-brand"), !brand),
    list(c("--segment", "not:brand", "--device", "mobile"), !brand & whole$Device == "mobile"),
    list(c("--segment", "brand,non-brand"), rep(TRUE, nrow(whole))),
    list(c("--query", "seeds"), grepl("seeds", whole$Query)))
  for (of in some(names(sources), 1)) {
    run <- function(...) {
      run <- program(..., "--exported", "2026-12-01", "--quiet")
      expect_equal(run$status, 0L, label = paste(c(of, ...), collapse = " "))
      run$out
    }
    for (case in some(cases)) {
      told <- paste(c(of, case[[1]]), collapse = " ")
      clicks <- sum(whole$Clicks[case[[2]]])
      rows <- function(...) fread(text = run(..., sources[[of]], case[[1]], "--format", "csv"))
      expect_equal(sum(rows("list")$clicks), clicks, label = told)
      expect_equal(sum(rows("list", "--by", "page")$clicks), clicks, label = told)
      expect_equal(sum(rows("follow", "--top", "1000")$clicks, na.rm = TRUE), clicks, label = told)
      expect_equal(sum(rows("trace", "/*")$clicks), clicks, label = told)
      # The two windows are all days of the example.
      site <- rows("compare", "--level", "site")
      expect_equal(site$clicks_before + site$clicks_after, clicks, label = told)
      # Clicks of private queries are in totals of the whole site alone.
      shown <- paste(run("compare", sources[[of]], case[[1]]), collapse = " ")
      expect_equal(grepl("private queries", shown), all(case[[2]]), label = told)
      expect_match(shown, if (all(case[[2]])) "The site " else "What was chosen ", label = told)
    }
    # The report, of the last two cases: the example's last day ends the later window of 28.
    for (case in if (with_studies()) utils::tail(cases, 2)) {
      report <- withr::local_tempfile(fileext = ".html")
      run("report", sources[[of]], case[[1]], "--out", report)
      html <- paste(readLines(report), collapse = " ")
      days <- as.IDate(whole$Date)
      later <- sum(whole$Clicks[case[[2]] & days > max(days) - 28])
      expect_match(html, sprintf("had %s clicks", inktide:::format_count(later)), fixed = TRUE,
        label = paste(of, later))
      expect_equal(grepl("<p><b>Chosen: ", html), !all(case[[2]]))
    }
  }
})

test_that("days of data that are filtered while they are gone through are those of held data", {
  rows <- made_site(queries = 80, days = 150)[,
    "device" := c("mobile", "desktop")[1 + seq_len(.N) %% 2]]
  file <- withr::local_tempfile(fileext = ".csv")
  fwrite(rows, file)
  store <- tide_store(withr::local_tempdir())
  tide_load(store, file, exported = "2026-12-01")
  held <- tide_read(file, lag = 0)
  going <- list(months = tide_stored(store, lag = 0, by_month = TRUE),
    blocks = tide_read(file, lag = 0, by_block = TRUE, at_once = 1000))
  expect_s3_class(going$blocks, "tide_blocks")
  for (conditions in list(list(device = "mobile"), list(query = "000[1-9]"))) {
    chosen <- function(data) {
      setkeyv(as.data.table(inktide:::site_days_table(do.call(tide_filter, c(list(data),
        conditions)))[, c("date", "clicks", "impressions")]), "date")
    }
    for (of in names(going)) {
      expect_equal(chosen(going[[of]]), chosen(held), ignore_attr = TRUE, label = of)
      months <- function(data) tide_history(do.call(tide_filter, c(list(data), conditions)))$months
      expect_equal(months(going[[of]]), months(held), label = of)
    }
  }
})

test_that("a forecast of what is chosen rests on its own months, not on the site's", {
  dir <- withr::local_tempdir()
  rows <- made_site(queries = 60, days = 200)
  fwrite(rows, file.path(dir, "a.csv"))
  fwrite(data.table(month = sprintf("2025-%02d", 1:12), clicks = 99000),
    file.path(dir, "months.csv"))
  writeLines(c("exports: a.csv", "history: months.csv"), file.path(dir, "inktide.yml"))
  ahead <- function(...) fread(text = program("forecast", "--months", "1", "--format", "csv",
    "--quiet", "--lag", "0", ..., dir = dir)$out)$baseline
  expect_equal(ahead(), 99000, tolerance = 0.1)
  some <- rows[grepl("000[1-9]", query), sum(clicks)]
  expect_equal(ahead("--query", "000[1-9]"), some / 200 * 30, tolerance = 0.5)
})
