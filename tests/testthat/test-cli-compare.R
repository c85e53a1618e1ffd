test_that("the program compares windows, several at once, and tells why", {
  dir <- withr::local_tempdir()
  fwrite(made_site(queries = 60, days = 56), file.path(dir, "a.csv"))
  run <- program("compare", "a.csv", "--level", "page", "--lag", "0", "--format", "csv", dir = dir)
  expect_equal(run$status, 0)
  rows <- fread(text = run$out)
  expect_equal(rows$by_demand + rows$by_position + rows$by_ctr + rows$by_new_lost, rows$change,
    tolerance = 1e-6)
  several <- fread(text = program("compare", "a.csv", "--windows", "7,28", "--lag", "0", "--format",
    "csv", dir = dir)$out)
  expect_setequal(several$days, c(7, 28))
  why <- program("compare", "a.csv", "--why", "query 0004", "--lag", "0", dir = dir)
  expect_match(paste(why$out, collapse = " "), "(lost|gained) \\d+ clicks \\(")
  expect_equal(program("compare", "a.csv", "--after", "2026-02-30", dir = dir)$status, 2)
  # Segments of different queries have no change: they stand side by side, whatever the level.
  sides <- fread(text = program("compare", "a.csv", "--segments", "brand", "--brand", "query 0004",
    "--level", "page", "--lag", "0", "--format", "csv", dir = dir)$out)
  expect_equal(sides$segment, c("brand", "the rest"))
  expect_equal(sum(sides$click_share), 1)
  expect_equal(rowSums(sides[, c("positions_1_3", "positions_4_10", "positions_11_up")]), c(1, 1))
  # Lines are named by --by as by --level.
  expect_equal(fread(text = program("compare", "a.csv", "--by", "page", "--lag", "0", "--format",
    "csv", dir = dir)$out), rows)
})

test_that("an export of two segments beside each other is compared by them", {
  dir <- withr::local_tempdir()
  beside <- data.table(query = sprintf("oak bench %d", 1:30), "Desktop Clicks" = 30:1,
    "Mobile Clicks" = 2L, "Desktop Impressions" = 400L, "Mobile Impressions" = 100L,
    "Desktop Position" = 3, "Mobile Position" = 3)
  fwrite(beside, file.path(dir, "beside.csv"))
  run <- program("compare", "beside.csv", dir = dir)
  expect_match(run$out[1], "By device")
  expect_match(run$out, "^desktop +465 ", all = FALSE)
  # Two windows are asked for, and there are no days.
  for (asked in list("--year", c("--level", "query"))) {
    refused <- program("compare", "beside.csv", asked, dir = dir)
    expect_equal(refused$status, 1)
    expect_match(refused$err, "Windows can only be compared", all = FALSE)
  }
})

test_that("at a terminal with colours noise is grey, losses are red and gains blue", {
  withr::local_options(cli.num_colors = 8L)
  moves <- tide_compare(as_data(made_site(queries = 60, days = 56)), days = 28)
  set(moves$moves, j = "significant", value = seq_len(nrow(moves$moves)) <= 6)
  set(moves$moves, j = "change", value = rep(c(-5, 5), length.out = nrow(moves$moves)))
  text <- inktide:::change_answer(moves, 8, 80)
  lines <- inktide:::coloured(text, moves$moves, list(format = "table", top = 8))
  plain <- cli::ansi_strip(lines)
  expect_equal(plain, text)
  first <- grep("before +after", plain)[1]
  red <- cli::col_red(plain[first + 1:2])
  blue <- cli::col_blue(plain[first + 3:4])
  expect_equal(lines[first + 1:4], c(red, blue), ignore_attr = TRUE)
  expect_equal(lines[first + 16], cli::col_grey(plain[first + 16]), ignore_attr = TRUE)
  # Files and other formats stay plain.
  to_file <- list(format = "table", top = 8, out = "x")
  expect_equal(inktide:::coloured(plain, moves$moves, to_file), plain)
})

test_that("conditions on sums are about the days that are compared, however much was read", {
  rows <- made_site(queries = 40, days = 200, demand = rep(8, 40))
  file <- csv("")
  compared <- function(rows, ...) {
    fwrite(rows, file)
    run <- program("compare", file, "--lag", "0", "--format", "csv", ...)
    list(lines = fread(text = run$out), said = paste(run$err, collapse = " "))
  }
  last <- rows[date > max(date) - 90]
  chosen <- lapply(list(rows, last), compared, "--min-clicks", "60", "--position", "2:")
  expect_equal(chosen[[1]]$lines, chosen[[2]]$lines)
  sums <- last[, .(clicks = sum(clicks), position = sum(position * impressions) /
    sum(impressions)), by = "query"]
  expect_setequal(chosen[[1]]$lines$name, sums[clicks >= 60 & position >= 2, query])
  expect_match(chosen[[1]]$said, "fewer than 60 clicks")
})
