test_that("pages without queries are judged at their mean position, less certainly", {
  set.seed(3)
  position <- runif(150, 1, 12)
  weak <- seq_len(150) %% 15 == 0
  impressions <- sample(300:6000, 150, TRUE)
  ctr <- (0.3 * exp(-0.35 * (position - 1)) * exp(rnorm(150, 0, 0.2)) + 0.005) *
    ifelse(weak, 0.35, 1)
  pages <- csv("", name = "pages.csv")
  fwrite(data.table(`Top pages` = sprintf("https://www.fernmoor.example/p%d/", 1:150),
    Clicks = rbinom(150, impressions, ctr), Impressions = impressions,
    Position = round(position, 1)), pages)
  run <- function(...) program(..., pages)
  found <- fread(text = run("find", "--format", "csv", "--quiet")$out)
  hit <- as.integer(gsub("\\D", "", found$page))
  expect_gt(mean(weak[hit]), 0.85)
  expect_gt(length(hit), 5)
  expect_equal(unique(found$kind), "low_ctr")
  expect_lte(max(found$confidence), 0.6)
  expect_match(found$reason, "the position is the mean of all of the page")
  expect_match(gsub(" +", " ", paste(run("find")$err, collapse = " ")), "at their mean position")
  near <- fread(text = run("find", "--kind", "striking-distance", "--format", "csv", "--quiet")$out)
  expect_equal(unique(near$kind), "striking_distance")
  expect_lte(max(near$confidence), 0.6)
  expect_match(near$action, "^Look which queries /p[0-9]+/ is shown for", all = TRUE)
  expect_match(paste(run("find", "--kind", "low-ctr,cannibalized")$err, collapse = " "),
    "These kinds need queries: cannibalized")
  listed <- fread(text = run("list", "--format", "csv", "--quiet")$out)
  expect_false(anyNA(listed$expected_ctr))
  expect_gt(cor(listed$lost, listed$impressions), 0.5)
  # Where there are queries, they are what is judged.
  expect_null(inktide:::pages_for_queries(tide_read(tide_example()[["pairs"]])))
})

test_that("pages shown as often as each other beneath another are no lines of their own", {
  set.seed(4)
  pages <- data.table(page = sprintf("/p%d/", 1:200), position = runif(200, 1.5, 10),
    impressions = round(exp(rnorm(200, 6, 1))))
  pages[, "clicks" := rbinom(200, impressions, 0.3 * exp(-0.3 * (position - 1)))]
  several <- data.table(page = c("/", "/delivery/", "/contact/", "/catalogue/", "/vouchers/"),
    position = c(1.2, 2, 2.3, 2.6, 3), impressions = c(26000, 20100, 20000, 20200, 19900),
    clicks = c(9000, 900, 800, 700, 600))
  found_in <- function(rows) {
    rows[, "page" := paste0("https://www.fernmoor.example", page)]
    tide_find(tide_summary(inktide:::pages_for_queries(as_data(rows))))
  }
  found <- found_in(rbind(pages, several))
  expect_false(any(grepl("delivery|contact|catalogue|vouchers", found$findings$page)))
  expect_equal(found$excluded[grepl("beneath another page", found$excluded$reason)]$queries, 4)
  # One that is shown so is a page like others.
  alone <- found_in(rbind(pages, several[1:2]))
  expect_true(any(grepl("/delivery/", alone$findings$page)))
})
