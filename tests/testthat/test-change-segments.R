test_that("the ratio at equal position is the Mantel-Haenszel rate ratio of the textbook", {
  # Two strata: (clicks, impressions) of one part and the other; the ratio by hand.
  table <-
    data.table(stratum = c(1L, 2L), a = c(10, 4), n1 = c(100, 200), b = c(5, 2), n0 = c(100, 50))
  by_hand <- sum(table$a * table$n0 / (table$n1 + table$n0)) /
    sum(table$b * table$n1 / (table$n1 + table$n0))
  side <- function(clicks, impressions) data.table(query = rep(1:25, each = 2), page = 1L,
    stratum = rep(table$stratum, 25), fold = rep(1:25, each = 2), clicks = rep(clicks, 25),
    impressions = rep(impressions, 25), weighted = 0)
  got <- inktide:::ratio_at_equal_position(side(table$a, table$n1), side(table$b, table$n0))
  expect_equal(got$ratio, by_hand)
  # Where all queries are alike there is only the luck of counts: of one stratum 1/a + 1/b.
  one <- inktide:::ratio_at_equal_position(side(c(10, 0), c(100, 0)), side(c(5, 0), c(100, 0)))
  expect_equal(log(one$high / one$ratio), qt(0.95, 24) * sqrt(1 / 250 + 1 / 125))
  expect_equal(one$low * one$high, one$ratio^2)
})

test_that("the interval of a part of few queries holds the truth as often as it says", {
  held <- vapply(1:150, function(seed) {
    set.seed(seed)
    side <- function(query) {
      rows <- CJ(query = query, stratum = 1:6)
      place <- sample(1:6, length(query), TRUE)[match(rows$query, query)]
      rows <- rows[abs(rows$stratum - place) <= 1]
      factor <- exp(rnorm(length(query), 0, 0.3))[match(rows$query, query)]
      rows[, impressions := 1 + rpois(.N, 9)]
      rows[, clicks := rbinom(.N, impressions, 0.35 / stratum * factor)]
      rows[, fold := query][]
    }
    found <- inktide:::ratio_at_equal_position(side(1:2), side(3:12))
    c(found$low <= 1, found$high >= 1)
  }, c(NA, NA))
  expect_gt(mean(colSums(held) == 2, na.rm = TRUE), 0.86)
})

test_that("a part that merely ranks better is not called better, one that is clicked more is", {
  inside <- vapply(1:20, function(seed) {
    set.seed(seed)
    home <- exp(runif(300, 0, log(15)))
    rows <- CJ(q = 1:300, day = 1:20, device = c("mobile", "desktop"))
    rows[, position := pmax(1, home[q] + (device == "mobile") * 2 + rnorm(.N, 0, 0.5))]
    rows[, impressions := rpois(.N, 5)]
    rows <- rows[impressions > 0]
    factor <- exp(rnorm(300, 0, 0.4))
    rows[, clicks := rbinom(.N, impressions,
      pmin(0.9, 0.3 / position * factor[q] * ifelse(device == "mobile", 1.25, 1)))]
    parts <- tide_compare(as_data(rows[, .(date = as.IDate("2026-01-01") + day,
      query = paste("q", q), page = "/a", device, clicks, impressions, position)]),
      by = "device")$parts
    mobile <- parts[parts$segment == "mobile"]
    c(mobile$ratio_low < 1.25 & mobile$ratio_high > 1.25,
      mobile$ctr < parts$ctr[parts$segment == "desktop"], mobile$ratio)
  }, numeric(3))
  expect_gte(sum(inside[1, ]), 15)
  expect_true(all(inside[2, ] == 1))
  expect_equal(mean(inside[3, ]), 1.25, tolerance = 0.03)
})

test_that("figures come from sums, shares add up, and every split works on the demo", {
  data <- as_data(demo()$site$daily[date > as.IDate("2026-09-01")])
  rules <- tide_rules(brand = "fernmoor", page_groups = c(advice = "/guides/", shop = "/shop/"))
  all <- data$tables[[1]]$rows
  for (by in c("brand", "intent", "page_group", "band", "words", "term", "device")) {
    made <- tide_compare(data, by = by, rules = rules)
    expect_equal(sum(made$parts$clicks), sum(all$clicks))
    expect_equal(sum(made$parts$impression_share), 1)
    expect_true(all(nchar(format(made), "width") <= 80))
  }
  two <- tide_compare(data, segments = list(tide_segment("phone", device = "mobile"),
    tide_segment("desk", device = "desktop")))
  expect_equal(two$parts$ratio[1], 1 / two$parts$ratio[2])
  expect_s3_class(ggplot2::autoplot(two), "ggplot")
  one <- tide_compare(data, segments = tide_segment("phone", device = "mobile"))
  expect_equal(one$parts$ratio, two$parts$ratio)
  expect_error(tide_compare(data, by = "rich_result"), class = "tide_error_grain")
  expect_error(tide_compare(data, by = "colour"), class = "tide_error_argument")
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

test_that("curves of two devices differ by what was planted; the better method is named", {
  rows <- made_site(queries = 400, days = 40)
  phone <- copy(rows)[, "clicks" := rbinom(.N, impressions, 0.6 * made_curve[position])]
  both <- as_data(rbind(phone[, "device" := "mobile"], rows[, "device" := "desktop"]))
  summary <- tide_summary(both, split = "device")
  curve <- tide_curve(summary, by = "device")
  gap <- tide_compare(curve, "mobile", "desktop", position = 1:8)
  expect_true(all(gap$ratio_low < gap$ratio & gap$ratio < gap$ratio_high))
  expect_gt(mean(gap$ratio_low < 0.6 & 0.6 < gap$ratio_high), 0.6)
  back <- tide_compare(curve, "desktop", "mobile", position = 1:8)
  expect_equal(back$ratio, 1 / gap$ratio)
  expect_equal(back$chance, 1 - gap$chance)
  expect_error(tide_compare(curve, "mobile", "tablet"), class = "tide_error_argument")
  rivals <- inktide:::curve_rivals(summary)
  expect_equal(rivals$method[1], "fitted")
  expect_true(all(rivals$behind >= 0) && !is.unsorted(rivals$behind))
})
