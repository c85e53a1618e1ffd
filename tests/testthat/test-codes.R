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
  for (rows in c(2, 30, 3000)) for (width in 1:4) {
    columns <- data.table::as.data.table(replicate(width,
      sample.int(max(2, ceiling(1.5 * rows^(2 / width))), rows, TRUE) - 3L, simplify = FALSE))
    expect_identical(inktide:::repeats_any(columns), anyDuplicated(columns) > 0)
    expect_identical(inktide:::repeats_any(unique(columns)), FALSE)
    key <- inktide:::row_key(columns)
    expect_identical(match(key, key), match(do.call(paste, columns), do.call(paste, columns)))
  }
})
