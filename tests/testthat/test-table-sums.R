test_that("sums, distinct values and ratios are those of base R, whatever names the caller has", {
  rows <- data.table(by = c("a", "b", "a", "a"), of = c("x", "x", "y", "x"),
    clicks = c(1, 2, 3, 4), impressions = c(10, 20, 30, 40), weighted = c(10, 40, 90, 160))
  sums <- inktide:::sums_by(rows, "by", c("clicks", "impressions", "weighted"), count = "rows")
  expect_equal(sums$clicks, as.vector(tapply(rows$clicks, rows$by, sum)))
  expect_equal(sums$rows, c(3L, 1L))
  expect_equal(inktide:::distinct_by(rows, "by", "of"), c(2L, 1L))
  expect_equal(inktide:::add_ratios(sums)$position, c(260 / 80, 40 / 20))
  expect_equal(inktide:::last_by(rows, "by", "clicks")$clicks, c(2, 4))
  expect_equal(inktide:::total_row(data.table(clicks = c(2, 3), impressions = c(10, 90),
    position = c(1, 5)))$position, 4.6)
  expect_equal(inktide:::click_shares(data.table(clicks = 0, impressions = c(1, 3))), c(0.25, 0.75))
})

test_that("a name that is both a column and ours stops the tests", {
  captured <- function(clicks) {
    rows <- data.table(query = "kale", clicks = 5)
    rows[, sum(clicks)]
  }
  environment(captured) <- asNamespace("inktide")
  expect_error(captured(1), "both a column and a name of ours: clicks")
  plain <- function(of) data.table(query = "kale", clicks = 5)[, sum(clicks)]
  environment(plain) <- asNamespace("inktide")
  expect_equal(plain(1), 5)
})

test_that("texts are numbered as base R does, at any size and in any encoding", {
  set.seed(4)
  for (rows in c(0, 1, 7, 5000, 60000)) {
    x <- sprintf("%s %d", sample(c("kale", "caf\u00e9", "\u79cd\u5b50"), rows, TRUE),
      sample.int(max(1, rows), rows, TRUE))
    code <- inktide:::as_levels(x)
    expect_identical(as.integer(code), match(x, unique(x)))
    expect_identical(levels(code), unique(x))
  }
  both <- inktide:::as_levels(c("caf\u00e9", iconv("caf\u00e9", "UTF-8", "latin1"), NA, ""))
  expect_identical(as.integer(both), c(1L, 1L, 2L, 2L))
})

test_that("what texts hold agrees with regular expressions, on random texts", {
  set.seed(6)
  letters <- c("a", "b", "Z", " ", " ", "\t", "\u00fc", "7", "/")
  x <- c("", NA, replicate(500, paste(sample(letters, sample(0:5, 1), TRUE), collapse = "")))
  held <- function(what) inktide:::text_holds(x, what)[-2]
  expect_identical(held("beyond"), grepl("[^\\x01-\\x7f]", x[-2], perl = TRUE))
  expect_identical(held("capitals"), grepl("[A-Z]", x[-2]))
  expect_identical(held("blanks"), grepl("^ | $|  |\t", x[-2]))
  expect_identical(held(c("beyond", "blanks")), held("beyond") | held("blanks"))
})

test_that("a repeated combination is found exactly where one stands", {
  set.seed(5)
  for (rows in c(2, 30, 3000)) {
    for (width in 1:4) {
      columns <- data.table::as.data.table(replicate(width,
        sample.int(max(2, ceiling(1.5 * rows^(2 / width))), rows, TRUE) - 3L, simplify = FALSE))
      expect_identical(inktide:::repeats_any(columns), anyDuplicated(columns) > 0)
      expect_identical(inktide:::repeats_any(unique(columns)), FALSE)
      key <- inktide:::row_key(columns)
      expect_identical(match(key, key), match(do.call(paste, columns), do.call(paste, columns)))
    }
  }
})

test_that("pairs of two columns are numbered in order of appearance, at any size", {
  set.seed(7)
  for (rows in c(1, 50, 40000)) {
    one <- sample.int(max(1, rows %/% 3), rows, TRUE)
    other <- sample.int(5, rows, TRUE)
    found <- .Call(inktide:::pair_codes, one, other)
    key <- paste(one, other)
    expect_identical(found[[1]], match(key, unique(key)))
    expect_identical(found[[2]], which(!duplicated(key)))
  }
})

test_that("texts are put in the order of their bytes, and taken apart into words, as R does", {
  set.seed(8)
  parts <- c("a", "b", "bean", "caf\u00e9", "\u79cd\u5b50", "z\u00fccchini 12", "heirloom tomato")
  x <- c("", " ", "  a  a ", "heirloom", "heirloom ", "heirloom tomato seeds", strrep("long ", 500),
    paste0(strrep("long ", 500), "b"), replicate(2000, paste(sample(parts, sample(0:6, 1), TRUE),
      collapse = sample(c(" ", "", "  "), 1))))
  expect_identical(inktide:::sorted_texts(x), sort(unique(x), method = "radix"))
  expect_identical(.Call(inktide:::order_of_texts, x), order(x, method = "radix"))
  found <- .Call(inktide:::words_of_texts, x)
  words <- lapply(strsplit(x, " ", fixed = TRUE), function(own) unique(own[nzchar(own)]))
  expect_identical(found[[1]], rep(seq_along(x), lengths(words)))
  expect_identical(found[[3]][found[[2]]], unlist(words))
  expect_identical(found[[3]], unique(unlist(words)))
})

test_that("a table of log CTR is read between its points, each line in its class of blending", {
  table <- cbind(log(seq(0.4, 0.01, length.out = 160)), log(0.2), log(0.1), log(0.05))
  at <-
    inktide:::read_ctr(table, c(1, 100, 500, 7, 7, 7), c(1, 1, 1, 8, 4, 1), c(1, 1, 1, 10, 10, 100))
  expect_equal(at, c(0.4, 0.01, 0.01, 0.2, 0.1, 0.05))
  middle <- 100^(0.5 / 159)
  expect_equal(inktide:::read_ctr(table, middle, 1, 1), exp(mean(table[1:2, 1])))
  class <- inktide:::blend_class(c(1, 8, 4, 1), c(1, 10, 10, 100))
  expect_equal(class, 1:4)
})

test_that("addresses fold to one key whatever their scheme, www, index page and closing slash", {
  same <- c("https://www.fernmoor.example/shop/", "http://fernmoor.example/shop",
    "https://fernmoor.example/shop/index.html", "ftp://www.fernmoor.example/shop//")
  expect_equal(unique(inktide:::url_key(same)), "fernmoor.example/shop")
  expect_equal(
    inktide:::url_key(c("https://fernmoor.example/a/?x=1", "https://fernmoor.example/a?x=b/")),
    c("fernmoor.example/a?x=1", "fernmoor.example/a?x=b"))
})

test_that("every compiled entry refuses what it would read or write out of bounds by", {
  k <- function(name) getFromNamespace(name, "inktide")
  wrong <- list(quote(.Call(k("sum_by"), c(1, 2), c(1L, NA), 2L)),
    quote(.Call(k("sum_by"), c(1, 2), c(1L, 3L), 2L)),
    quote(.Call(k("sum_by"), c(1, 2), c(0L, 1L), 2L)), quote(.Call(k("sum_by"), c(1, 2), 1L, 2L)),
    quote(.Call(k("sum_by"), "a", 1L, 2L)), quote(.Call(k("sum_by"), 1, 1L, NA_integer_)),
    quote(.Call(k("sum_by"), 1, 1L, -1L)), quote(.Call(k("least_by"), 1:2, c(1L, 3L), 2L)),
    quote(.Call(k("least_by"), 1:2, c(NA, 1L), 2L)), quote(.Call(k("least_by"), c(1, 2), 1:2, 2L)),
    quote(.Call(k("least_by"), 1:2, 1L, 2L)), quote(.Call(k("phrase_counts"), "a", "a", 2L)),
    quote(.Call(k("phrase_counts"), "a", "a", 0L)), quote(.Call(k("phrase_counts"), "a", 1L, 1L)),
    quote(.Call(k("phrase_counts"), c("a", "b"), "a", 1L)),
    quote(.Call(k("any_repeat"), list(c(1L, NA)), 1L, 2)),
    quote(.Call(k("any_repeat"), list(1:2, 1:3), c(1L, 1L), c(2, 3))),
    quote(.Call(k("any_repeat"), list(c(1L, 5L)), 1L, 2)),
    quote(.Call(k("any_repeat"), list(), integer(), numeric())),
    quote(.Call(k("any_repeat"), list(1:2), 1L, NA_real_)),
    quote(.Call(k("any_repeat"), list(1:2, 1:2, 1:2), c(1L, 1L, 1L), c(2, 2^40, 2^40))),
    quote(.Call(k("any_repeat"), list(c("a", "b")), 1L, 2)),
    quote(.Call(k("pair_codes"), 1:2, 1:3)), quote(.Call(k("pair_codes"), c(1, 2), 1:2)),
    quote(.Call(k("distinct_codes"), 1:2)), quote(.Call(k("text_holds_any"), 1:2, 1L)),
    quote(.Call(k("text_holds_any"), "a", NA)),
    quote(.Call(k("read_spots"), c(1, 2), c(1L, 2L), c(0, 0))),
    quote(.Call(k("read_spots"), c(1, 2), NA_integer_, 0)),
    quote(.Call(k("read_spots"), c(1, 2), 0L, 0)),
    quote(.Call(k("read_spots"), c(1, 2), 1L, c(0, 1))),
    quote(.Call(k("blended_ctr"), matrix(0, 1, 1), 1, 1, 1, numeric())),
    quote(.Call(k("blended_ctr"), matrix(0, 9, 1), 1, 1, 1, 0.5)),
    quote(.Call(k("blended_ctr"), 1:9, 1, 1, 1, numeric())),
    quote(.Call(k("blended_ctr"), matrix(0, 9, 2), c(1, 2), 1, 1, 0.5)),
    quote(.Call(k("blended_ctr"), matrix(0, 9, 2), 1, numeric(), 1, 0.5)),
    quote(.Call(k("blend_classes"), c(1, 2), 1, 0.5)), quote(.Call(k("blend_classes"), 1L, 1, 0.5)),
    quote(.Call(k("blend_spots"), 1, 0L, 9L)), quote(.Call(k("blend_spots"), 1, c(1L, 1L), 9L)),
    quote(.Call(k("blend_spots"), NA_real_, 1L, 9L)), quote(.Call(k("blend_spots"), 1, 1L, 1L)),
    quote(.Call(k("scan_records"), "nowhere", 0L, ",", "")),
    quote(.Call(k("scan_records"), NA_character_, 0L, ",", "")),
    quote(.Call(k("scan_records"), tempdir(), 0L, ";;", "")),
    quote(.Call(k("scan_records"), tempfile(), -1L, ",", "")),
    quote(.Call(k("path_facts_of"), character())),
    quote(.Call(k("own_file"), "nowhere", -1, 0, 0L)), quote(.Call(k("write_bytes"), 7L, raw())),
    quote(.Call(k("write_bytes"), 1L, "text")), quote(.Call(k("holds_joined"), "a", "")),
    quote(.Call(k("holds_joined"), 1, "a")), quote(.Call(k("first_claims"), 0L, 1L)),
    quote(.Call(k("first_claims"), 1:2, 3L)), quote(.Call(k("first_claims"), NA, 1L)),
    quote(.Call(k("words_of_texts"), NA_character_)), quote(.Call(k("words_of_texts"), 1L)),
    quote(.Call(k("words_of_texts"), "\xff")), quote(.Call(k("order_of_texts"), NA_character_)),
    quote(.Call(k("order_of_texts"), 1)),
    quote(.Call(k("rows_of_share"), 1:2, 1L, 1L)), quote(.Call(k("rows_of_share"), 1L, 1L, 0L)),
    quote(.Call(k("add_cells"), NULL, 1L, 1L, NULL, 1L, 1, 1, 1, NULL, NULL)),
    quote(put_in(query = 1:2)), quote(put_in(page = 1)), quote(put_in(bins = NULL)),
    quote(put_in(bins = 1)), quote(put_in(clicks = "a")), quote(put_in(position = c(1, 2))),
    quote(put_in(bin = 1)), quote(put_in(apart = 1L)),
    quote(put_in(apart = 1L, day = 1:2, from = 3L)),
    quote(.Call(k("take_cells"), 1)), quote(.Call(k("sums_of_pairs"), c(1, 2), 3L)),
    quote(.Call(k("sums_of_pairs"), c(1, 2), c(2L, 1L))), quote(.Call(k("sums_of_pairs"), 1:2, 2L)),
    quote(.Call(k("sums_of_pairs"), c(1, 2), NA_integer_)),
    quote(.Call(k("kept_sums"), 1, c(1, 2), 0, 1L)), quote(.Call(k("kept_sums"), 1, 1, 0, 2L)),
    quote(.Call(k("cell_scores"), 1, 1, 0, 1L, c(1, 2), 1, 1, TRUE)),
    quote(.Call(k("cell_scores"), 1, 1, 0, 1L, 1, 1, 1, 1L)),
    quote(.Call(k("wobble_sums"), 1, 1, 1L, 1, c(1, 2))),
    quote(.Call(k("group_priors_of"), c(0, 0), c(1, 1, 1), c(1, 0, 0), 0, c(0, 1))),
    quote(.Call(k("group_priors_of"), c(0, 0, 0), c(1, 1, 1), c(1, 0, 0), 0, 0)),
    quote(.Call(k("mixture_of"), numeric(5), c(0, 1), 0, 0, 1L, numeric(3), numeric(3), 0)),
    quote(.Call(k("mixture_of"), numeric(8), c(0, 1), 0, 0, 1L, numeric(2), numeric(3), 0)),
    quote(.Call(k("highest_one_of"), c(1, 2))), quote(.Call(k("counts_over_factors"), 1, 1:2, 0)),
    quote(.Call(k("counts_over_factors"), 1, 1, numeric())),
    quote(blocks_in(rows = 2)), quote(blocks_in(at = 0L)), quote(blocks_in(maps = list())),
    quote(blocks_in(maps = list(list()))), quote(blocks_in(maps = list(list(1, 1, 1, 1)))),
    quote(blocks_in(which = c(1L, 3L, 4L, 1L, 0L))), quote(blocks_in(keep = 1L)),
    quote(blocks_in(which = c(2L, 3L, 4L, 9L, 0L))), quote(blocks_in(which = 2:4)),
    quote(blocks_in(path = tempfile())), quote(blocks_in(only = list(1L, 1L))),
    quote(blocks_in(only = list(list(list(1L, 1L, NULL)), 0L))),
    quote(blocks_in(only = list(list(list(raw(1), 1:2, NULL)), 0L))),
    quote(blocks_in(only = list(list(list(raw(1), 1L, NULL)), -1L))),
    quote(.Call(k("read_blocks"), list())),
    quote(sums_in(position = 1L)), quote(sums_in(sums = NULL)), quote(sums_in(query = 0L)),
    quote(sums_in(query = 1)), quote(sums_in(bins = NULL)), quote(sums_in(apart = 1L)),
    quote(plain_in(columns = 9L)),
    quote(plain_in(kinds = 7L)), quote(plain_in(telling = TRUE)),
    quote(plain_in(figures = 1L)), quote(plain_in(figures = c(2L, 2L, NA))),
    quote(plain_in(sep = ";;")), quote(plain_in(rows_path = "x")), quote(plain_in(threads = 0L)))
  # Good arguments, but for those that are named.
  put_in <- function(query = 1L, page = 1L, bin = NULL, bins = 1L, clicks = 1, impressions = 1,
      position = 1, day = NULL, from = NULL, apart = 0L) {
    .Call(k("add_cells"), .Call(k("new_cells"), apart), query, page, bin, bins, clicks, impressions,
      position, day, from)
  }
  # One row: text 1, 2 clicks, 3 impressions, day 4; in another file its position stands before it.
  rows_file <- withr::local_tempfile()
  writeBin(1:4, rows_file)
  asked <- function(path = rows_file, rows = 1L, at = 0, maps = list(list(1L, NULL, NULL, NULL)),
      kinds = c(0L, 1L, 1L, 3L), which = c(2:4, 1L, 0L), keep = as.raw(rep(1, 5)),
      only = NULL) {
    list(path, rows, at, maps, kinds, which, 0L, keep, 0L, only)
  }
  blocks_in <- function(...) .Call(k("read_blocks"), asked(...))
  placed_file <- withr::local_tempfile()
  writeBin(c(writeBin(1.5, raw()), writeBin(1:4, raw())), placed_file)
  sums_in <- function(position = 5L, apart = 0L, sums = .Call(k("new_cells"), apart), query = 7L,
      bins = 1:9, of = asked(placed_file, kinds = c(0L, 1L, 1L, 3L, 2L),
        maps = list(list(1L, NULL, NULL, NULL, NULL)))) {
    list(.Call(k("sum_blocks"), of, position, sums, query, NULL, bins, NULL),
      .Call(k("take_cells"), sums))
  }
  expect_identical(blocks_in(), list(1L, 2L, 3L, 4L))
  expect_identical(lengths(blocks_in(only = list(list(list(raw(1), 1L, NULL)), 0L))), integer(4))
  expect_identical(blocks_in(only = list(list(list(raw(1), 1L, NULL)), 1L)), list(1L, 2L, 3L, 4L))
  summed <- sums_in()
  expect_identical(summed[[1]]$days$weighted, c(0, 0, 0, 0, 4.5))
  expect_identical(summed[[1]]$queries, list(weight = 3, first = 4L))
  expect_identical(summed[[2]]$all[1:6], list(query = 7L, page = 1L, bin = 3L, clicks = 2,
    impressions = 3, weighted = 4.5))
  expect_error(sums_in(of = asked(placed_file, kinds = c(0L, 1L, 1L, 3L, 2L),
    maps = list(list(integer(), NULL, NULL, NULL, NULL)))), "have changed")
  plain_in <- function(columns = 1:2, kinds = c(0L, 1L), telling = c(TRUE, FALSE), sep = ",",
      figures = c(2L, 2L, 0L), rows_path = "", threads = 1L) {
    .Call(k("read_plain"), rows_file, 0L, sep, 2L, columns, kinds, telling, figures, 0L, threads,
      rows_path, tempfile())
  }
  expect_null(plain_in())
  refused <- "needs|cannot be opened|are gone"
  for (call in wrong) expect_error(eval(call), refused, label = deparse(call)[1])
  expect_identical(.Call(k("sum_by"), numeric(), integer(), 0L), numeric())
  expect_identical(.Call(k("sum_by"), numeric(), integer(), 2L), c(0, 0))
  expect_identical(.Call(k("least_by"), c(5L, 2L, NA, 7L), c(1L, 1L, 2L, 3L), 4L),
    c(2L, NA, 7L, NA))
  expect_identical(.Call(k("phrase_counts"), c(" a ", "", " b "), c(" a a b ", " "), c(1L, 1L, 2L)),
    c(2L, 0L, 0L))
  expect_identical(.Call(k("blended_ctr"), matrix(0, 9, 1), NA_real_, 1, 1, numeric()), NA_real_)
  expect_false(.Call(k("any_repeat"), list(integer()), 1L, 2))
})

test_that("records are found in any bytes at all", {
  set.seed(9)
  bytes <- c(charToRaw("a,;\"\"\n\n\r 1"), as.raw(c(0xc3, 0xa9, 0xff, 0, 0x1a)))
  file <- tempfile()
  copy <- tempfile()
  for (round in seq_len(turns(400))) {
    writeBin(sample(bytes, sample(0:40, 1), TRUE), file)
    found <- .Call(inktide:::scan_records, file, sample(0:2, 1), ",", if (round %% 2) copy else "")
    expect_true(found$records >= length(found$empty) + found$ragged)
    expect_true(all(diff(found$jump_line) > 0), all(diff(found$jump_record) > 0))
  }
  # UTF-8 that is none: overlong forms, surrogates, beyond the last code point, cut off.
  for (bad in list(c(0xc0, 0x80), c(0xe0, 0x80, 0x80), c(0xed, 0xa0, 0x80),
      c(0xf4, 0x90, 0x80, 0x80), 0xc3, c(0xc3, 0x61, 0xa9))) {
    writeBin(c(charToRaw("x\n"), as.raw(bad), charToRaw("\n")), file)
    expect_equal(.Call(inktide:::scan_records, file, 0L, ",", "")$invalid, 2L)
  }
})

test_that("the levels of texts are found whatever their order, and bytes of Windows become Unicode",
  {
    skip_unless_studies()
    set.seed(1)
    x <- sample(c("a", "b", NA, "caf\xe9", "\u6d77"), 1000, TRUE)
    levels <- inktide:::as_levels(x)
    expect_equal(as.character(levels), ifelse(is.na(x), "", ifelse(x == "caf\xe9", "caf\u00e9", x)))
    expect_equal(inktide:::as_levels(levels), levels)
  })
