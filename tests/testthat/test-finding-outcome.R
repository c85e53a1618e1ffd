test_that("what worked is known from what did not, demand taken out, on known changes", {
  effect <- c(worked = 2.5, nothing = 1, worse = 0.3)
  verdicts <- lapply(1:6, function(seed) {
    rows <- made_site(queries = 200, days = 84, seed = seed, demand = rep(12, 200))
    day <- as.IDate("2026-02-20")
    # Demand doubles for all since; three queries change besides.
    for (i in seq_along(effect)) {
      use <- rows$query == sprintf("query %04d", 3 * i + 1)
      rows[use, position := 4]
      rows[use, clicks := rbinom(.N, impressions, made_curve[4] * ifelse(date > day, effect[i], 1))]
    }
    extra <- rows[date > day]
    rows <- rbind(rows[date <= day],
      extra[, c("clicks", "impressions") := list(2L * clicks, 2L * impressions)])
    summary <- tide_summary(as_data(rows))
    decisions <- data.table(id = names(effect), decision = "done", at = day, kind = "low_ctr",
      query = sprintf("query %04d", 3 * 1:3 + 1), page = "",
      pages = rows$page[match(sprintf("query %04d", 3 * 1:3 + 1), rows$query)])
    tide_outcomes(as_data(rows), decisions, tide_curve(summary))
  })
  all <- rbindlist(verdicts)
  expect_gte(mean(all$verdict[all$task == "worked"] == "worked"), 0.8)
  expect_gte(mean(all$verdict[all$task == "nothing"] == "no sign yet"), 0.8)
  expect_gte(mean(all$verdict[all$task == "worse"] == "made it worse"), 0.6)
  expect_equal(mean(log(all$ratio[all$task == "worked"])), log(2.5), tolerance = 0.25)
  early <- tide_outcomes(as_data(made_site(queries = 50, days = 60)),
    data.table(id = "x", decision = "done", at = as.IDate("2026-02-27"), kind = "low_ctr",
      query = "query 0004", page = "", pages = "https://www.fernmoor.example/p1/"),
    tide_curve(tide_summary(as_data(made_site(queries = 50, days = 60)))))
  expect_equal(early$verdict, "too early")
})

test_that("what was chosen by its clicks is not said to have changed when nothing was done", {
  skip_unless_studies()
  day <- as.IDate("2026-02-20")
  judged <- rbindlist(lapply(1:4, function(seed) {
    rows <- made_site(queries = 250, days = 84, seed = seed, demand = rep(15, 250))
    summary <- tide_summary(as_data(rows))
    curve <- tide_curve(summary)
    # Fifteen of middling size with the fewest clicks for what the curve expects before that day,
    # and fifteen with the most.
    before <- inktide:::coded_rows(rows[date <= day], curve, NULL)
    sums <- before$rows[, .(clicks = sum(clicks), expected = sum(expected)), by = "query"][
      expected > 25 & expected < 100]
    queries <- before$queries$names[sums$query[order(sums$clicks / sums$expected)]]
    chosen <- c(head(queries, 15), tail(queries, 15))
    decisions <- data.table(id = chosen, decision = "done", at = day,
      kind = rep(c("low_ctr", "striking_distance"), each = 15), query = chosen, page = "",
      pages = rows$page[match(chosen, rows$query)])
    tide_outcomes(as_data(rows), decisions, curve)
  }))
  judged <- judged[!is.na(judged$ratio)]
  for (own in split(judged, judged$kind)) {
    expect_gt(nrow(own), 40)
    expect_equal(mean(log(own$ratio)), 0, tolerance = 0.1)
    expect_lt(mean(own$verdict != "no sign yet"), 0.15)
  }
})

test_that("how far pairs move apart is told from counts, few ones, too", {
  set.seed(4)
  for (between in c(0, 0.04, 0.1)) {
    told <- replicate(40, {
      mean <- exp(rnorm(300, 2, 1))
      moved <- exp(rnorm(600, 0, sqrt(between / 2)))
      before <- rpois(300, mean * moved[1:300])
      since <- rpois(300, mean * moved[301:600] / 3)
      use <- before + since >= 6
      change <- inktide:::log_change(before, since, 3, 1)$change[use]
      noise <- inktide:::shared_noise((before + since)[use], 0.25)
      inktide:::meta_mean(change, noise)$between
    })
    expect_equal(mean(told), between, tolerance = 0.015 / max(between, 0.015))
  }
  # The log of a count with half a count added, on average, by simulation.
  for (mean in c(0.3, 1, 4)) {
    expect_equal(inktide:::log_rate_bias(mean), mean(log(rpois(1e5, mean) + 0.5)) - log(mean),
      tolerance = 0.02)
  }
  expect_identical(inktide:::log_rate_bias(50), 0)
})

test_that("pairs that nobody touched do not fall for having been chosen by their clicks before", {
  set.seed(1)
  sums <- data.table(pair = rep(1:4000, 2), since = rep(c(FALSE, TRUE), each = 4000),
    clicks = rpois(8000, 2.5), impressions = 100, weighted = 500, expected = 2.5, plain = TRUE)
  untouched <- inktide:::untouched_pairs(sums, 5)
  change <- inktide:::log_change(untouched$clicks_1, untouched$clicks_2)
  expect_equal(inktide:::meta_mean(change$change, change$noise)$common, 0,
    tolerance = 0.03)
})
