test_that("a level's likelihood is that of counts whose level is gamma (by integration)", {
  by_hand <- function(clicks, expected, shape, mean) {
    density <- function(level) {
      dgamma(level, shape, shape / mean) * exp(clicks * log(level) - expected * level)
    }
    log(integrate(density, 0, 20, rel.tol = 1e-9)$value)
  }
  for (case in list(c(3, 5, 16, 1), c(12, 20, 4, 0.6), c(0, 8, 4, 0.6))) {
    part <- list(clicks = case[1], expected = case[2])
    expect_equal(inktide:::level_likely(part, case[3], case[4]),
      by_hand(case[1], case[2], case[3], case[4]), tolerance = 1e-6)
  }
})

weeks_of <- function(level, expected = 20, units = 60, weeks = 12) {
  mean <- matrix(expected, units, weeks)
  list(clicks = matrix(rpois(units * weeks, mean * level), units), expected = mean)
}

test_that("a change is found with its week and size, and steady units, high or low, have none", {
  set.seed(6)
  level <- matrix(1, 60, 12)
  level[1:5, 6:12] <- 0.45
  level[6:10, 1:5] <- 0.45
  level[11:15, ] <- 0.45
  level[16:20, ] <- 1.5
  # A dip that is over: the last change counts.
  level[21:22, 4:6] <- 0.3
  of <- weeks_of(level, expected = 50)
  found <- inktide:::last_shift(of$clicks, of$expected, 0, 0.05)
  expect_true(all(found$likely[1:10]) && all(abs(found$week[1:10] - 6) <= 1))
  expect_equal(mean(log(found$ratio[1:5])), log(0.45), tolerance = 0.15)
  expect_equal(mean(log(found$ratio[6:10])), -log(0.45), tolerance = 0.15)
  expect_lte(sum(found$likely[c(11:20, 23:60)]), 2)
  expect_true(all((found$before * found$ratio)[21:22] > 0.8))
  # A change that somebody made is believed on less.
  few <- weeks_of(level, expected = 2)
  known <- matrix(0, 60, 11)
  known[, 5] <- log(0.15 * 11 / 0.05)
  chance <- function(weight) inktide:::one_shift(few$clicks, few$expected, 0, 0.05, weight)$chance
  expect_gt(mean(chance(known)[1:10]), mean(chance(0)[1:10]))
  expect_lt(mean(chance(known)[23:60] > 0.5), 0.1)
})

test_that("weeks that wander beside chance are measured, and count for less", {
  set.seed(3)
  wander <- exp(matrix(rnorm(200 * 12, 0, 0.2), 200))
  of <- weeks_of(wander, expected = 100, units = 200)
  expect_equal(inktide:::week_wander(of$clicks, of$expected, rep(TRUE, 200)), 0.04,
    tolerance = 0.3)
  expect_gt(mean(inktide:::one_shift(of$clicks, of$expected, 0, 0.05)$likely),
    mean(inktide:::one_shift(of$clicks, of$expected, 0.04, 0.05)$likely))
})

test_that("a page that became weak says since when; a repaired one is left out with its date", {
  rows <- made_site(queries = 240, days = 90, seed = 2, demand = rep(40, 240))
  rows[, position := 2 + as.numeric(factor(query)) %% 3]
  last <- max(rows$date)
  changed <- last - 34L
  set.seed(5)
  # Of pages with queries enough to say that all of them fell at once.
  pages <- rows[, .(queries = uniqueN(query)), by = "page"][order(-queries)]$page
  rows[, kept := fcase(page == pages[1] & date >= changed, 0.35,
    page == pages[2] & date < changed, 0.35, rep(TRUE, .N), 1)]
  rows[, clicks := rbinom(.N, impressions, made_curve[position] * kept)]
  found <- tide_find(tide_summary(as_data(rows[, !"kept"])), kind = "low_ctr")
  list <- lines_of(found)
  expect_true(all(list$page == pages[1]))
  expect_equal(length(unique(list$task)), 1L)
  day <- function(date) sprintf("%d %s", as.POSIXlt(date)$mday, month.abb[month(date)])
  expect_match(list$reason[1], sprintf("Before %s .* since then [234]\\d%%", day(changed)))
  # What is missed since, for 30 days.
  missed <- rows[page == pages[1] & date >= changed,
    sum(impressions * made_curve[position]) * 0.65 * 30 / 35]
  expect_equal(sum(list$if_done), missed, tolerance = 0.15)
  expect_match(found$excluded$reason,
    sprintf("%s: CTR as expected since %s", inktide:::format_path(pages[2]), day(changed)),
    all = FALSE)
  expect_equal(unique(tide_trace(found, list$id[1])$finding$task), list$task[1])
})
