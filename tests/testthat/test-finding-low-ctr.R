test_that("the surest lines are listed, as many as keep the share of false ones", {
  # By hand: 0.01, 0.03 and 0.15 of false ones on average.
  expect_equal(inktide:::within_fdr(c(0.99, 0.5, 0.95, 0.7), fdr = 0.1), c(1, 3))
  expect_equal(inktide:::within_fdr(c(0.99, 0.5, 0.95, 0.7), fdr = 0.2), c(1, 3, 4))
  expect_length(inktide:::within_fdr(c(0.2, 0.3), fdr = 0.1), 0)
  set.seed(8)
  confidence <- runif(200)
  chosen <- inktide:::within_fdr(confidence, 0.15)
  expect_lte(mean(1 - confidence[chosen]), 0.15)
  more <- order(-confidence)[seq_len(length(chosen) + 1)]
  expect_gt(mean(1 - confidence[more]), 0.15)
})

test_that("a page whose queries are small is one piece of work where together they are worth it", {
  rows <- made_site(queries = 300, days = 60, seed = 3, demand = rep(6, 300))
  weak <- CJ(query = month.name, date = min(rows$date) + 4L * 0:14)[,
    c("page", "clicks", "impressions", "position") :=
      list("https://www.fernmoor.example/leek/", as.integer(.I <= 3), 1L, 3)]
  found <- as.data.table(tide_find(tide_summary(as_data(rbind(rows, weak, use.names = TRUE))),
    kind = "low_ctr")$findings)
  own <- found[found$query %in% month.name]
  expect_gt(nrow(own), 8)
  expect_lt(max(own$if_done), 1)
  expect_equal(length(unique(own$task)), 1)
  expect_equal(sort(unique(own$hours)), c(0, 1))
})

test_that("queries too small to be judged are evidence about their page, taken together", {
  pairs <- data.table(judged = TRUE, page = c(rep(1L, 20), rep(2L, 4), 3L), clicks = 1,
    expected = c(rep(0.75, 20), rep(0.2, 4), 5))
  rests <- inktide:::pool_small_queries(pairs, c(1L, 2L))
  expect_equal(rests$page, rep(1L, nrow(rests)))
  expect_equal(sum(rests$expected), 20 * 0.75, tolerance = 0.06)
  expect_true(all(rests$expected >= 1 & rests$expected <= 3))
  # A weak page of forty small queries and three that are judged, among a hundred usual ones.
  set.seed(4)
  site <- CJ(page = 1:100, k = 1:43)[, "expected" := ifelse(k <= 3, 6, 0.5)]
  site[, c("judged", "clicks") :=
    list(TRUE, rpois(.N, expected * exp(rnorm(.N, -0.03, 0.25)) * ifelse(page <= 5, 0.5, 1)))]
  low_pages <- function(rests) {
    large <- site[k <= 3]
    fit <- inktide:::fit_low_ctr(c(large$clicks, rests$clicks), c(large$expected, rests$expected),
      c(large$page, rests$page), data.table(query = integer(), word = character()),
      rep(c(TRUE, FALSE), c(nrow(large), nrow(rests))))
    unique(large$page[fit$judged$page_low[seq_len(nrow(large))] > 0.5])
  }
  with_rests <- low_pages(inktide:::pool_small_queries(site, site$page))
  expect_gte(length(with_rests), 4)
  expect_setequal(intersect(with_rests, 1:5), with_rests)
  expect_lt(length(low_pages(inktide:::pool_small_queries(site[0], 1L))), 3)
})

test_that("usual and low part share out what is seen by their variances (checked by simulation)", {
  groups <- list(weight = c(0.9, 0.08, 0.02), mean = c(0, -0.8, 0.8), sd = c(0.3, 0.5, 0.5),
    seen = c(1e6, 1e6, 1e6))
  set.seed(9)
  usual <- rnorm(2e5, 0, 0.3)
  today <- usual + rnorm(2e5, -0.8, 0.4)
  z <- today + rnorm(2e5, 0, 0.2)
  near <- abs(z + 1.2) < 0.02
  level <- inktide:::low_levels(-1.2, 0.04, groups)
  expect_equal(c(level$usual, level$today), c(mean(usual[near]), mean(today[near])),
    tolerance = 0.03)
  expect_equal(c(level$usual_var, level$today_var, level$shared),
    c(var(usual[near]), var(today[near]), cov(usual[near], today[near])), tolerance = 0.06)
})
