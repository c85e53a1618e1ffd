# A site on which an answer box takes more than half of the clicks of some queries, and pictures
# nothing; and the table of results pages that tells.
boxed_site <- function(seed = 1, taken = 0.45) {
  set.seed(seed)
  factor <- exp(rnorm(400, -0.02, 0.2))
  boxed <- seq(3, 400, by = 8)
  factor[boxed] <- factor[boxed] * taken
  list(rows = made_site(queries = 400, days = 90, seed = seed, factor = factor), boxed = boxed)
}

results_table <- function(site, ...) {
  file <- withr::local_tempfile(fileext = ".csv", .local_envir = parent.frame())
  pictured <- seq(1, 400, by = 10)
  fwrite(rbind(
    data.table(query = sprintf("query %04d", site$boxed), place = 1, features = "Answer box"),
    data.table(query = sprintf("query %04d", pictured), place = 2, features = "pictures, "), ...,
    fill = TRUE),
    file)
  tide_results_pages(file)
}

test_that("features that take clicks are measured and no longer expected; others are not used", {
  skip_unless_studies()
  counts <- vapply(1:3, function(seed) {
    site <- boxed_site(seed)
    summary <- tide_summary(as_data(site$rows))
    plain <- tide_find(summary, kind = "low_ctr")
    known <- tide_find(summary, kind = "low_ctr", results_pages = results_table(site))
    of <- known$features[feature == "answer box"]
    expect_true(of$used)
    expect_lt(of$ratio_low, 0.5)
    expect_gt(of$ratio_high, 0.4)
    expect_false(known$features[feature == "pictures"]$used)
    boxed <- sprintf("query %04d", site$boxed)
    c(sum(plain$findings$query %in% boxed), sum(known$findings$query %in% boxed))
  }, c(0, 0))
  expect_gt(sum(counts[1, ]), 10)
  expect_lt(sum(counts[2, ]), 0.2 * sum(counts[1, ]))
})

test_that("titles above are named by format, and the step asks for it where the page lacks it", {
  titles <- c("7 rules of radish spacing", "10 tips for radishes", "Radish spacing: 5 mistakes",
    "Buy radish seeds online", "How to space radishes", "What is the spacing of radishes?",
    "Radishes vs turnips", "Radish seeds tested", "A guide to radishes", "Radishes")
  expect_equal(inktide:::title_format(titles),
    c("list", "list", "list", "shop", "how-to", "question", "comparison", "review", "guide",
      "other"))
  site <- boxed_site()
  first <- tidy(tide_find(tide_summary(as_data(site$rows)), kind = "striking_distance"))[1, ]
  results <- results_table(site, data.table(query = first$query, place = 1:4,
    address = c("https://a.example/", "https://b.example/", "https://c.example/", first$page),
    title = c("5 tips", "9 ideas", "Top 10 radishes", "Radishes"), date = "2026-03-01"))
  found <- tidy(tide_find(tide_summary(as_data(site$rows)), kind = "striking_distance",
    results_pages = results))
  own <- found[found$id == first$id, ]
  expect_match(own$reason, "Results page of 1 Mar 2026: 3 of 4 titles are lists.", fixed = TRUE)
  expect_match(own$action, "Make it what searchers are shown: 3 of 4 titles are lists.",
    fixed = TRUE)
  told <- summary(results)
  expect_equal(told$alike[told$query == first$query], 3)
})

test_that("the newest look at a results page counts; bad tables are told by line", {
  dated <- csv("query,place,title,features,date", "kale,1,Old,ads,2026-01-01",
    "kale,1,New,answer box,2026-02-01", "kale,,,pictures,2026-02-01")
  results <- tide_results_pages(dated)
  expect_equal(results$rows$title, "New")
  expect_setequal(results$features$feature, c("answer box", "pictures"))
  expect_error(tide_results_pages(csv("query,place", "kale,first")), "line 2",
    class = "tide_error_not_number")
  expect_error(tide_results_pages(csv("query,title", "kale,x")), "one column `place`",
    class = "tide_error_columns_missing")
  expect_error(tide_results_pages(csv("query,place,date", "kale,1,soon")),
    class = "tide_error_not_date")
})

test_that("the program takes results pages from the call or the project, and traces them", {
  dir <- withr::local_tempdir()
  site <- boxed_site()
  fwrite(site$rows, file.path(dir, "a.csv"))
  fwrite(data.table(query = sprintf("query %04d", site$boxed), place = 1,
    address = "https://www.fernmoor.example/p1/", title = "10 tips", features = "answer box"),
    file.path(dir, "results.csv"))
  run <- function(...) program(..., "--lag", "0", dir = dir)
  said <- run("find", "a.csv", "--results-pages", "results.csv", "--kind", "low-ctr",
    "--details")
  expect_match(paste(said$err, collapse = " "),
    "results pages with answer box: [45][0-9] queries, CTR x0.5")
  expect_match(paste(said$err, collapse = " "), "expected CTR is lowered")
  writeLines(c("exports: [a.csv]", "results_pages: results.csv"), file.path(dir, "inktide.yml"))
  traced <- paste(run("trace", "query 0003")$out, collapse = "\n")
  expect_match(traced, "Results page of .*: answer box")
  expect_match(traced, "  1\\* 10 tips +list +fernmoor.example")
})
