test_that("pooling violators gives the least-squares non-increasing fit (stats::isoreg)", {
  set.seed(4)
  for (i in 1:20) {
    y <- rnorm(12)
    expect_equal(inktide:::pool_violators(y, rep(1, 12)), -stats::isoreg(-y)$yf)
  }
  # A weight of 2 is the same as a value twice.
  expect_equal(inktide:::pool_violators(c(1, 3, 2), c(1, 2, 1)),
    inktide:::pool_violators(c(1, 3, 3, 2), rep(1, 4))[c(1, 2, 4)])
})

test_that("the spread of gamma factors is recovered from negative binomial clicks", {
  set.seed(5)
  for (spread in c(0.05, 0.2, 0.6)) {
    expected <- exp(rnorm(3000, 2.5, 1))
    clicks <- rnbinom(3000, size = 1 / spread, mu = expected)
    expect_equal(inktide:::estimate_spread(clicks, expected), spread, tolerance = 0.12)
  }
})

test_that("the likelihood of gamma factors has its maximum where Bliss and Fisher (1953), Biometrics 9, 176-200, found it",
  {
    # Red mites on 150 apple leaves: mean 1.1467, k = 1.0246, the shape of the factors.
    mites <- rep(0:7, c(70, 38, 17, 10, 9, 3, 2, 1))
    best <- optimize(function(shape) {
      -inktide:::factor_likelihood(mites, rep(mean(mites), 150), 1 / shape)
    }, c(0.2, 5), tol = 1e-8)
    expect_equal(best$minimum, 1.0246, tolerance = 1e-4)
  })

test_that("a spread that grows with the position is told, and none where there is none", {
  set.seed(6)
  slope_of <- function(slope) {
    position <- exp(runif(3000, 0, log(20)))
    spread <- 0.2 * (position / 5)^slope
    expected <- exp(rnorm(3000, 2.5, 1))
    inktide:::estimate_spreads(rnbinom(3000, size = 1 / spread, mu = expected), expected,
      inktide:::spread_distance(position))
  }
  expect_equal(slope_of(0.6)$spread_slope, 0.6, tolerance = 0.15)
  expect_equal(slope_of(0.6)$spread, 0.2, tolerance = 0.15)
  expect_lt(abs(slope_of(0)$spread_slope), 0.1)
  expect_equal(inktide:::fit_spread(list(spread = 0.2, spread_slope = 0.6), c(5, 20, 90)),
    0.2 * c(1, 4, 4)^0.6)
})

test_that("a pair is held down where its gamma factor would be three standard deviations out", {
  # Factors of variance 0.25: the cube root of a gamma of shape 4 is near normal (Wilson, Hilferty
  # 1931).
  limit <- qgamma(pnorm(3), 4, 4) - 1
  expect_equal(inktide:::pair_distance(limit * 1e6, 1e6, 0.25), 1, tolerance = 0.05)
  expect_equal(inktide:::pair_distance(-1.5e6, 1e6, 0.25), 1, tolerance = 1e-3)
  # One click where a thousandth was expected is far off, and on the right side.
  expect_equal(inktide:::pair_distance(0.999, 0.001, 0.2), 999 / (3 * sqrt(0.2 + 1000)),
    tolerance = 1e-9)
  expect_true(all(inktide:::pair_distance(1:50, 10^seq(-6, 6, length.out = 50), 0.2) > 0))
})

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

test_that("the pivot is the plain ratio at the rounded position", {
  rows <- data.table(query = c("a", "b", "c"), clicks = c(1, 2, 4), impressions = c(10, 10, 10),
    position = c(1.6, 2.4, 2.5))
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
    cells <- CJ(query = 1:400, bin = 2:9)[,
      c("page", "impressions", "position", "rows") := list(1L, 400, bin / 2, 1)]
    cells[, weighted := impressions * position]
    mean <- 400 * 0.25 / cells$position
    clicks <- rpois(nrow(cells),
      mean * rgamma(nrow(cells), 1 / wobble, 1 / wobble) * rep(rgamma(400, 5, 5), each = 8))
    cells[, clicks := clicks]
    inktide:::estimate_wobble(cells$clicks, mean, inktide:::curve_evidence(cells), 0.2)
  }
  expect_equal(wobble_of(0.1), 0.1, tolerance = 0.25)
  expect_lt(wobble_of(1e-4), 0.01)
})

test_that("brand's curve rests on each query's leading page", {
  rows <- rbind(made_site(queries = 200, days = 30),
    data.table(date = as.IDate("2026-01-02"), query = rep(sprintf("fernmoor %d", 1:30), 2),
      page = rep(c("https://www.fernmoor.example/", "https://www.fernmoor.example/contact/"),
        each = 30),
      clicks = rep(c(60, 2), each = 30), impressions = 100, position = rep(c(1, 1.4), each = 30)))
  curve <- tide_curve(tide_summary(as_data(rows), brand = "fernmoor"))
  expect_equal(predict(curve, 1, "brand")$ctr, 0.6, tolerance = 0.1)
  expect_equal(glance(curve)$pairs[2], 30)
})

test_that("places of a blended row keep its mean, and their variance grows with what is asked", {
  position <- c(1, 1.2, 2.5, 8.4, 30)
  for (variance in c(0, 0.5, 4)) {
    w <- inktide:::place_weights(position, rep(variance, 5), 1:100)
    fine <- inktide:::place_weights(position, rep(variance, 5), inktide:::fine_places)
    expect_equal(drop(fine %*% inktide:::fine_places), position, tolerance = 1e-3)
    expect_equal(rowSums(w), rep(1, 5), tolerance = 1e-4)
    expect_true(all(w >= -1e-9))
    expect_equal(drop(w %*% (1:100)), position, tolerance = 1e-3)
  }
  spread <- function(v) {
    w <- inktide:::place_weights(8.4, v, 1:100)
    drop(w %*% (1:100 - 8.4)^2)
  }
  expect_equal(spread(4), 4, tolerance = 0.05)
})

# Rows that average whole places, as exports do. `within`: standard deviation of the places of a
# row.
blended_site <- function(seed, within, queries = 400, days = 60) {
  set.seed(seed)
  d <- CJ(q = seq_len(queries), day = seq_len(days))
  home <- exp(runif(queries, 0, log(12)))
  demand <- exp(rnorm(queries, 1, 1))
  d[, impressions := rpois(.N, demand[q])]
  d <- d[impressions > 0]
  each <- data.table(row = rep(seq_len(nrow(d)), d$impressions))
  each[, place := pmax(1, round(home[d$q[row]] + rnorm(.N, 0, within * sqrt(home[d$q[row]]))))]
  factor <- exp(rnorm(queries, -0.045, 0.3))
  truth <- c(made_curve, rep(0.02, 40))
  each[, clicked := runif(.N) < truth[place] * factor[d$q[row]]]
  sums <- each[, .(clicks = sum(clicked), position = mean(place)), by = "row"]
  as_data(data.table(date = as.IDate("2026-01-01") + d$day, query = paste("query", d$q),
    page = "/a", clicks = sums$clicks, impressions = d$impressions, position = sums$position))
}

test_that(
  "the spread of places within a row is estimated, and taking it apart halves the bias at the top",
  {
    skip_unless_studies()
    runs <- vapply(1:6, function(seed) {
      summary <- tide_summary(blended_site(seed, 0.6))
      curve <- tide_curve(summary)
      plain <- curve
      plain_summary <- summary
      plain_summary$cells <- copy(summary$cells)[, rows := impressions]
      bias <- function(s) mean(abs(log(predict(tide_curve(s), 1:5)$ctr / made_curve[1:5])))
      c(inktide:::blend_variance(curve$blend, 5, 1), bias(summary), bias(plain_summary))
    }, numeric(3))
    # Rounding to whole places adds a twelfth.
    expect_equal(mean(runs[1, ]), 0.6^2 * 5 + 1 / 12, tolerance = 0.3)
    expect_lt(mean(runs[2, ]), 0.7 * mean(runs[3, ]))
  })

test_that("a table cut at a row cap is corrected by what is known of the cut", {
  errors <- vapply(1:6, function(seed) {
    set.seed(seed)
    n <- 8000
    home <- sample(10, n, TRUE)
    rows <- data.table(query = paste("q", 1:n),
      impressions = pmax(1, rpois(n, exp(rnorm(n, 3, 1.5)))), position = home)
    rows[, clicks := rbinom(n, impressions, pmin(0.95, made_curve[home] * rgamma(n, 5, 5)))]
    cut <- setorder(copy(rows), -clicks, -impressions)[1:1000]
    error <- function(s) mean(abs(log(predict(tide_curve(s), 1:10)$ctr / made_curve)))
    summary <- tide_summary(tide_read({
      file <- tempfile(fileext = ".csv")
      fwrite(cut, file)
      file
    }))
    expect_true(summary$sources$capped)
    blind <- summary
    blind$sources <- copy(blind$sources)[, capped := FALSE]
    c(error(summary), error(blind))
  }, numeric(2))
  expect_lt(mean(errors[1, ]), 0.5 * mean(errors[2, ]))
})

test_that("parts lean on the whole by as much as they do not differ", {
  rows <- made_site(queries = 400, days = 30)
  rows[, device := ifelse(seq_len(.N) %% 2 == 0, "mobile", "desktop")]
  set.seed(1)
  low <- rows$device == "mobile"
  rows[low, clicks := rbinom(sum(low), clicks, 0.6)]
  few <- rows[query %in% unique(query)[1:3]][, device := "tablet"]
  curve <- tide_curve(tide_summary(as_data(rbind(rows, few)), split = "device"), by = "device")
  expect_gt(curve$fits$tablet$leans, 5 * curve$fits$mobile$leans)
  expect_lt(curve$fits$mobile$leans, 0.2)
  differ <- tide_compare(curve, "mobile", "desktop", 1:8)
  expect_equal(mean(log(differ$ratio)), log(0.6), tolerance = 0.15)
  expect_true(all(differ$ratio_high[1:5] < 1))
  expect_match(format(curve), "tablet: CTR .*; 3 queries", all = FALSE)
  # A part that has no data changes nothing; parts that do not differ share one curve.
  same <- made_site(queries = 300, days = 20)[,
    device := ifelse(as.integer(substr(query, 7, 10)) %% 2 == 0, "mobile", "desktop")]
  alike <- tide_curve(tide_summary(as_data(same), split = "device"), by = "device")
  apart <- abs(log(predict(alike, 1:10, "mobile")$ctr / predict(alike, 1:10, "desktop")$ctr))
  expect_lt(mean(apart), 0.12)
  expect_error(tide_curve(tide_summary(as_data(same)), by = "device"), class = "tide_error_grain")
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

test_that("of methods the one that foretells held-out queries is told, residuals are normal, one query's interval holds",
  {
    rows <- made_site(queries = 500, days = 40, seed = 3)
    summary <- tide_summary(as_data(rows))
    rivals <- inktide:::curve_rivals(summary)
    expect_equal(rivals$method[1], "fitted")
    expect_gt(rivals$behind[rivals$method == "power"],
      2 * rivals$behind_se[rivals$method == "power"])
    curve <- tide_curve(summary)
    check <- tide_curve_check(curve, summary)
    expect_lt(abs(mean(check$residuals$residual)), 0.15)
    expect_equal(stats::sd(check$residuals$residual), 1, tolerance = 0.15)
    expect_true(all(check$effective$effective <= check$effective$queries + 1e-9))
    expect_s3_class(ggplot2::autoplot(check), "ggplot")
    set.seed(9)
    at <- predict(curve, 3, impressions = 400)
    shown <- rbinom(4000, 400, pmin(0.95, made_curve[3] * exp(rnorm(4000, -0.045, 0.3)))) / 400
    expect_gt(mean(shown >= at$query_low & shown <= at$query_high), 0.85)
    expect_lt(mean(shown >= at$query_low & shown <= at$query_high), 0.96)
  })

test_that("a folder is foretold by the others: one that is clicked half as often is half of that", {
  rows <- made_site(queries = 500, days = 40, seed = 3)
  rows[, page := sub("example/",
    sprintf("example/%s/", ifelse(as.integer(sub(".* ", "", query)) <= 60, "deals", "guides")),
    page),
    by = "query"]
  own <- grepl("/deals/", rows$page, fixed = TRUE)
  set.seed(4)
  rows[own, clicks := rbinom(.N, clicks, 0.5)]
  summary <- tide_summary(as_data(rows))
  folders <- tide_curve_check(tide_curve(summary), summary)$folders
  expect_equal(folders$ratio[folders$folder == "/deals/"], 0.5, tolerance = 0.12)
  # What the folder itself pulls down is not held against it.
  expect_lt(folders$ratio_high[folders$folder == "/deals/"], 0.65)
})

test_that("the month in which clicks at equal position changed is named, and none where none did", {
  rows <- made_site(queries = 300, days = 150)
  expect_false(any(tide_compare(tide_summary(as_data(rows), split = "month"))$changed))
  late <- which(rows$date >= as.IDate("2026-04-01"))
  set.seed(2)
  rows[late, clicks := rbinom(length(late), clicks, 0.7)]
  change <- tide_compare(tide_summary(as_data(rows), split = "month"))
  expect_equal(change$month[change$changed], "2026-04")
  expect_equal(change$ratio[change$changed], 0.7, tolerance = 0.05)
})

test_that(
  "invariances: a row split in two changes next to nothing, plain methods are what they say",
  {
    rows <- made_site(queries = 200, days = 20)
    two <- rbind(copy(rows)[, c("clicks", "impressions") := list(clicks %/% 2, impressions %/% 2)],
      copy(rows)[,
        c("clicks", "impressions") := list(clicks - clicks %/% 2, impressions - impressions %/% 2)])[
          impressions > 0]
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

test_that("a hundred times the impressions narrow the interval only to the limit that the spread between queries sets",
  {
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

test_that(
  "data added to a curve give the curve of all data at once, and the same days are not taken twice",
  {
    rows <- made_site(queries = 200, days = 60)
    rows[query == "query 0005", query := "fernmoor seeds"]
    half <- as.IDate("2026-01-31")
    part <- function(which) tide_summary(as_data(rows[which]), brand = "fernmoor")
    both <- update(tide_curve(part(rows$date <= half)), part(rows$date > half))
    expect_equal(predict(both, 1:20), predict(tide_curve(part(rep(TRUE, nrow(rows)))), 1:20),
      tolerance = 0.02)
    expect_equal(glance(both)$clicks, glance(tide_curve(part(rep(TRUE, nrow(rows)))))$clicks)
    expect_error(update(both, part(rows$date > half)), class = "tide_error_overlap")
    # What it holds now is a whole summary, which prints and gives a list.
    expect_output(print(both$summary), "findings rest on")
    expect_s3_class(tide_find(both$summary, both), "tide_findings")
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
