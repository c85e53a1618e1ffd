test_that("a known curve is found again, with its interval, better than by the pivot", {
  skip_unless_studies()
  truth <- made_curve
  runs <- lapply(1:12, function(seed) {
    curve <- tide_curve(tide_summary(as_data(made_site(seed = seed, queries = 400, days = 30))))
    at <- predict(curve, 1:10)
    pivot <- curve$evidence$pivot_ctr[1:10]
    list(own = mean(abs(log(at$ctr / truth))), pivot = mean(abs(log(pivot / truth))),
      covered = mean(at$ctr_low < truth & truth < at$ctr_high))
  })
  mean_of <- function(name) mean(vapply(runs, `[[`, 0, name))
  expect_lt(mean_of("own"), 0.07)
  expect_lt(mean_of("own"), mean_of("pivot"))
  expect_gt(mean_of("covered"), 0.75)
})

test_that(
  "positions between places are points on the curve, where rows of one impression show them",
  {
    rows <- made_site(queries = 800, days = 60)
    set.seed(9)
    rows[, "at" := pmin(10, pmax(1, position + runif(.N, -0.5, 0.5)))]
    rows[, "clicks" := rbinom(.N, impressions, exp(approx(log(1:10), log(made_curve), log(at))$y))]
    rows[, "position" := round(at, 1)]
    curve <- tide_curve(tide_summary(as_data(rows)))
    expect_lt(max(abs(log(predict(curve, 1:9)$ctr / made_curve[1:9]))), 0.1)
    expect_true(1.25 %in% curve$blend$places)
    expect_equal(tide_curve(tide_summary(as_data(made_site(queries = 100))))$blend$places, 1:100)
  })

test_that("the curve never rises, stays within 0 and 1, and one giant query does not become it", {
  rows <- made_site(queries = 300, days = 30)
  before <- predict(tide_curve(tide_summary(as_data(rows))), 1:100)$ctr
  expect_true(all(diff(before) <= 1e-12) && all(before > 0 & before < 1))
  giant <- data.table(date = unique(rows$date), query = "giant", page = "/g", clicks = 30000,
    impressions = 33000, position = 3)
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

test_that(
  "brand and non-brand are both there, and a segment without data falls back with a wide interval",
  {
    curve <- tide_curve(tide_summary(as_data(made_site(queries = 200)), brand = "nobody asks this"))
    at <- predict(curve, 1)
    expect_equal(at$segment, c("non-brand", "brand"))
    expect_gt(at$ctr_high[2] / at$ctr_low[2], 3 * at$ctr_high[1] / at$ctr_low[1])
    expect_setequal(tidy(curve)$segment, c("brand", "non-brand"))
    expect_equal(nrow(glance(curve)), 2)
    expect_error(predict(curve, 0), class = "tide_error_argument")
    expect_error(predict(curve, 3, segment = "mobile"), "non-brand", class = "tide_error_argument")
  })

test_that("CTR that wavers from cell to cell of a pair is told from chance", {
  set.seed(11)
  wobble_of <- function(wobble) {
    cells <- CJ(query = 1:400, bin = 2:9)[,
      c("page", "impressions", "position", "rows") := list(1L, 400, bin / 2, 1)]
    cells[, weighted := impressions * position]
    mean <- 400 * 0.25 / cells$position
    clicks <- rpois(nrow(cells),
      mean * rgamma(nrow(cells), 1 / wobble, 1 / wobble) * rep(rgamma(400, 5, 5), each = 8))
    cells[, clicks := clicks]
    inktide:::within_pair_dispersion(cells$clicks, mean, inktide:::curve_evidence(cells), 0.2)
  }
  expect_equal(wobble_of(0.1), 0.1, tolerance = 0.25)
  expect_lt(wobble_of(1e-4), 0.01)
})

test_that("brand's curve rests on each query's leading page", {
  rows <- rbind(made_site(queries = 200, days = 30),
    data.table(
      date = as.IDate("2026-01-02"),
      query = rep(sprintf("fernmoor %d", 1:30), 2),
      page = rep(c("https://www.fernmoor.example/", "https://www.fernmoor.example/contact/"),
        each = 30),
      clicks = rep(c(60, 2), each = 30),
      impressions = 100,
      position = rep(c(1, 1.4), each = 30)))
  curve <- tide_curve(tide_summary(as_data(rows), brand = "fernmoor"))
  expect_equal(predict(curve, 1, "brand")$ctr, 0.6, tolerance = 0.1)
  expect_equal(glance(curve)$pairs[2], 30)
})

test_that("a table from outside leads while data are few and gives way to them", {
  outside <- data.frame(position = 1:10, ctr = 0.5 / (1:10)^1.5)
  off <- function(rows) mean(abs(log(
    predict(tide_curve(tide_summary(as_data(rows)), prior = outside), 1:10)$ctr / outside$ctr)))
  expect_lt(off(made_site(queries = 3, days = 3)), 0.35)
  full <- made_site(queries = 600, days = 60)
  expect_lt(mean(abs(log(
    predict(tide_curve(tide_summary(as_data(full)), prior = outside), 1:10)$ctr / made_curve))),
    0.08)
  expect_error(tide_curve(tide_summary(as_data(full)), prior = data.frame(position = 1, ctr = 3)),
    class = "tide_error_argument")
})

test_that(
  "invariances: a row split in two changes next to nothing, plain methods are what they say",
  {
    rows <- made_site(queries = 200, days = 20)
    figures <- c("clicks", "impressions")
    half <- copy(rows)[, (figures) := lapply(.SD, `%/%`, 2), .SDcols = figures]
    rest <- copy(rows)[, (figures) := list(clicks - half$clicks, impressions - half$impressions)]
    two <- rbind(half, rest)[impressions > 0]
    one <- tide_curve(tide_summary(as_data(rows)))
    # As tables without dates, where only sums count.
    sums <- function(rows) as_data(rows[,
      .(clicks = sum(clicks), position = sum(position * impressions) / sum(impressions),
        impressions = sum(impressions)),
      by = c("query", "page")])
    expect_equal(predict(tide_curve(tide_summary(sums(two))), 1:10),
      predict(tide_curve(tide_summary(sums(rows))), 1:10))
    pivot <- tide_curve(tide_summary(as_data(rows)), method = "pivot")
    expect_equal(predict(pivot, 3)$ctr, pivot$evidence$pivot_ctr[3])
    power <-
      log(predict(tide_curve(tide_summary(as_data(rows)), method = "power"), c(1, 2, 4, 8))$ctr)
    expect_equal(diff(power), rep(diff(power)[1], 3))
  })

test_that(
  "where queries do not differ and each stands at one place, the curve is pool-adjacent-violators",
  {
    rate <- c(.30, .14, .16, .09, .07, .075, .05, .03, .032, .02)
    rows <- rbindlist(lapply(1:10, function(k) data.table(query = sprintf("q %d %d", k, 1:60),
      page = "https://www.fernmoor.example/", clicks = round(rate[k] * 5e4), impressions = 5e4,
      position = as.numeric(k))))
    summary <- tide_summary(as_data(rows))
    summary$cells[, rows := impressions]
    pooled <- -stats::isoreg(-rate)$yf
    expect_equal(predict(tide_curve(summary), 1:10)$ctr, pooled, tolerance = 0.01)
  })

test_that("a hundred times the impressions narrow the interval to the limit that spread sets", {
  of_size <- function(mean) {
    set.seed(3)
    tide_curve(tide_summary(as_data(made_site(queries = 300, days = 20,
      factor = exp(rnorm(300, -0.045, 0.3)), demand = exp(rnorm(300, mean, 0.5))))))
  }
  few <- of_size(1)
  many <- of_size(1 + log(100))
  width <- function(curve) with(predict(curve, 1:10), log(ctr_high / ctr_low))
  expect_lt(mean(width(many)), mean(width(few)))
  # Each position has some 30 to 90 queries: the standard error of the mean of so many factors.
  limit <- 2 * 1.645 * sqrt(many$fits$all$spread / 300)
  expect_true(all(width(many) > limit))
})

test_that("days of faulty tracking and of bots do not bend the curve, and are named", {
  rows <- made_site(queries = 300, days = 60)
  clean <- tide_curve(tide_summary(as_data(rows)))
  expect_equal(nrow(clean$summary$odd_days), 0)
  bad <- copy(rows)
  still <- as.IDate("2026-01-20")
  bad[date == still, clicks := 0L]
  bots <- as.IDate("2026-02-10")
  bad[date == bots, impressions := impressions * 40L]
  dirty <- tide_summary(as_data(bad))
  expect_equal(dirty$odd_days$date, c(still, bots))
  expect_equal(predict(tide_curve(dirty), 1:10)$ctr, predict(clean, 1:10)$ctr, tolerance = 0.03)
  expect_match(paste(format(tide_curve(dirty)), collapse = " "), "2 days of unlikely CTR")
})

test_that("a segment that no query is of has no curve to show", {
  curve <- tide_curve(tide_summary(as_data(made_site(queries = 200, days = 30)),
    brand = "nobody"))
  expect_match(format(curve), "brand: no query of it in these data", all = FALSE)
  expect_no_match(format(curve), "brand: 0 pairs")
  drawn <- ggplot2::layer_data(ggplot2::autoplot(curve), 1)
  expect_equal(length(unique(drawn$group)), 1)
})
