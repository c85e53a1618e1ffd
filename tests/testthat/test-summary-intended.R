# A site on which two pages answer "kale care": the shop leads throughout and is clicked half as
# often as it should be, the guide stands behind it.
contest_site <- function() {
  rows <- made_site(queries = 150, days = 60)
  day <- as.IDate("2026-01-02") + 0:58
  both <- rbind(data.table(date = day, page = "https://www.fernmoor.example/shop/kale/",
    clicks = 0L, impressions = 30L, position = 3),
    data.table(date = day, page = "https://www.fernmoor.example/guides/kale/", clicks = 1L,
      impressions = 30L, position = 5))
  rbind(rows, data.table(query = "kale care", both), use.names = TRUE)
}

test_that("the intended page settles which page is wrong, whatever its words", {
  summary <- tide_summary(as_data(contest_site()))
  found <- function(intended) {
    rules <- tide_rules(intended = intended)
    as.data.table(tidy(tide_find(summary, rules = rules, kind = "cannibalized")))[
      query == "kale care"]
  }
  known <- found(c(`kale care` = "/guides/kale/"))
  expect_equal(known$confidence, 1)
  expect_match(known$page, "/guides/kale/")
  expect_match(known$reason, "The intended page is /guides/kale/ (position 5.0)", fixed = TRUE)
  expect_match(known$action, "^Keep /guides/kale/")
  by_pattern <- found(c(`/^kale/` = "https://www.fernmoor.example/guides/kale/"))
  expect_equal(by_pattern, known)
  expect_equal(nrow(found(c(`kale care` = "/shop/kale/"))), 0)
})

test_that("each query with an intended page is told to lead, to be outranked or not to rank", {
  summary <- tide_summary(as_data(contest_site()))
  told <- function(...) {
    out <- tide_intended(summary, tide_rules(intended = c(...)))
    stats::setNames(out$status, out$query)
  }
  expect_equal(told(`query 0001` = "/p0/", `kale care` = "/guides/kale/", `query 0002` = "/p7/",
    `query 0005` = "/nowhere/", never = "/p1/"),
    c(`kale care` = "outranked", `query 0002` = "does not rank", `query 0005` = "does not rank",
      never = "query not seen", `query 0001` = "leads"))
  expect_equal(nrow(tide_intended(summary, tide_rules())), 0)
  expect_error(tide_rules(intended = "/a/"), class = "tide_error_argument")
  expect_error(tide_rules(intended = c(`/((/` = "/a/")), class = "tide_error_regex")
})

test_that("the work on a query in striking distance is done on its intended page", {
  summary <- tide_summary(as_data(made_site(queries = 200, days = 60)))
  plain <- tidy(tide_find(summary, kind = "striking_distance"))
  first <- plain[1, ]
  rules <- tide_rules(intended = stats::setNames("/p9/", first$query))
  own <- tidy(tide_find(summary, kind = "striking_distance", rules = rules))
  own <- own[own$id == first$id, ]
  expect_match(own$action, sprintf("Answer \"%s\" on /p9/, its intended page", first$query),
    fixed = TRUE)
  expect_match(own$reason, "The intended page is /p9/.", fixed = TRUE)
  expect_equal(own$gain, first$gain)
})

test_that("intended pages stand in the settings or in a table, and the check names those behind", {
  dir <- withr::local_tempdir()
  fwrite(contest_site(), file.path(dir, "a.csv"))
  settings <- function(...) writeLines(c("exports: [a.csv]", ...), file.path(dir, "inktide.yml"))
  run <- function(...) program(..., "--lag", "0", dir = dir)
  settings("intended: {kale care: /guides/kale/, query 0001: /p5/}")
  said <- paste(program("check", dir = dir)$out, collapse = " ")
  expect_match(said, "intended pages that are outranked: 'kale care': /guides/kale/ at 5.0, behind",
    fixed = TRUE)
  expect_match(said, "intended pages that do not rank: 'query 0001': /p5/")
  writeLines(c("Keyword;URL", "kale care;/guides/kale/"), file.path(dir, "pages.csv"))
  settings("intended: pages.csv")
  listed <- fread(text = run("find", "--kind", "cannibalized", "--format", "csv", "--quiet")$out)
  expect_equal(listed[query == "kale care"]$confidence, 1)
  settings("intended: [a, b]")
  expect_match(paste(run("find")$err, collapse = " "), "lines of 'query: page', or a file")
  writeLines(c("Keyword;Volume", "kale;3"), file.path(dir, "pages.csv"))
  settings("intended: pages.csv")
  expect_match(paste(run("find")$err, collapse = " "), "needs one column `page`")
})
