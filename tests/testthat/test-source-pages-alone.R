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
  listed <- fread(text = run("list", "--format", "csv", "--quiet")$out)
  expect_false(anyNA(listed$expected_ctr))
  expect_gt(cor(listed$lost, listed$impressions), 0.5)
  # Where there are queries, they are what is judged.
  expect_null(inktide:::pages_for_queries(tide_read(tide_example()[["pairs"]])))
})
