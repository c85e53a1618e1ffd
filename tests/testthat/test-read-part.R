# The reader of plain exports and the general one give the same tables, records of reading and
# errors, whatever the file holds.

# The plain reader alone, by date, query and figures.
plain_table <- function(file) {
  part <- list(path = file, label = "x", scratch = tempdir(), unit = "line")
  layout <- inktide:::find_header(file, "x")
  all <- inktide:::match_columns(layout$header, "x", NULL)
  wanted <- intersect(c("date", "query", "clicks", "impressions", "position"), names(all))
  inktide:::read_plain_table(part, layout, all, all[wanted])
}

# What a reader makes of a file, in a form that can be compared.
read_as <- function(file, plain, ...) {
  if (!plain) {
    own <- inktide:::read_plain_table
    withr::defer(assignInNamespace("read_plain_table", own, "inktide"))
    assignInNamespace("read_plain_table", function(...) NULL, "inktide")
  }
  tryCatch({
    data <- tide_read(file, lag = 0, exported = "2026-12-01", ...)
    tables <- lapply(data$tables, function(table) {
      rows <-
        as.data.table(lapply(table$rows, function(x) if (is.factor(x)) as.character(x) else x))
      list(rows, lapply(Filter(is.factor, table$rows), levels))
    })
    list(tables, data$left_out, data$sources)
  },
    error = function(e) list(conditionMessage(e), class(e)))
}

test_that("plain files are read by the plain reader, others by the general one, both alike", {
  head <- "date,query,page,device,clicks,impressions,ctr,position"
  row <- "2026-08-01,kale seeds,https://www.fernmoor.example/a/,mobile,3,40,0.075,4.25"
  cases <- list(row, sub("kale", "k\u00e4le", row), sub("kale seeds", "\"kale, seeds\"", row),
    sub("kale seeds", " kale  seeds ", row), sub("kale seeds", "", row),
    sub("kale seeds", "5\" pot", row), sub("4.25", "4", row), sub("4.25", "4.", row),
    sub("4.25", "1e1", row), sub(",3,", ",3.0,", row), sub(",3,", ",,", row),
    sub(",3,", ",-3,", row), sub(",40,", ",4000000000,", row), sub("2026-08-01", "2026-02-30", row),
    sub("2026-08-01", "1.8.2026", row), sub("0.075", "\"7,5%\"", row), paste0(row, "\n\n", row),
    paste0(row, "\n", sub("kale", "leek", row), "\n", sub("kale", "a\nb", row)),
    sub("kale seeds", "\"he said \"\"kale\"\"\"", row), sub("mobile", "\"\"", row))
  for (case in cases) {
    for (end in c("\n", "\r\n")) {
      file <- withr::local_tempfile(fileext = ".csv")
      text <- paste0(paste(c(head, gsub("\n", end, case, fixed = TRUE)), collapse = end), end)
      writeBin(charToRaw(enc2utf8(text)), file)
      expect_identical(read_as(file, TRUE), read_as(file, FALSE), label = case)
    }
  }
  read <- plain_table(csv(head, row))
  expect_equal(read$rows$position, 4.25)
  expect_equal(levels(read$rows$query), "kale seeds")
  expect_null(plain_table(csv(head, sub("4.25", "4.2.5", row))))
  # What is not read tells rows apart all the same; figures do not.
  expect_false(plain_table(csv(head, row, sub("mobile", "desktop", row)))$twice)
  expect_true(plain_table(csv(head, row, sub(",3,", ",4,", row)))$twice)
})

test_that("changed files are read alike, and threads change nothing", {
  set.seed(5)
  lines <- readLines(tide_example()[["pairs"]], n = 200)
  file <- withr::local_tempfile(fileext = ".csv")
  odd <- c("\"", ",", "\n", "\r", "-", "x", " ", "2.5", "\"\"", "\t", ";", "\u00e9", "0", "e")
  text <- paste0(paste(lines, collapse = "\n"), "\n")
  for (turn in seq_len(turns(60))) {
    at <- sample(nchar(text), 1)
    changed <- paste0(substr(text, 1, at), sample(odd, 1), substr(text, at + sample(0:2, 1), 1e6))
    writeBin(charToRaw(enc2utf8(changed)), file)
    expect_identical(read_as(file, TRUE), read_as(file, FALSE), label = paste("turn", turn))
  }
  # Many blocks, several threads: levels in order of appearance as with one.
  rows <- data.table(query = sprintf("query %d of %s", rpois(4e5, 3000), strrep("x", 150)),
    clicks = 1L, impressions = sample(1e5, 4e5, TRUE), position = round(runif(4e5, 1, 90), 2))
  fwrite(rows, file)
  before <- setDTthreads(1)
  withr::defer(setDTthreads(before))
  one <- plain_table(file)
  setDTthreads(2)
  expect_identical(plain_table(file), one)
  expect_identical(levels(one$rows$query), unique(rows$query))
  expect_identical(as.character(one$rows$query), rows$query)
  expect_identical(one$rows$position, fread(file)$position)
  expect_identical(one$twice, anyDuplicated(rows$query) > 0)
})

test_that("sums by cell are those of data.table, in its order", {
  set.seed(6)
  n <- 20000
  work <- list(query = sample(300L, n, TRUE), page = sample(40L, n, TRUE), clicks = rpois(n, 1),
    impressions = 1 + rpois(n, 5), position = round(runif(n, 1, 60), 1))
  recent <- runif(n) < 0.4
  cells <- inktide:::reduce_cells(work, ifelse(recent, 20L, 10L), 15L)
  rows <- as.data.table(work)[, "bin" := inktide:::position_bin(position)]
  by_hand <- function(rows) {
    rows[, .(clicks = sum(clicks), impressions = sum(impressions),
      weighted = sum(impressions * position), rows = as.numeric(.N)),
      by = c("query", "page", "bin")]
  }
  expect_equal(cells$all, by_hand(rows), ignore_attr = TRUE)
  by <- c("query", "page", "bin")
  expect_equal(setorderv(cells$recent, by), setorderv(by_hand(rows[recent]), by),
    ignore_attr = TRUE)
  # Block by block, whole numbers or not, without rows that have no code.
  sums <- inktide:::begin_cells(NULL)
  for (own in split(seq_len(n), rep(1:7, length.out = n))) {
    block <- lapply(work, `[`, own)
    block$clicks <- as.numeric(block$clicks)
    block$query[1:3] <- c(0L, NA, 0L)
    inktide:::put_cells(sums, block)
  }
  blocks <- inktide:::end_cells(sums)$all
  expect_equal(sum(blocks$rows), n - 21)
  expect_error(inktide:::end_cells(sums), "internal error")
  days <- data.table(date = as.IDate("2026-01-01") + sample(50, n, TRUE), as.data.table(work))
  expect_equal(inktide:::reduce_days(days)$clicks,
    days[, .(clicks = sum(clicks)), keyby = "date"]$clicks)
})
