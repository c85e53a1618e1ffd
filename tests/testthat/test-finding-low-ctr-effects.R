test_that("what a topic loses to its results page is no finding, a weak page beside it is one", {
  set.seed(5)
  n <- 900
  page <- seq_len(n) %/% 3
  crop <- paste0("crop", sample(40, n, TRUE))
  words <- data.table(query = rep(seq_len(n), 2), word = c(rep("seeds", n), crop))
  held <- crop == "crop7"
  weak <- page %% 30 == 0 & !held
  expected <- exp(rnorm(n, 3, 0.8))
  judged <- inktide:::fit_low_ctr(
    rpois(n, expected * exp(rnorm(n, 0, 0.25)) * ifelse(held, 0.45, 1) * ifelse(weak, 0.35, 1)),
    expected, page, words)
  expect_equal(judged$topics$word, "crop7")
  expect_equal(judged$topics$share, 0.45, tolerance = 0.2)
  listed <- inktide:::within_fdr(judged$judged$confidence, fdr = 0.1)
  expect_lt(mean(held[listed]), 0.15)
  expect_gt(mean(which(weak & expected > 10) %in% listed), 0.6)
})

test_that("a topic on one page only lends doubt to its page, by how often topics are held back", {
  set.seed(8)
  n <- 600
  page <- seq_len(n) %/% 4
  weak <- page %in% c(10, 20, 30)
  expected <- exp(rnorm(n, 3.5, 0.5))
  clicks <- rpois(n, expected * exp(rnorm(n, 0, 0.2)) * ifelse(weak, 0.4, 1))
  crop <- sprintf("crop%d", ifelse(weak, page, page %/% 4 + 1000))
  judged <- inktide:::fit_low_ctr(clicks, expected, page,
    data.table(query = seq_len(n), word = crop))$judged
  expect_true(all(judged$unseen_topic[weak] > 0))
  expect_true(all(judged$unseen_topic[!weak & page %in% 40:100] == 0))
  own <- judged[weak & clicks < 0.8 * expected]
  expect_equal(own$confidence,
    own$low * (1 - own$by_topic) * (1 - inktide:::assumed("low_doubt")) - own$unseen_topic)
})
