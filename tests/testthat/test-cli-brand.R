# Files whose brand nobody names.
brand_file <- function(host, name, position, ctr, queries = 60) {
  rows <- made_site(queries = queries, days = 60)
  own <- data.table(date = rep(unique(rows$date), each = 2), query = c(name, paste(name, "price")),
    page = sprintf("https://www.%s/", host), clicks = as.integer(ctr * 100), impressions = 100L,
    position = position)
  rows[, "page" := gsub("www[.]fernmoor[.]example", paste0("www.", host), page)]
  file <- withr::local_tempfile(fileext = ".csv", .local_envir = parent.frame())
  fwrite(rbind(rows, own), file)
  file
}

test_that("a brand that the queries leave no doubt of is used, and said", {
  cases <- list(
    list(file = brand_file("oatley.example", "oatley", 1.2, 0.4), brand = "oatley"),
    list(file = brand_file("shop.example", "old barn", 1.1, 0.5), brand = "old barn"),
    # A shop named after what it sells is looked for by nobody.
    list(file = brand_file("pea-seeds.example", "pea seeds", 6, 0.05), brand = NULL),
    list(file = brand_file("pea-seeds.example", "pea seeds", 1.5, 0.1), brand = NULL))
  list_of <- function(...) program("find", ..., "--format", "csv")
  for (case in cases) {
    plain <- list_of(case$file)
    said <- paste(plain$err, collapse = " ")
    expect_equal(grepl("is taken as the brand", said), !is.null(case$brand), label = said)
    named <- list_of(case$file, "--brand", if (is.null(case$brand)) "none" else case$brand)
    expect_equal(plain$out, named$out)
    if (!is.null(case$brand)) {
      expect_match(said, sprintf("\"%s\" is taken", case$brand))
      none <- list_of(case$file, "--brand", "none")
      expect_false(identical(none$out, plain$out))
      expect_no_match(none$err, "brand", all = FALSE)
    }
  }
  # Of a long file the first rows tell.
  long <- withr::local_tempfile(fileext = ".csv")
  rows <- fread(cases[[1]]$file)
  again <- ceiling(3 * 2^20 / file.size(cases[[1]]$file))
  rows <- rbindlist(rep(list(rows), again), idcol = "turn")
  set(rows, j = c("date", "turn"), value = list(as.IDate(rows$date) - 60L * (rows$turn - 1L), NULL))
  fwrite(rows, long)
  expect_gt(file.size(long), inktide:::first_rows_bytes)
  expect_match(list_of(long)$err, "\"oatley\" is taken as the brand", all = FALSE)
})
