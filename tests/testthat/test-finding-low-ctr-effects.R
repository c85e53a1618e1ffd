test_that("what a topic loses to its results page is no finding, a weak page beside it is one", {
  set.seed(5)
  n <- 900
  page <- seq_len(n) %/% 3
  crop <- paste0("crop", sample(40, n, TRUE))
  words <- data.table(query = rep(seq_len(n), 2), word = c(rep("seeds", n), crop))
  held <- crop == "crop7"
  weak <- page %% 30 == 0 & !held
  expected <- exp(rnorm(n, 3, 0.8))
  clicks <- rpois(n, expected * exp(rnorm(n, 0, 0.25)) * ifelse(held, 0.45, 1) *
    ifelse(weak, 0.35, 1))
  judged <- inktide:::fit_low_ctr(clicks, expected, page, words)
  expect_equal(judged$topics$word, "crop7")
  expect_equal(judged$topics$share, 0.45, tolerance = 0.2)
  listed <- inktide:::within_fdr(judged$judged$confidence, fdr = 0.1)
  expect_lt(mean(held[listed]), 0.15)
  expect_gt(mean(which(weak & expected > 10) %in% listed), 0.6)
  expect_gt(judged$topics$likely, 0.9)
  # Asked for, the topic is no excuse: its queries are low, with a doubt.
  all <- inktide:::fit_low_ctr(clicks, expected, page, words, include_topics = TRUE)
  expect_equal(nrow(all$topics), 0)
  low <- held & clicks < 0.5 * expected & expected > 20
  expect_gt(mean(all$judged$confidence[low]), 0.5 + mean(judged$judged$confidence[low]))
  expect_gt(mean(all$judged$by_topic[held] > 0.5), 0.9)
})

test_that("the program lists a topic's queries again where it is asked to", {
  dir <- withr::local_tempdir()
  fwrite(demo()$site$daily, file.path(dir, "daily.csv"))
  ids <- function(...) {
    fread(text = program(c("find", "daily.csv", "--brand", "fernmoor", "--kind", "low_ctr",
      "--format", "csv", ...), dir = dir)$out)
  }
  plain <- ids()
  with_topics <- ids("--include", "topic")
  expect_true(all(plain$id[plain$rank <= 3] %in% with_topics$id))
  more <- with_topics[!with_topics$id %in% plain$id]
  doubted <- grepl("Doubt: the results page", more$reason)
  cat(more$query[doubted], "
")
  expect_true(any(doubted))
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
