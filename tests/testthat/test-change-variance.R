test_that("a change counts against no change and against the site's, by the larger p-value", {
  # By hand, Student's t: 0.6 off none and 0.2 off the site's 0.4, noise 0.01 and wavering 0.03.
  found <- inktide:::test_both_ways(0.6, 0.01, 0.4, list(variance = 0.03, df = 10))
  expect_equal(found$p, 2 * stats::pt(-0.2 / 0.2, 10))
  still <- inktide:::test_both_ways(0, 0.01, 0.4, list(variance = 0.03, df = 10))
  expect_equal(still$p, 1)
})

test_that("a page that falls far more than the site is significant, whatever seasons do", {
  set.seed(9)
  pages <- 60
  d <- data.table::CJ(id = 1:pages, day = 1:180)
  # The site falls by half; each page by its own measure around that, as seasons of kinds do.
  fall <- exp(rnorm(pages, log(0.5), 0.35))
  fall[1] <- 0.3
  weekly <- c(470 / 4, rep(20, pages - 1))
  impressions <- rpois(nrow(d), (weekly[d$id] / 7 / 0.2) * ifelse(d$day > 90, fall[d$id], 1))
  rows <- data.table::data.table(date = as.IDate("2026-01-01") + d$day,
    query = sprintf("kind%d", d$id), page = sprintf("https://www.fernmoor.example/p%d/", d$id),
    clicks = rbinom(nrow(d), impressions, 0.2), impressions = impressions, position = 3)
  moves <- tide_compare(as_data(rows[impressions > 0]), by = "page", days = 90)$moves
  expect_equal(moves$name[1], "https://www.fernmoor.example/p1/")
  expect_true(moves$significant[1])
  # Significant ones first, the largest of them first.
  expect_false(is.unsorted(-abs(moves$change)))
  expect_false(is.unsorted(-abs(moves$change[moves$significant])))
})

test_that("windows of days that are alike differ by more, as an autoregression has it", {
  # By hand: two windows of two days, each day 0.5 like the one before.
  expect_equal(inktide:::windows_apart(0.5, list(-(3:4), -(1:2))),
    2 * (2 + 2 * 0.5) / 4 - 2 * (0.5 + 2 * 0.5^2 + 0.5^3) / 4)
  expect_equal(inktide:::windows_apart(0, list(1:4, 5:9)), 1 / 4 + 1 / 5)
  for (alike in c(0.3, 0.7, 0.9)) {
    expect_equal(inktide:::ar1_correlation(1 - alike, 1 - alike^3, 3), alike, tolerance = 1e-4)
  }
  expect_equal(inktide:::ar1_correlation(1, 0.9, 3), 0)
})

# A site of `folders` whose days vary together by `spread`, each like the one before by `alike`; its
# later window by `rise` more.
varying_site <- function(seed, days, spread = 0.2, alike = 0, rise = 1, folders = 5) {
  set.seed(seed)
  course <- stats::filter(rnorm(2 * days, sd = sqrt(1 - alike^2)), alike, "recursive")
  d <- CJ(folder = seq_len(folders), day = seq_len(2 * days))
  impressions <- rpois(nrow(d), 300 * exp(spread * course[d$day]) * ifelse(d$day > days, rise, 1))
  as_data(d[, .(date = as.IDate("2026-03-01") + day, query = sprintf("query %d", folder),
    page = sprintf("https://www.fernmoor.example/f%d/p/", folder), impressions,
    clicks = rbinom(.N, impressions, 0.2), position = 3)])
}

test_that("where a few lines only vary, few of them are called significant, whatever the window", {
  called <- function(days, ...) {
    mean(vapply(seq_len(turns(40)), function(seed) {
      data <- varying_site(seed, days, ...)
      any(tide_compare(data, by = "folder", days = days)$moves$significant,
        tide_compare(data, by = "site", days = days)$moves$significant)
    }, NA))
  }
  # One in ten is stated for the site, and one in ten for its folders, which vary with it.
  for (days in some(c(14, 7, 21, 28), 1)) expect_lt(called(days), 0.35, label = days)
  expect_lt(called(14, alike = 0.5), 0.35)
  expect_gt(called(14, rise = 2), 0.8)
})

test_that("where all positions drift, queries that lose three places are still significant", {
  set.seed(5)
  queries <- 60
  drift <- replicate(queries, cumsum(rnorm(56, sd = 0.01)))
  d <- CJ(query = seq_len(queries), day = 1:56)
  d[, position := 4 * exp(drift[cbind(d$day, d$query)]) + 3 * (d$query <= 6 & d$day > 28)]
  d[, impressions := rpois(.N, 40)]
  rows <- d[impressions > 0, .(date = as.IDate("2026-03-01") + day,
    query = sprintf("query %02d", query), page = sprintf("/p%d/", query), impressions,
    clicks = rbinom(.N, impressions, 0.3 / position), position)]
  moves <- tide_compare(as_data(rows), days = 28)$moves
  expect_true(all(moves$significant[moves$name %in% sprintf("query %02d", 1:6)]))
})

test_that("of two segments on the same days the site's difference is told from none", {
  # The site's days vary a lot, and both segments with them.
  sides <- function(seed, rise) {
    data <- varying_site(seed, 14, spread = 0.5)
    rows <- data$tables[[1]]$rows
    other <- copy(rows)
    set.seed(seed)
    set(other, j = "impressions", value = rpois(nrow(rows), rows$impressions * rise))
    set(other, j = "clicks", value = rbinom(nrow(other), other$impressions, 0.2))
    both <- rbind(cbind(rows, device = "mobile"), cbind(other, device = "desktop"))
    tide_compare(as_data(both), by = "site", segments = list(
      tide_segment("mobile", device = "mobile"), tide_segment("desktop", device = "desktop")))$site
  }
  seeds <- seq_len(turns(40))
  expect_lt(mean(vapply(seeds, function(seed) sides(seed, 1)$significant, NA)), 0.2)
  expect_true(all(vapply(seeds, function(seed) sides(seed, 1.3)$significant, NA)))
})

test_that("where no days are known the site's change is not judged, and lines against others", {
  months <- as_data(data.table(date = as.IDate(rep(c("2026-07-01", "2026-08-01"), each = 30)),
    query = rep(sprintf("query %d", 1:30), 2), page = "/a", clicks = rep(c(20L, 90L), each = 30),
    impressions = rep(c(200L, 900L), each = 30), position = 3))
  months$tables[[1]]$each <- 30L
  moves <- tide_compare(months, days = 30)
  expect_true(is.na(moves$site$q))
  said <- gsub(" +", " ", paste(format(moves), collapse = " "))
  expect_match(said, "These data do not tell whether the change is more than noise.", fixed = TRUE)
  expect_match(said, "0 of 30 queries changed by significantly more or less than the others")
})
