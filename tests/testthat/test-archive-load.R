skip_if_not_installed("nanoparquet")

test_that(
  "a newer export replaces its days, an older one never does, and the same one changes nothing",
  {
    store <- tide_store(withr::local_tempdir())
    first <- export(rows_of(0:9, 10))
    tide_load(store, first, exported = "2026-03-12")
    expect_equal(sum(held(store)$clicks), 100)
    again <- tide_load(store, first, exported = "2026-03-12")
    expect_true(is.na(again$import))
    newer <- tide_load(store, export(rows_of(5:14, 20)), exported = "2026-03-20")
    expect_equal(sum(held(store)$clicks), 5 * 10 + 10 * 20)
    expect_equal(newer$changes$clicks_before, 50)
    tide_load(store, export(rows_of(0:14, 99)), exported = "2026-03-10")
    expect_equal(sum(held(store)$clicks), 5 * 10 + 10 * 20)
    expect_equal(nrow(summary(store)), 3)
    tide_undo(store, 2)
    expect_equal(sum(held(store)$clicks), 10 * 10 + 5 * 99)
    tide_undo(store, 1)
    expect_equal(sum(held(store)$clicks), 15 * 99)
    expect_error(tide_undo(store, 1), class = "tide_error_argument")
  })

test_that("files loaded together are one export, each row once from the newest file", {
  store <- tide_store(withr::local_tempdir())
  one <- export(rows_of(0:4, 10), rows_of(0:4, 1, "pea"))
  two <- export(rows_of(3:6, 30))
  Sys.setFileTime(one, as.POSIXct("2026-03-20", tz = "UTC"))
  Sys.setFileTime(two, as.POSIXct("2026-03-25", tz = "UTC"))
  tide_load(store, c(two, one))
  expect_equal(sum(held(store)$clicks), 3 * 10 + 4 * 30 + 5 * 1)
})

test_that("any order of loading any number of times gives the same archive", {
  skip_unless_studies()
  exports <- lapply(1:4, function(i) list(file = export(rows_of((3 * i):(3 * i + 5), i)),
    exported = as.IDate("2026-04-01") + i))
  orders <- seq_len(turns(6))
  totals <- vapply(orders, function(k) {
    set.seed(k)
    store <- tide_store(withr::local_tempdir())
    for (i in c(sample(4), sample(4, 2))) {
      tide_load(store, exports[[i]]$file, exported = exports[[i]]$exported)
    }
    sum(held(store)$clicks)
  }, 0)
  expect_equal(totals, rep(3 * 1 + 3 * 2 + 3 * 3 + 6 * 4, length(orders)))
})

test_that(
  "a bad file changes nothing; leftovers are swept; a damaged part is named and the rest stays",
  {
    store <- tide_store(withr::local_tempdir())
    tide_load(store, export(rows_of(0:40, 10)), exported = "2026-05-01")
    before <- list.files(store$dir, recursive = TRUE)
    expect_error(tide_load(store, export(rows_of(0:3, 5), "2026-03-04,x,/a,many,1,2")),
      class = "tide_error_not_number")
    expect_equal(list.files(store$dir, recursive = TRUE), before)
    # What a load leaves that is killed between its first record and its transaction.
    writeLines("[]", file.path(store$dir, "records", "import-0002.json.pending"))
    writeLines("half a part", file.path(store$dir, "parts", "0002-2026-03-x.parquet"))
    tide_load(store, export(rows_of(41:42, 10)), exported = "2026-05-01")
    expect_false(file.exists(file.path(store$dir, "parts", "0002-2026-03-x.parquet")))
    part <- list.files(file.path(store$dir, "parts"), "0001-2026-03", full.names = TRUE)
    writeBin(as.raw(1:9), part)
    data <- tide_stored(store, lag = 0)
    expect_match(data$left_out$reason, basename(part), all = FALSE, fixed = TRUE)
    expect_equal(unique(format(data$tables[[1]]$rows$date, "%Y-%m")), "2026-04")
  })

test_that("a load killed at any moment leaves the archive before or after, never between", {
  skip_unless_studies()
  skip_on_os("windows")
  dir <- withr::local_tempdir()
  store <- tide_store(dir)
  tide_load(store, export(rows_of(0:60, 1)), exported = "2026-05-01")
  site <- tide_demo(seed = 4, days = 62, share = 0.3)
  big <- file.path(dir, "big.csv")
  fwrite(site$daily[, .(date, query, page, device, clicks, impressions, position)], big)
  after <- NULL
  set.seed(3)
  state <- function() {
    tables <- tide_stored(store, lag = 0)$tables
    c(sum(vapply(tables, function(t) nrow(t$rows), 0L)),
      sum(vapply(tables, function(t) sum(t$rows$clicks), 0)))
  }
  before <- state()
  script <- tempfile(fileext = ".R")
  writeLines(sprintf(
    ".libPaths(%s); library(inktide); tide_load(tide_store('%s'), '%s', exported = '2026-12-01')",
    paste(deparse(.libPaths()), collapse = ""), dir, big),
    script)
  for (i in seq_len(turns(12))) {
    out <- system2("sh", c("-c", shQuote(sprintf("timeout -s KILL %.2f %s %s >/dev/null 2>&1",
      runif(1, 0.3, 1.3), file.path(R.home("bin"), "Rscript"), script))))
    now <- state()
    if (is.null(after) && !identical(now, before)) after <- now
    expect_true(identical(now, before) || identical(now, after))
  }
  tide_load(store, big, exported = "2026-12-01")
  final <- state()
  expect_true(is.null(after) || identical(final, after))
  expect_equal(final[2], before[2] + sum(site$daily$clicks))
})

test_that("a full disk and a folder that may only be read are clear errors, and nothing is lost", {
  skip_unless_studies()
  skip_on_os("windows")
  store <- tide_store(withr::local_tempdir())
  tide_load(store, export(rows_of(0:9, 10)), exported = "2026-05-01")
  set.seed(1)
  many <- export(sprintf("2026-04-%02d,%s,/a,1,10,%.2f", rep(1:28, 300),
    replicate(8400, paste(sample(letters, 12), collapse = "")), runif(8400, 1, 50)))
  # A limit on the size of files stands for a disk without room.
  full <- load_elsewhere(store, many, before = "trap '' XFSZ; ulimit -f 160;")
  expect_equal(full$status, 3)
  expect_match(full$err, "fix:", all = FALSE)
  expect_equal(sum(held(store)$clicks), 100)
  root <- Sys.info()[["user"]] == "root"
  skip_if(root && !nzchar(Sys.which("setpriv")), "root may write anywhere")
  Sys.chmod(c(dirname(dirname(store$dir)), dirname(store$dir), store$dir,
    file.path(store$dir, "parts"), file.path(store$dir, "archive.sqlite")),
    "0555")
  Sys.chmod(c(dirname(many), many), "0755")
  locked <- load_elsewhere(store, many,
    before = if (root) "HOME=/ setpriv --reuid=65534 --regid=65534 --clear-groups" else "")
  Sys.chmod(c(dirname(store$dir), store$dir, file.path(store$dir, "parts"),
    file.path(store$dir, "archive.sqlite")),
    "0755")
  skip_if(locked$status == 2, "the other user cannot start R here")
  expect_equal(locked$status, 3)
  expect_match(locked$err, "write|used", all = FALSE)
  expect_equal(sum(held(store)$clicks), 100)
  tide_load(store, many, exported = "2026-06-01")
  expect_equal(sum(held(store)$clicks), 100 + 8400)
})

test_that("mixed exports of many hands, in any order and again, add up to the truth", {
  skip_unless_studies()
  site <- tide_demo(withr::local_tempdir(), seed = 5, days = 120, share = 0.05, mixed = TRUE)
  files <- site$mixed
  expect_equal(tide_read(files, lag = 0)$tables[[1]]$rows[, .(.N, sum(clicks), sum(impressions))],
    site$daily[, .(.N, sum(clicks), sum(impressions))])
  for (seed in some(1:3, 1)) {
    set.seed(seed)
    store <- tide_store(withr::local_tempdir())
    for (file in c(sample(files), sample(files, 2))) tide_load(store, file)
    kept <- tide_stored(store, lag = 0)$tables[[1]]$rows
    expect_equal(kept[, .(.N, sum(clicks), sum(impressions), sum(impressions * position))],
      site$daily[, .(.N, sum(clicks), sum(impressions), sum(impressions * position))])
  }
})

test_that("the program loads, checks, undoes and works from the archive", {
  dir <- withr::local_tempdir()
  files <- tide_example()
  load <- program("load", files[["pairs"]], files[["totals"]], "--project", dir, "--exported",
    "2026-11-01")
  expect_equal(load$status, 0)
  expect_match(load$out, "^Import 1", all = FALSE)
  expect_match(program("load", files[["pairs"]], files[["totals"]], "--project", dir, "--exported",
    "2026-11-01")$out,
    "Nothing changed", all = FALSE)
  named <- program("find", files[["pairs"]], "--exported", "2026-11-01", "--brand", "fernmoor",
    "--format", "csv", "--quiet")
  kept <- program("find", "--project", dir, "--brand", "fernmoor", "--format", "csv", "--quiet")
  # The archive holds the totals too, so it knows a larger whole.
  expect_equal(fread(text = kept$out)[, !"gain_share"], fread(text = named$out)[, !"gain_share"])
  check <- program("check", "--project", dir)
  expect_match(check$out, "queries explain .* by month", all = FALSE)
  silent <- withr::local_tempdir()
  expect_length(program("load", files[["pairs"]], "--project", silent, "--quiet")$err, 0)
  expect_true(file.exists(file.path(silent, "inktide.yml")))
  expect_equal(program("load", "--undo", "1", "--project", dir)$status, 0)
  expect_match(program("load", "--history", "--project", dir)$out, "undone", all = FALSE)
  empty <- program("find", "--project", dir)
  expect_equal(empty$status, 1)
  expect_match(empty$err, "archive is empty", all = FALSE)
})

test_that("an older export says that a newer one counts, and a mistyped name leaves nothing behind",
  {
    dir <- file.path(withr::local_tempdir(), "new")
    expect_error(tide_load(tide_store(dir), "nowhere.csv"), class = "tide_error_file")
    expect_false(dir.exists(dir))
    store <- tide_store(dir)
    tide_load(store, export(rows_of(0:9, 10)), exported = "2026-05-10")
    older <- tide_load(store, export(rows_of(5:14, 20)), exported = "2026-05-01")
    expect_equal(c(older$changes$days_unused, older$changes$rows_before), c(5, 0))
    expect_match(format(older), "not used: 5 days that a newer export holds", all = FALSE)
  })
