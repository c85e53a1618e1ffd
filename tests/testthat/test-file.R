# What is written where, and what is left as it was.

skip_on_os("windows")
written <- function(path, text = "new") {
  inktide:::write_whole(path, function(to) inktide:::write_lines(text, to))
}
facts <- function(path) inktide:::path_facts(path)

test_that("links are followed, and mode and owner stay", {
  dir <- withr::local_tempdir()
  file <- file.path(dir, "real.csv")
  writeLines("old", file)
  Sys.chmod(file, "640", use_umask = FALSE)
  if (facts(file)$owner == 0) .Call(inktide:::own_file, file, 1234, 1234, 416L)
  before <- facts(file)
  link <- file.path(dir, "link.csv")
  file.symlink("real.csv", link)
  written(link)
  expect_equal(Sys.readlink(link), "real.csv")
  expect_equal(readLines(file), "new")
  expect_equal(facts(file), before)
  file.symlink("later.csv", file.path(dir, "dangling.csv"))
  written(file.path(dir, "dangling.csv"))
  expect_equal(readLines(file.path(dir, "later.csv")), "new")
  for (i in 1:2) file.symlink(sprintf("turn%d", i), file.path(dir, sprintf("turn%d", 3 - i)))
  expect_error(written(file.path(dir, "turn1")), "circle", class = "tide_error_write")
  expect_setequal(list.files(dir, all.files = TRUE, no.. = TRUE),
    c("real.csv", "link.csv", "dangling.csv", "later.csv", "turn1", "turn2"))
})

test_that("devices and pipes are written through, a full one is an error, others are refused", {
  written("/dev/null")
  expect_equal(facts("/dev/null")$kind, "device")
  if (file.exists("/dev/full")) {
    expect_error(written("/dev/full"), "No space left", class = "tide_error_write")
    expect_equal(facts("/dev/full")$kind, "device")
  }
  dir <- withr::local_tempdir()
  pipe <- file.path(dir, "pipe")
  skip_if(system2("mkfifo", pipe) != 0, "no pipes here")
  system2("sh", c("-c", shQuote(sprintf("cat %s > %s/got", pipe, dir))), wait = FALSE)
  written(pipe, c("one", "two"))
  for (wait in 1:50) {
    if (file.exists(file.path(dir, "got")) && file.size(file.path(dir, "got")) > 0) {
      break
    } else {
      Sys.sleep(0.1)
    }
  }
  expect_equal(readLines(file.path(dir, "got")), c("one", "two"))
  expect_equal(facts(pipe)$kind, "pipe")
  locked <- file.path(dir, "locked.csv")
  writeLines("old", locked)
  Sys.chmod(locked, "444")
  expect_error(written(locked), "not to be written", class = "tide_error_write")
  expect_equal(readLines(locked), "old")
  expect_error(written(dir), "folder", class = "tide_error_write")
  expect_error(written(file.path(dir, "no", "where")), "no such folder", class = "tide_error_write")
  expect_error(inktide:::write_whole(locked <- file.path(dir, "half.csv"), function(to) {
    writeLines("h", to)
    stop("out of ink")
  }),
    "out of ink", class = "tide_error_write")
  expect_false(file.exists(locked))
  expect_setequal(list.files(dir, all.files = TRUE, no.. = TRUE), c("pipe", "got", "locked.csv"))
})

test_that(
  "every kind of output of the program goes through links, and a full disk ends with status 1",
  {
  skip_unless_studies()
    dir <- withr::local_tempdir()
    outputs <- list(csv = c("curve", "--format", "csv", "--out"),
      json = c("curve", "--format", "json", "--out"), html = c("report", "--out"),
      xlsx = c("find", "--format", "xlsx", "--out"),
      md = c("find", "--format", "markdown", "--out"), svg = c("curve", "--figure"),
      png = c("curve", "--figure"))
    for (ending in names(outputs)) {
      target <- file.path(dir, paste0("target.", ending))
      link <- file.path(dir, paste0("link.", ending))
      file.symlink(basename(target), link)
      run <- program(outputs[[ending]][1], tide_example()[["pairs"]], "--quiet",
        outputs[[ending]][-1], link)
      expect_equal(run$status, 0L, label = ending)
      expect_gt(file.size(target), 100)
      expect_equal(Sys.readlink(link), basename(target))
    }
    skip_if_not(file.exists("/dev/full"))
    for (output in outputs[c("csv", "xlsx", "png", if (with_studies()) "html")]) {
      run <- program(output[1], tide_example()[["pairs"]], "--quiet", output[-1], "/dev/full")
      expect_equal(run$status, 1L)
      expect_match(run$err, "No space left", all = FALSE)
    }
    exe <- system.file("exec", "inktide", package = "inktide")
    full <- suppressWarnings(system2("sh",
      c("-c", shQuote(sprintf("R_LIBS=%s %s help > /dev/full",
        shQuote(paste(.libPaths(), collapse = ":")), exe))),
      stdout = TRUE, stderr = TRUE))
    expect_equal(attr(full, "status"), 1L)
    expect_match(full, "standard output: No space left", all = FALSE)
  })

test_that("files are written whole or not at all", {
  file <- file.path(withr::local_tempdir(), "list.csv")
  writeLines("old", file)
  expect_error(inktide:::write_whole(file, function(path) {
    writeLines("half", path)
    stop("power cut")
  }),
    "power cut", class = "tide_error_write")
  expect_equal(readLines(file), "old")
  expect_equal(list.files(dirname(file), all.files = TRUE, no.. = TRUE), "list.csv")
  expect_error(inktide:::write_whole("no/such/folder/x", function(path) writeLines("a", path)),
    class = "tide_error_write")
})
