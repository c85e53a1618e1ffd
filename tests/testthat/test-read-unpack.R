# Archives made by hand, byte by byte, so that they can lie.

table_text <- "Query,Page,Clicks,Impressions,Position\nsocks,/b,50,1000,3.1\nhats,/c,20,800,4.5\n"
little <- function(x, n) as.raw((x %/% 256^(seq_len(n) - 1)) %% 256)

# members: list of list(name, text, and where they lie: sum, unpacked, mode (Unix), flags). Stored,
# not packed.
make_zip <- function(members, cut = 0) {
  file <- tempfile(fileext = ".zip")
  head <- directory <- raw()
  for (one in members) {
    name <- charToRaw(one$name)
    text <- charToRaw(one$text)
    path <- tempfile()
    writeBin(text, path)
    sum <- if (is.null(one$sum)) {
      as.numeric(paste0("0x", digest::digest(path, "crc32", file = TRUE)))
    } else {
      one$sum
    }
    unpacked <- if (is.null(one$unpacked)) length(text) else one$unpacked
    common <- c(little(if (is.null(one$flags)) 0 else one$flags, 2), little(0, 2), little(0, 4),
      little(sum, 4), little(length(text), 4), little(unpacked, 4), little(length(name), 2),
      little(0, 2))
    directory <- c(directory,
      as.raw(c(0x50, 0x4b, 1, 2, 20, if (is.null(one$mode)) 0 else 3, 20, 0)), common, little(0, 6),
      little(0, 2), little(if (is.null(one$mode)) 0 else one$mode, 2), little(length(head), 4),
      name)
    head <- c(head, as.raw(c(0x50, 0x4b, 3, 4, 20, 0)), common, name, text)
  }
  end <- c(as.raw(c(0x50, 0x4b, 5, 6)), raw(4), little(length(members), 2),
    little(length(members), 2), little(length(directory), 4), little(length(head), 4), raw(2))
  bytes <- c(head, directory, end)
  writeBin(bytes[seq_len(length(bytes) - cut)], file)
  file
}
member <- function(name, ...) list(name = name, text = table_text, ...)
gzipped <- function(path) {
  file <- tempfile(fileext = ".gz")
  con <- gzfile(file, "wb")
  writeBin(readBin(path, "raw", 1e7), con)
  close(con)
  file
}

test_that("an archive that would write outside its folder, or holds links, is refused", {
  names <- c("../../../../tmp/x/.profile", "a/../../x.csv", "/tmp/x.csv", "..\\x.csv", "C:\\x.csv",
    "\\\\host\\x.csv")
  landing <- c("/tmp/x/.profile", "/tmp/x.csv",
    file.path(c(tempdir(), dirname(tempdir()), getwd()), "x.csv"))
  expect_false(any(file.exists(landing)))
  for (name in names) {
    zip <- make_zip(list(member("Queries.csv"), member(name)))
    for (file in c(zip, gzipped(zip))) {
      error <- expect_error(tide_read(file), "outside its folder", class = "tide_error_file")
      expect_equal(error$member, name)
    }
  }
  for (mode in c(0xa1ff, 0x21ff, 0x11ff, 0x61ff)) {
    expect_error(tide_read(make_zip(list(member("Queries.csv"), member("l.csv", mode = mode)))),
      "link or a device")
  }
  expect_false(any(file.exists(landing)))
})

test_that("members are read under names of our own, whatever theirs are", {
  for (name in c("a:b\nc.csv", "\u00fcber uns.csv", "--help.csv", "a;rm -rf $HOME.csv",
      strrep("long/", 60) |> paste0("x.csv"))) {
    expect_equal(sum(tide_read(make_zip(list(member(name))))$tables[[1]]$rows$clicks), 70,
      label = name)
  }
  twins <-
    make_zip(list(member("Q.csv"), list(name = "q.csv", text = sub("socks", "pants", table_text))))
  expect_equal(nrow(tide_read(twins)$tables[[1]]$rows), 3)
})

test_that("packed tables are checked to the end, and what is too much is not unpacked", {
  expect_error(tide_read(make_zip(list(member("Q.csv", sum = 1)))), "checksum")
  expect_error(tide_read(make_zip(list(member("Q.csv", flags = 1)))), "password")
  for (cut in c(1, 10, 22, 60)) {
    expect_error(tide_read(make_zip(list(member("Q.csv")), cut)), "directory")
  }
  expect_error(tide_read(make_zip(list(member("Q.csv", unpacked = 4.2e9)))),
    "far more than an export holds")
  expect_error(tide_read(make_zip(list())), class = "tide_error_no_table")
  plain <- csv(strsplit(table_text, "\n")[[1]])
  gz <- gzipped(plain)
  bytes <- readBin(gz, "raw", 1e5)
  damaged <- function(bytes) {
    file <- tempfile(fileext = ".gz")
    writeBin(bytes, file)
    file
  }
  expect_error(tide_read(damaged(utils::head(bytes, -12))), "cannot be unpacked")
  wrong <- bytes
  wrong[length(wrong) - 7] <- xor(wrong[length(wrong) - 7], as.raw(1))
  expect_error(tide_read(damaged(wrong)), "cannot be unpacked")
  expect_error(tide_read(gzipped(gzipped(gzipped(gz)))), "more than twice")
  bomb <- tempfile(fileext = ".gz")
  con <- gzfile(bomb, "wb")
  for (i in 1:60) writeBin(raw(1e6), con)
  close(con)
  expect_error(tide_read(bomb), "far more than an export holds")
})

test_that("what is no table is skipped and named, and no path of ours is shown", {
  zip <- make_zip(list(member("Queries.csv"),
    list(name = "Filters.csv", text = "Filter,Value\nSearch type,Web\n"),
    list(name = "Dates.csv", text = ""),
    list(name = "Rich.csv", text = "Rich results,Clicks,Impressions,CTR,Position\n"),
    list(name = "readme.txt", text = "hello")))
  data <- tide_read(zip)
  expect_equal(sum(data$tables[[1]]$rows$clicks), 70)
  expect_equal(sum(nzchar(data$sources$skipped)), 4)
  expect_match(format(data), "Rich.csv' was not read: the file has a header but no rows",
    all = FALSE)
  folder <- withr::local_tempdir()
  writeLines(strsplit(table_text, "\n")[[1]], file.path(folder, "Queries.csv"))
  writeLines(c("Filter,Value", "Date,Last 28 days"), file.path(folder, "Filters.csv"))
  writeLines("see also", file.path(folder, "notes.txt"))
  file.create(file.path(folder, "empty.csv"))
  file.symlink("/nowhere/at/all", file.path(folder, "gone.csv"))
  for (files in list(folder, file.path(folder, "*.csv"),
      setdiff(list.files(folder, full.names = TRUE), file.path(folder, "gone.csv")))) {
    expect_equal(sum(tide_read(files)$tables[[1]]$rows$clicks), 70)
  }
  error <- expect_error(tide_read(make_zip(list(
    list(name = "Queries.csv", text = "Query,Clicks,Impressions,Position\na,x,1,2\n"),
    member("b.csv")))),
    class = "tide_error_not_number")
  expect_false(grepl("inktide[0-9a-f]+/|part[0-9a-f]+", conditionMessage(error)))
})

test_that("odd names and sources are read for what is in them", {
  plain <- csv(strsplit(table_text, "\n")[[1]], name = "plain.csv.gz")
  expect_equal(sum(tide_read(plain)$tables[[1]]$rows$clicks), 70)
  expect_equal(
    sum(tide_read(csv(strsplit(table_text, "\n")[[1]], name = "a\nb.csv"))$tables[[1]]$rows$clicks),
    70)
  skip_on_os("windows")
  pipe <- tempfile("pipe")
  skip_if(system2("mkfifo", pipe) != 0, "no pipes here")
  system2("sh", c("-c", shQuote(sprintf("cat %s > %s", plain, pipe))), wait = FALSE)
  expect_equal(sum(tide_read(pipe)$tables[[1]]$rows$clicks), 70)
})

test_that("a damaged Parquet file is an error, and the session and its folder go on", {
  skip_if_not_installed("nanoparquet")
  file <- tempfile(fileext = ".parquet")
  nanoparquet::write_parquet(data.frame(query = sprintf("query %d", 1:500), clicks = 1:500,
    impressions = 1000L, position = 3),
    file)
  bytes <- readBin(file, "raw", 1e6)
  expect_equal(sum(tide_read(file)$tables[[1]]$rows$clicks), sum(1:500))
  set.seed(2)
  for (round in 1:25) {
    damaged <- bytes
    at <- sample(5:(length(bytes) - 4), 40)
    damaged[at] <- as.raw(sample(0:255, 40, TRUE))
    writeBin(damaged, file)
    tryCatch(tide_read(file), tide_error = function(e) NULL)
    expect_true(file.exists(file))
  }
})

test_that("a table of a zip that has no rows is named where it is missed", {
  zip <- make_zip(list(list(name = "Queries.csv", text = "query,clicks,impressions,position\n"),
    list(name = "Dates.csv", text = "date,clicks,impressions,position\n2026-08-01,3,50,4\n")))
  data <- tide_read(zip, exported = "2026-12-01")
  expect_error(tide_summary(data), "Queries.csv': the file has a header but no rows",
    class = "tide_error_grain")
})
