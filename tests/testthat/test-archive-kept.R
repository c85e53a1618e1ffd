kept <- function(name) getFromNamespace(name, "inktide")

test_that("values come back as they were, and nothing that holds code is kept", {
  withr::local_seed(1)
  path <- file.path(withr::local_tempdir(), "one.kept")
  values <- list(NULL, 1:3, c(NA, TRUE), c(1.5, NA, NaN, Inf), character(), c("", NA, "\u00e4\nb"),
    list(a = NULL, b = list(1, "x")), matrix(1:4, 2, dimnames = list(NULL, c("a", "b"))),
    factor(c("u", NA, "v")), as.IDate("2026-01-01") + 0:2, as.POSIXct("2026-01-01", tz = "UTC"),
    structure(list(x = 1), class = c("tide_thing", "tide_result")),
    data.table(q = c("kale", "pea"), n = c(1.25, NA), l = list(1, "a")), tibble::tibble(a = 1:2),
    demo()$summary, demo()$found)
  for (value in values) {
    kept("keep_value")(path, "v1", value)
    expect_identical(kept("read_kept")(path, "v1")$value, value)
    expect_null(kept("read_kept")(path, "v2"))
  }
  # A data.table can be added to afterwards.
  kept("keep_value")(path, "v1", data.table(a = 1))
  expect_equal(set(kept("read_kept")(path, "v1")$value, j = "b", value = 2)$b, 2)
  whole <- readBin(path, "raw", file.size(path))
  for (n in c(0, 5, 40, length(whole) - 3)) {
    writeBin(head(whole, n), path)
    expect_error(kept("read_kept")(path, "v1"))
  }
  for (code in list(function() 1, quote(a + b), globalenv(), list(1, new.env()), ~a)) {
    unlink(path)
    kept("keep_value")(path, "v1", code)
    expect_false(file.exists(path))
  }
})

test_that("an answer is worked out once for the same data, and anew for others", {
  skip_if_not_installed("nanoparquet")
  dir <- withr::local_tempdir()
  rows <- made_site(queries = 60, days = 60)
  fwrite(rows, file.path(dir, "one.csv"))
  writeLines("site: https://www.fernmoor.example/", file.path(dir, "inktide.yml"))
  run <- function(...) {
    out <- program(..., dir = dir)
    expect_equal(out$status, 0L, info = paste(out$err, collapse = " "))
    out
  }
  run("load", "one.csv")
  kept_files <- function() list.files(file.path(dir, "archive", "kept"), full.names = TRUE)
  calls <- list("list", "find", "compare", c("trace", rows$query[1]), "follow",
    c("list", "--by", "page", "--query", "1"), c("find", "--details"))
  first <- lapply(calls, function(call) run(call))
  expect_gt(length(kept_files()), length(calls))
  # The same is said, and with --details that it is.
  plain <- head(seq_along(calls), -1)
  again <- lapply(calls, function(call) run(call))
  expect_identical(again[plain], first[plain])
  expect_match(tail(again, 1)[[1]]$err, "as it was worked out before", all = FALSE)
  # Wherever the project is called from.
  elsewhere <- program(tail(calls, 1)[[1]], "--project", dir, dir = tempdir())
  expect_match(elsewhere$err, "as it was worked out before", all = FALSE)
  # What is kept is no truth: without it, or where it is spoilt, the same comes back.
  for (path in kept_files()) writeBin(charToRaw("spoilt"), path)
  expect_identical(lapply(calls[plain], function(call) run(call)), first[plain])
  # The check says how much is kept, and what of it cannot be read.
  files <- list.files(file.path(dir, "archive", "kept"), "[.]kept$", full.names = TRUE)
  writeLines("no answer", file.path(dir, "archive", "kept", "odd.kept"))
  check <- tide_check(tide_store(dir))
  expect_equal(check$kept$answers, length(files))
  expect_equal(check$kept$unreadable, 1)
  expect_match(format(check), sprintf("Kept answers: %d .*, 1 file that cannot be read",
    length(files)), all = FALSE)
  unlink(file.path(dir, "archive", "kept"), recursive = TRUE)
  # The index alone is there again.
  expect_lt(tide_check(tide_store(dir))$kept$answers, length(files))
  expect_identical(lapply(calls[plain], function(call) run(call)), first[plain])
  # One more day, one import undone, a decision, other settings: each is another answer.
  more <- copy(rows)[date == max(date)]
  fwrite(more[, "date" := date + 1L], file.path(dir, "two.csv"))
  run("load", "two.csv", "--exported", format(max(more$date) + 10))
  later <- run("list")
  expect_false(identical(later$out, first[[1]]$out))
  inktide:::tide_undo(tide_store(dir), 2)
  expect_identical(run("list")$out, first[[1]]$out)
  id <- fread(text = run("find", "--format", "csv")$out)$id[1]
  run("decide", id, "harmless")
  expect_false(any(grepl(id, run("find", "--format", "csv")$out)))
  cat("brand: [query 0001]\n", file = file.path(dir, "inktide.yml"), append = TRUE)
  expect_false(identical(run("list")$out, first[[1]]$out))
  # A part that is lost is not hidden by what was kept.
  unlink(list.files(file.path(dir, "archive", "parts"), full.names = TRUE))
  expect_equal(program("list", dir = dir)$status, 1L)
})
