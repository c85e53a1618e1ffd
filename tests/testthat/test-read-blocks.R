# A large file that is gone through block by block says the same as one that is held.

# Both ways of one file; blocks of some hundred rows.
both_ways <- function(file, lag = 3, ..., filter = identity) {
  of <- function(by_block) {
    tryCatch(filter(tide_read(file, lag = lag, by_block = by_block, at_once = 300, ...)),
      error = function(e) list(conditionMessage(e), class(e)))
  }
  list(held = of(FALSE), blocks = of(TRUE))
}

# The demo site's rows: several pages a query, two spellings of a page and of a query, an odd day.
demo_rows <- local({
  rows <- tide_demo(seed = 6, days = 130, share = 0.05)$daily
  rows <- rows[, .(date, query, page, device, clicks, impressions, position)]
  rows <- rows[!duplicated(rows, by = c("date", "query", "page", "device"))]
  again <- seq(1L, nrow(rows), by = 40L)
  set(rows, again, "page", sub("https://www.", "http://", rows$page[again], fixed = TRUE))
  set(rows, again, "query", toupper(rows$query[again]))
  rows
})

demo_file <- function(rows = demo_rows, env = parent.frame()) {
  file <- withr::local_tempfile(fileext = ".csv", .local_envir = env)
  fwrite(rows, file)
  file
}

test_that("blocks give the summary, the records of reading and the list of the file that is held", {
  set.seed(3)
  file <- demo_file(demo_rows[sample(nrow(demo_rows))])
  read <- both_ways(file, exported = "2026-12-01")
  expect_s3_class(read$blocks, "tide_blocks")
  expect_output(print(read$blocks), "not in memory")
  expect_equal(read$blocks$sources, read$held$sources, ignore_attr = TRUE)
  expect_equal(read$blocks$left_out, read$held$left_out)
  of <- lapply(read, tide_summary, brand = "fernmoor", recent_days = 60, split = "device")
  expect_equal(unclass(of$blocks), unclass(of$held))
  expect_gt(of$held$folded, 0)
  found <- lapply(of, tide_find)
  expect_equal(found$blocks$findings, found$held$findings)
  expect_equal(inktide:::held_data(read$blocks)$tables[[1]]$days, read$held$tables[[1]]$days)
})

test_that("windows and conditions filter blocks as they filter what is held", {
  file <- demo_file()
  middle <- format(median(demo_rows$date))
  filters <- list(
    function(data) tide_filter(data, from = middle, to = max(demo_rows$date) - 10),
    function(data) tide_filter(data, days = 40, without = middle),
    function(data) tide_filter(data, device = "mobile", not_query = "^best"),
    function(data) tide_filter(tide_filter(data, days = 60), query = "seed|bean"),
    function(data) tide_filter(data, position = c(4, 20)),
    function(data) tide_filter(data, brand = TRUE, rules = tide_rules(brand = "fernmoor")),
    function(data) tide_filter(data, device = "toaster"),
    function(data) tide_filter(data, from = "2040-01-01"))
  for (filter in filters) {
    read <- both_ways(file, filter = filter)
    if (!inherits(read$held, "tide_data")) {
      expect_identical(read$blocks, read$held)
      next
    }
    of <- lapply(read, tide_summary, brand = "fernmoor")
    # Where a condition is on rows, the window is that of all days.
    parts <- setdiff(names(of$held), c("window", "recent"))
    expect_equal(of$blocks[parts], of$held[parts])
  }
  nothing <- tide_filter(tide_read(file, by_block = TRUE, at_once = 300), query = "no such query")
  expect_error(tide_summary(nothing), class = "tide_error_nothing_left")
  expect_equal(tide_unusual(both_ways(file)$blocks), tide_unusual(both_ways(file)$held))
})

test_that("what is left out of a held file is left out of blocks; what is not plain is held", {
  rows <- head(demo_rows, 2000)
  odd <- copy(rows)
  set(odd, 5:9, "impressions", 0L)
  set(odd, 5:9, "clicks", 0L)
  set(odd, 20:22, "clicks", odd$impressions[20:22] + 1L)
  file <- demo_file(odd)
  for (above in c("leave out", "keep", "refuse")) {
    read <- both_ways(file, clicks_above = above)
    if (above == "refuse") {
      expect_identical(read$blocks, read$held)
    } else {
      expect_s3_class(read$blocks, "tide_blocks")
      expect_equal(read$blocks$left_out, read$held$left_out)
      expect_equal(tide_summary(read$blocks)$pairs, tide_summary(read$held)$pairs)
    }
  }
  quoted <- copy(rows)
  set(quoted, 3L, "query", "'=1+2")
  read <- both_ways(demo_file(quoted))
  expect_equal(tide_summary(read$blocks)$queries, tide_summary(read$held)$queries)
  changes <- list(
    function(x) rbind(x, x[7]),
    function(x) rbind(x, x[7, !"clicks"][, "clicks" := 9L], use.names = TRUE),
    function(x) set(copy(x), 4L, "query", "two\tblanks"),
    function(x) set(copy(x), 4L, "query", "total"),
    function(x) x[, !"date"],
    function(x) set(copy(x), j = "date", value = format(x$date, "%d.%m.%Y")),
    function(x) set(copy(x), j = "clicks", value = sprintf("%d.0", x$clicks)),
    function(x) set(copy(x), 9L, "position", 0.5))
  for (change in changes) {
    read <- both_ways(demo_file(change(rows)))
    expect_false(inherits(read$blocks, "tide_blocks"))
    expect_equal(read$blocks, read$held)
  }
  expect_s3_class(tide_read(demo_file(), by_block = TRUE), "tide_data")
  packed <- withr::local_tempfile(fileext = ".csv.gz")
  fwrite(rows, packed)
  expect_s3_class(tide_read(packed, by_block = TRUE, at_once = 300), "tide_blocks")
  expect_error(tide_read(demo_file(), by_block = 1), class = "tide_error_argument")
})

# The site by day, private queries and three more days included; and by page.
totals_files <- function(env = parent.frame()) {
  days <- demo_rows[, .(clicks = sum(clicks) + 3L, impressions = sum(impressions) + 20L,
    position = 6.5), by = "date"]
  later <- days[1:3][, "date" := max(days$date) + 1:3]
  pages <- demo_rows[, .(clicks = sum(clicks), impressions = sum(impressions), position = 5.1),
    by = "page"]
  c(demo_file(rbind(days, later), env), demo_file(pages, env))
}

test_that("a large file beside tables without queries is not held, and says the same", {
  file <- demo_file()
  totals <- totals_files()
  orders <- list(c(file, totals), c(totals[1], file), c(totals, file))
  stated <- list(NULL, max(demo_rows$date) + 2, NULL)
  for (turn in 1:3) {
    read <- both_ways(orders[[turn]], exported = stated[[turn]])
    expect_s3_class(read$blocks, "tide_blocks")
    expect_equal(read$blocks$sources, read$held$sources, ignore_attr = TRUE)
    expect_equal(read$blocks$left_out, read$held$left_out)
    held <- inktide:::held_data(read$blocks)
    expect_setequal(names(held$tables), names(read$held$tables))
    beside <- names(held$tables)[-1]
    expect_equal(held$tables[beside], read$held$tables[beside])
    of <- lapply(read, tide_summary, brand = "fernmoor")
    expect_equal(unclass(of$blocks), unclass(of$held))
    expect_gt(NROW(of$held$site_by_day), 0)
  }
  expect_output(print(read$blocks), "date: 130 rows")
  expect_equal(tide_unusual(read$blocks), tide_unusual(read$held))
  filters <- list(
    function(data) tide_filter(data, days = 40),
    function(data) tide_filter(data, to = max(demo_rows$date) - 9, query = "seed"))
  for (filter in filters) {
    read <- both_ways(orders[[1]], filter = filter)
    of <- lapply(read, tide_summary)
    parts <- setdiff(names(of$held), c("window", "recent"))
    expect_equal(of$blocks[parts], of$held[parts])
    expect_equal(tide_unusual(read$blocks), tide_unusual(read$held))
  }
  # Beside other tables with queries, or what cannot be read, all is held.
  more <- demo_file(head(demo_rows, 20)[, !"date"])
  odd <- withr::local_tempfile(lines = "date,clicks\n2026-01-01,few", fileext = ".csv")
  for (beside in c(more, odd, "nowhere.csv")) {
    read <- both_ways(c(file, beside), repeats = "add")
    expect_false(inherits(read$blocks, "tide_blocks"))
    expect_equal(read$blocks, read$held)
  }
})

test_that("changed files are read in blocks as they are held", {
  set.seed(8)
  file <- demo_file(head(demo_rows, 800))
  text <- readChar(file, file.size(file), useBytes = TRUE)
  odd <- c("\"", ",", "\n", "\r", "-", "x", " ", "2.5", "\"\"", "\t", ";", "\u00e9", "0", "9")
  for (turn in seq_len(turns(40))) {
    at <- sample(nchar(text), 1)
    changed <- paste0(substr(text, 1, at), sample(odd, 1), substr(text, at + sample(0:2, 1), 1e6))
    writeBin(charToRaw(enc2utf8(changed)), file)
    read <- both_ways(file, lag = 0)
    if (inherits(read$blocks, "tide_blocks")) {
      expect_equal(read$blocks$left_out, read$held$left_out, label = paste("turn", turn))
      expect_equal(read$blocks$sources, read$held$sources, ignore_attr = TRUE)
      read$blocks <- inktide:::held_data(read$blocks)
    }
    same <- function(data) {
      if (!inherits(data, "tide_data")) return(stats::setNames(data, c("message", "class")))
      lapply(data$tables[[1]]$rows, function(x) if (is.factor(x)) as.character(x) else x)
    }
    expect_equal(same(read$blocks)[names(same(read$held))], same(read$held),
      label = paste("turn", turn))
  }
})

test_that("what needs rows takes the last days of blocks; what is put aside goes with the object", {
  read <- both_ways(demo_file())
  input <- list(settings = list(rules = tide_rules()))
  parts <- inktide:::site_parts(list(), input, read$blocks)
  expect_equal(parts, inktide:::site_parts(list(), input, read$held))
  last <- inktide:::last_rows(list(), NULL, read$blocks, 30)
  expect_equal(last$tables[[1]]$days, 30)
  held <- tide_filter(read$held, days = 30)
  expect_equal(nrow(last$tables[[1]]$rows), nrow(held$tables[[1]]$rows))
  chosen <- inktide:::last_rows(list(days = 20), NULL, tide_filter(read$blocks, days = 20), 30)
  expect_equal(chosen$tables[[1]]$days, 20)
  days <- lapply(read, inktide:::site_days_table)
  expect_equal(days$blocks, days$held[order(date)], ignore_attr = TRUE)
  data <- tide_read(demo_file(), by_block = TRUE, at_once = 300)
  path <- data$store$path
  expect_true(file.exists(path))
  rm(data)
  gc()
  expect_false(file.exists(path))
})

test_that("every command says of a file that is gone through by blocks what it says of one held", {
  files <- c(demo_file(), totals_files()[1])
  query <- demo_rows[, .N, by = "query"][which.max(N)]$query
  commands <- list("find", "compare", c("compare", "--device", "mobile"), "list",
    c("list", "--days", "40"), c("trace", query), c("follow", "--days", "60"), "curve")
  say <- function(command) {
    out <- withr::local_tempfile(fileext = ".csv")
    status <- inktide:::cli_main(c(command[1], command[-1], files, "--format", "csv", "--quiet",
      "--out", out))
    list(status, readLines(out))
  }
  held <- lapply(commands, say)
  whole <- inktide::tide_read
  by_blocks <- whole
  formals(by_blocks)$at_once <- 300
  utils::assignInNamespace("tide_read", by_blocks, "inktide")
  withr::defer(utils::assignInNamespace("tide_read", whole, "inktide"))
  expect_s3_class(inktide:::tide_read(files, by_block = TRUE), "tide_blocks")
  for (i in seq_along(commands)) {
    expect_equal(held[[i]][[1]], 0)
    expect_equal(say(commands[[i]]), held[[i]], label = paste(commands[[i]], collapse = " "))
  }
})
