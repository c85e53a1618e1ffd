test_that("tails that are as heavy above as below are nobody's fault", {
  set.seed(12)
  expected <- exp(rnorm(1500, 4, 1))
  heavy <- exp(rnorm(1500, 0, 0.3) + ifelse(runif(1500) < 0.12, rnorm(1500, 0, 0.9), 0))
  groups <- inktide:::fit_two_groups(inktide:::measured_over_factors(log(heavy), rep(0.01, 1500)))
  mirrored <- inktide:::mirror_high_part(groups)
  expect_equal(mirrored$weight[[2]], groups$weight[[2]], tolerance = 0.6)
  # A handful of high ones may be luck, and then nothing is mirrored.
  few <-
    inktide:::fit_two_groups(inktide:::measured_over_factors(rnorm(150, 0, 0.25), rep(0.05, 150)))
  expect_equal(inktide:::mirror_high_part(few)$weight[[2]], 0)
  page <- seq_along(expected)
  judged <- inktide:::fit_low_ctr(rpois(1500, expected * heavy), expected, page,
    data.table(query = page, word = paste("word", page)))
  expect_lt(length(inktide:::within_fdr(judged$judged$confidence, fdr = 0.1)), 15)
})

test_that("queries without pages are judged as if no page had an effect", {
  set.seed(5)
  expected <- exp(rnorm(1200, 3, 1.2))
  low <- seq_along(expected) %% 40 == 0
  clicks <- rpois(1200, expected * exp(rnorm(1200, 0, 0.2)) * ifelse(low, 0.35, 1))
  words <- data.table(query = seq_len(1200), word = paste("word", seq_len(1200)))
  judged <- inktide:::fit_low_ctr(clicks, expected, rep(1L, 1200), words)
  expect_true(all(judged$judged$page_low < 0.01))
  expect_equal(judged$pairs$sd[1], 0.2, tolerance = 0.1)
  expect_gt(mean(judged$judged$confidence[low & expected > 30]), 0.75)
  expect_lt(mean(judged$judged$confidence[!low]), 0.05)
})

test_that("one query's missed clicks are its own, those of all queries are the page's", {
  set.seed(8)
  pages <- rep(1:120, each = 6)
  expected <- exp(rnorm(720, 3.7, 0.5))
  usual <- exp(rnorm(720, 0, 0.2))
  no_words <- data.table(query = integer(), word = character())
  alone <- seq(6, 60, by = 6)
  whole <- pages %in% 101:112
  factor <- usual * ifelse(whole, 0.35, 1)
  factor[alone] <- 0.2
  clicks <- rpois(720, expected * factor)
  judged <- inktide:::fit_low_ctr(clicks, expected, pages, no_words)$judged
  expect_gt(mean(judged$confidence[alone] > 0.5), 0.75)
  expect_lt(max(judged$page_low[alone]), 0.5)
  expect_gt(mean(judged$page_low[whole]), 0.9)
  expect_gt(mean(judged$confidence[whole & clicks < 0.8 * expected]), 0.85)
  expect_lt(mean(judged$confidence[!whole & factor > 0.6 & clicks > 0.8 * expected]), 0.02)
  # What is clicked as usual is never low, and the order of rows changes nothing.
  expect_true(all(judged$confidence[clicks > 1.3 * expected] == 0))
  mixed <- sample(720)
  again <- inktide:::fit_low_ctr(clicks[mixed], expected[mixed], pages[mixed], no_words)$judged
  expect_equal(again$confidence, judged$confidence[mixed], tolerance = 1e-6)
})

test_that("likelihoods are those of gamma factors and, by integration, of log-normal ones", {
  groups <- list(weight = c(0.8, 0.15, 0.05), mean = c(0, -0.8, 0.7), sd = c(0.25, 0.5, 0.4))
  clicks <- c(0, 3, 40)
  expected <- exp(c(0.7, 2.3, 3.56))
  at <- c(6, 12, 17)
  likelihoods <- function(gamma) lapply(
    inktide:::pair_likelihoods(clicks, expected, c(groups, gamma = gamma)), function(own) own[, at])
  size <- uniroot(function(size) trigamma(size) - groups$sd[1]^2, c(0.1, 100), tol = 1e-9)$root
  gamma <- groups$weight[1] * vapply(inktide:::effect_grid[at],
    function(effect) dnbinom(clicks, size = size,
      mu = expected * exp(effect) * size / exp(digamma(size))),
    clicks)
  # What is low lies below the usual mean, what is high above it.
  ends <- rbind(c(-4, 3), c(-4, 0), c(0, 3))
  lognormal <- lapply(1:3, function(k) outer(1:3, at,
    Vectorize(function(row, j) {
      density <- function(x) dnorm(x, groups$mean[k], groups$sd[k])
      seen <- function(x) {
        dpois(clicks[row], expected[row] * exp(inktide:::effect_grid[j] + x)) * density(x)
      }
      over <- function(f) {
        integrate(f, ends[k, 1], ends[k, 2], subdivisions = 1000, rel.tol = 1e-8)$value
      }
      groups$weight[k] * over(seen) / over(density)
    })))
  # Each row to within a factor: what the usual part makes of it at no effect of the page.
  scaled <- function(of, by = of) of / by[, 3]
  expect_equal(scaled(likelihoods(1)[[1]]), scaled(gamma), tolerance = 0.02)
  plain <- likelihoods(0)
  for (k in 1:3) {
    expect_equal(scaled(plain[[k]], plain[[1]]), scaled(lognormal[[k]], lognormal[[1]]),
      tolerance = 0.05)
  }
  expect_equal(scaled(likelihoods(0.3)[[1]]), scaled(0.3 * gamma + 0.7 * lognormal[[1]]),
    tolerance = 0.02)
})
