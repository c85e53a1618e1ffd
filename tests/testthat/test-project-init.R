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
