test_that("pooling violators gives the least-squares non-increasing fit (stats::isoreg)", {
  set.seed(4)
  for (i in 1:20) {
    y <- rnorm(12)
    expect_equal(inktide:::pool_violators(y, rep(1, 12)), -stats::isoreg(-y)$yf)
  }
  # A weight of 2 is the same as a value twice.
  expect_equal(inktide:::pool_violators(c(1, 3, 2), c(1, 2, 1)), inktide:::pool_violators(c(1, 3, 3, 2), rep(1, 4))[c(1, 2, 4)])
})

test_that("the spread of gamma factors is recovered from negative binomial clicks", {
  set.seed(5)
  for (spread in c(0.05, 0.2, 0.6)) {
    expected <- exp(rnorm(3000, 2.5, 1))
    clicks <- rnbinom(3000, size = 1 / spread, mu = expected)
    expect_equal(inktide:::estimate_spread(clicks, expected), spread, tolerance = 0.12)
  }
})

test_that("a known curve is found again, with its interval, better than by the pivot", {
  truth <- made_curve
  runs <- lapply(1:12, function(seed) {
    curve <- tide_curve(tide_summary(as_data(made_site(seed = seed, queries = 400, days = 30))))
    at <- predict(curve, 1:10)
    pivot <- curve$evidence$pivot_ctr[1:10]
    list(own = mean(abs(log(at$ctr / truth))), pivot = mean(abs(log(pivot / truth))), covered = mean(at$ctr_low < truth & truth < at$ctr_high))
  })
  mean_of <- function(name) mean(vapply(runs, `[[`, 0, name))
  expect_lt(mean_of("own"), 0.07)
  expect_lt(mean_of("own"), mean_of("pivot"))
  expect_gt(mean_of("covered"), 0.75)
})

test_that("the curve never rises, stays within 0 and 1, and one giant query does not become it", {
  rows <- made_site(queries = 300, days = 30)
  before <- predict(tide_curve(tide_summary(as_data(rows))), 1:100)$ctr
  expect_true(all(diff(before) <= 1e-12) && all(before > 0 & before < 1))
  giant <- data.table(date = rows$date[1], query = "giant", page = "/g", clicks = 900000, impressions = 1e6, position = 3)
  curve <- tide_curve(tide_summary(as_data(rbind(rows, giant))))
  expect_lt(abs(log(predict(curve, 3)$ctr / before[3])), 0.15)
  expect_gt(curve$evidence$pivot_ctr[3], 0.5)
})

test_that("row order changes nothing, more data narrow the interval, less data change the fit", {
  rows <- made_site(queries = 200, days = 30)
  fit <- function(rows) predict(tide_curve(tide_summary(as_data(rows))), 1:10)
  expect_equal(fit(rows[sample(.N)]), fit(rows))
  expect_false(isTRUE(all.equal(fit(rows[1:1000])$ctr, fit(rows)$ctr)))
  width <- function(at) mean(log(at$ctr_high / at$ctr_low))
  expect_lt(width(fit(made_site(queries = 1600, days = 30))), width(fit(rows)) * 0.7)
})

test_that("brand and non-brand are both there, and a segment without data falls back with a wide interval", {
  curve <- tide_curve(tide_summary(as_data(made_site(queries = 200)), brand = "nobody asks this"))
  at <- predict(curve, 1)
  expect_equal(at$segment, c("non-brand", "brand"))
  expect_gt(at$ctr_high[2] / at$ctr_low[2], 3 * at$ctr_high[1] / at$ctr_low[1])
  expect_setequal(tidy(curve)$segment, c("brand", "non-brand"))
  expect_equal(nrow(glance(curve)), 2)
  expect_error(predict(curve, 0), class = "tide_error_argument")
  expect_error(predict(curve, 3, segment = "mobile"), "non-brand", class = "tide_error_argument")
})

test_that("the pivot is the plain ratio at the rounded position", {
  rows <- data.table(query = c("a", "b", "c"), clicks = c(1, 2, 4), impressions = c(10, 10, 10), position = c(1.6, 2.4, 2.5))
  evidence <- tide_curve(tide_summary(as_data(rows)))$evidence
  expect_equal(evidence$position, c(2, 3))
  expect_equal(evidence$pivot_ctr, c(0.15, 0.4))
  expect_equal(evidence$pairs, c(2, 1))
})

test_that("the curve's print can be read aloud", {
  text <- format(demo()$found$curve)
  expect_match(text[1], "2025-07-02 to 2026-10-31")
  expect_true(any(grepl("non-brand: .* pairs", text)))
  expect_true(all(nchar(text) <= 100))
})

test_that("bins are whole at rounded positions, and cells keep their own mean", {
  p <- seq(1, 120, by = 0.013)
  bin <- inktide:::position_bin(p)
  expect_equal(bin, findInterval(p, inktide:::position_breaks))
  rounded <- floor(p + 0.5)
  near <- p < 20.5
  expect_true(all(tapply(rounded[near], bin[near], function(x) length(unique(x))) == 1))
})

test_that("CTR that wavers from cell to cell of a pair is told from chance", {
  set.seed(11)
  wobble_of <- function(wobble) {
    cells <- CJ(query = 1:400, bin = 2:9)[, c("page", "impressions", "position", "rows") := list(1L, 400, bin / 2, 1)]
    cells[, weighted := impressions * position]
    mean <- 400 * 0.25 / cells$position
    clicks <- rpois(nrow(cells), mean * rgamma(nrow(cells), 1 / wobble, 1 / wobble) * rep(rgamma(400, 5, 5), each = 8))
    cells[, clicks := clicks]
    inktide:::estimate_wobble(cells$clicks, mean, inktide:::curve_evidence(cells), 0.2)
  }
  expect_equal(wobble_of(0.1), 0.1, tolerance = 0.25)
  expect_lt(wobble_of(1e-4), 0.01)
})

test_that("brand's curve rests on each query's leading page", {
  rows <- rbind(made_site(queries = 200, days = 30),
    data.table(date = as.IDate("2026-01-02"), query = rep(sprintf("fernmoor %d", 1:30), 2), page = rep(c("https://www.fernmoor.example/", "https://www.fernmoor.example/contact/"), each = 30),
      clicks = rep(c(60, 2), each = 30), impressions = 100, position = rep(c(1, 1.4), each = 30)))
  curve <- tide_curve(tide_summary(as_data(rows), brand = "fernmoor"))
  expect_equal(predict(curve, 1, "brand")$ctr, 0.6, tolerance = 0.1)
  expect_equal(glance(curve)$pairs[2], 30)
})
