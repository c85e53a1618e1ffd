test_that("a page that loses its position falls, one searched less does not; causes are named", {
  rows <- by_day(function(rows) {
    last <- max(rows$date) - 27
    rows[query == "query 0004", impressions := 30L]
    rows[query == "query 0004" & date >= last,
      c("position", "clicks") := list(9, rbinom(.N, impressions, made_curve[9]))]
    rows[query == "query 0004" & date < last,
      c("position", "clicks") := list(2, rbinom(.N, impressions, made_curve[2]))]
    rows[query == "query 0010" & date >= last,
      c("impressions", "clicks") := list(2L, rbinom(.N, 2, made_curve[pmax(1, position)]))]
    rows
  })
  falling <- kind_of(rows, "falling")
  expect_true("query 0004" %in% falling$query)
  expect_false("query 0010" %in% falling$query)
  expect_match(falling$reason[falling$query == "query 0004"], "by position \\(2.0 to 9.0\\)")
  expect_true("query 0004" %in%
    kind_of(copy(rows)[, date := min(date) + as.integer(max(date) - date)], "rising")$query)
})

test_that(
  "the chance that a pair really fell or rose follows from its posterior, summed over a grid",
  {
    set.seed(8)
    n <- 300
    clicks <- matrix(rpois(2 * n, 20), n)
    clicks[1:20, 2] <- rpois(20, 6)
    moved <- data.table(clicks_1 = clicks[, 1], clicks_2 = clicks[, 2], expected_1 = 20,
      expected_2 = 20 * exp(rnorm(n, 0, 0.2)), demand_1 = 300, demand_2 = 300, impressions_1 = 300,
      impressions_2 = 280)
    change <- inktide:::real_change(moved)
    expect_gt(mean(change$fell[1:20]), 4 * mean(change$fell[-(1:20)]))
    expect_lt(mean(change$fell[-(1:20)] > 0.9), 0.1)
    groups <- inktide:::fit_groups(inktide:::measured_over_factors(change$seen, change$noise),
      usual_sd = 0.15)
    at <- seq(-4, 4, by = 0.002)
    prior <- rowSums(vapply(1:3, function(k) {
      groups$weight[k] * dnorm(at, groups$mean[k], groups$sd[k])
    }, at))
    for (i in c(1, 50, 120)) {
      posterior <- prior * dnorm(change$seen[i], at, sqrt(change$noise[i]))
      whole <- change$by_position[i] + at - groups$mean[1]
      expect_equal(change$size[i], sum(whole * posterior) / sum(posterior), tolerance = 1e-3)
      down <- pnorm((-whole - log(4 / 3)) / sqrt(change$position_noise[i]))
      expect_equal(change$fell[i], sum(down * posterior) / sum(posterior), tolerance = 1e-3)
    }
  })
