test_that("who led follows from counting all sequences of leaders", {
  set.seed(1)
  dates <- as.IDate("2026-01-01") + cumsum(c(0, 1, 1, 3, 1, 1, 2))
  ahead <- matrix(runif(21, 0.15, 0.85), 3)
  turn <- 1 - exp(-as.numeric(diff(dates)) / inktide:::assumed("lead_lasts"))
  course <- inktide:::lead_probabilities(ahead, dates)
  leads <- as.matrix(expand.grid(rep(list(0:1), ncol(ahead))))
  for (i in 1:3) {
    p <- ahead[i, ]
    shown <- apply(leads, 1, function(l) prod(ifelse(l == 1, p, 1 - p)))
    changed <- t(apply(leads, 1, function(l) diff(l) != 0))
    lasting <- shown * apply(changed, 1, function(c) prod(ifelse(c, turn, 1 - turn))) / 2
    share <- mean(p)
    chancy <- shown * apply(leads, 1, function(l) prod(ifelse(l == 1, share, 1 - share)))
    by_chance <- sum(chancy)
    throughout <- max(prod(p), prod(1 - p)) / 2
    all <- sum(lasting) + by_chance + throughout
    expect_equal(course$swaps[i], sum(lasting[rowSums(changed) >= 2]) / all, ignore_attr = TRUE)
    expect_equal(course$by_chance[i], by_chance / all, ignore_attr = TRUE)
    likelier <- if (by_chance > 0.5 * all) chancy else lasting
    expect_equal(course$leads[i, ], colSums(likelier * leads) / sum(likelier), ignore_attr = TRUE)
  }
})

test_that("pages that swap are told from pages that waver, blips and days of one page or the other",
  {
    set.seed(4)
    dates <- as.IDate("2026-01-01") + 0:83
    # First page ahead where TRUE; wavering pages have about the same each day.
    courses <- list(by_week = rep(c(TRUE, FALSE), each = 7, 6),
      out_of_step = rep(c(TRUE, FALSE), each = 7, 7)[4 + seq_along(dates)], one = rep(TRUE, 84),
      blip = !seq_along(dates) %in% 40:42, by_day = runif(84) < 0.5)
    of <- function(leads) ifelse(leads, 0.98, 0.02) + runif(84, -0.01, 0.01)
    ahead <- rbind(t(vapply(courses, of, numeric(84))), waver = pnorm(rnorm(84)))
    course <- inktide:::lead_probabilities(ahead, dates)
    expect_equal(unname(round(course$swaps, 1)), c(1, 1, 0, 0, 0, 0))
    expect_equal(unname(round(course$by_chance, 1)), c(0, 0, 0, 0, 1, 1))
    # Either the one or the other of two pages on a day: the lead falls by chance, but the pages do
    # swap.
    n <- rpois(84, 8)
    seen <- list(rbind(ifelse(courses$by_day, n, 0), rbinom(84, n, 0.5)),
      rbind(ifelse(courses$by_day, 0, n), 0))
    seen[[2]][2, ] <- n - seen[[1]][2, ]
    expect_equal(inktide:::apart_by_day(seen), c(TRUE, FALSE))
  })
