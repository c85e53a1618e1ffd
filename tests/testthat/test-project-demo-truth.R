test_that("on the demo data the findings are what was planted", {
  skip_unless_studies()
  found <- as.data.table(demo()$found$findings)
  truth <- demo()$site$truth$queries
  at <- truth[match(tolower(found$query), truth$query)]
  typical <- mean(truth$factor[truth$segment == "non-brand"])
  low <- found$kind == "low_ctr"
  pairs <- demo()$found$pairs
  own <- truth[match(demo()$found$summary$queries$key[pairs$query], truth$query)]
  missed <- pairs$tested & own$weak < 1 & own$page == demo()$found$summary$pages$page[pairs$page] &
    pairs$expected - pairs$clicks >= 20
  expect_gt(
    mean(demo()$found$summary$queries$query[pairs$query[which(missed)]] %in% found$query[low]), 0.5)
  expect_gt(mean((at$weak < 1 | at$feature < 1 | at$factor < 0.8 * typical)[low]), 0.8)
  rivals <- found$kind == "cannibalized"
  expect_true(all(at$case[rivals] %in% c("swap", "split")))
  swaps <- truth$query[truth$case == "swap"]
  expect_gt(mean(swaps %in% found$query[rivals]), 0.8)
  expect_false(any(at$segment == "brand"))
})

test_that("on the demo data the non-brand curve is within a tenth, and nearer than the pivot", {
  truth <- demo()$site$truth$curve[segment == "non-brand" & position <= 10]$ctr
  curve <- demo()$found$curve
  own <- mean(abs(log(predict(curve, 1:10, "non-brand")$ctr / truth)))
  pivot <- mean(abs(log(curve$evidence[segment == "non-brand"]$pivot_ctr[1:10] / truth)))
  expect_lt(own, 0.1)
  expect_lt(own, pivot)
})

# The whole way from rows to findings, on simulated sites of known truth.

# One page in twelve has all its queries' CTR multiplied by a factor of its own between the two
# `weak`.
planted_site <- function(seed, weak = c(0.25, 0.6)) {
  set.seed(seed)
  factor <- exp(rnorm(600, -0.03, 0.25))
  page <- seq_len(600) %/% 3
  low <- page %% 12 == 0
  kept <- ifelse(low, runif(201, weak[1], weak[2])[page + 1], 1)
  rows <-
    made_site(seed = seed, days = 60, factor = factor * kept, demand = exp(rnorm(600, 1.5, 0.8)))
  # Clicks per 30 days that the shortfall takes: impressions x curve x own factor x what is missing.
  rows[, taken := impressions * made_curve[position] * factor[as.integer(substr(query, 7, 10))] *
    (1 - kept[as.integer(substr(query, 7, 10))]) / 2]
  list(rows = rows[, !"taken"], taken = rows[, .(gain = sum(taken)), by = "query"],
    low = sprintf("query %04d", which(low)))
}

test_that("a site where nothing is planted lists next to nothing as low CTR", {
  skip_unless_studies()
  listed <- vapply(1:4, function(seed) {
    found <- tide_find(tide_summary(as_data(planted_site(seed, weak = c(1, 1))$rows)))$findings
    sum(found$kind == "low_ctr")
  }, 0L)
  expect_lt(mean(listed), 8)
})

test_that("weak pages are found, few others, and the promised clicks are near the true ones", {
  skip_unless_studies()
  runs <- lapply(1:6, function(seed) {
    site <- planted_site(seed)
    found <- tide_find(tide_summary(as_data(site$rows)))$findings
    low <- found[found$kind == "low_ctr"]
    gain <- site$taken$gain[match(low$query, site$taken$query)]
    list(right = mean(low$query %in% site$low), promised = sum(low$if_done * low$confidence),
      true = sum(gain), inside = mean(low$if_done_low < gain & gain < low$if_done_high),
      found = mean(site$low %in% low$query))
  })
  of <- function(name) vapply(runs, `[[`, 0, name)
  expect_gt(mean(of("right")), 0.85)
  expect_gt(mean(of("found")), 0.5)
  expect_lt(abs(log(sum(of("promised")) / sum(of("true")))), 0.3)
  expect_gt(mean(of("inside")), 0.7)
})
