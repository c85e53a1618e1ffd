test_that(
  "pages' rates lean on their group by beta-binomial empirical Bayes (known rates are recovered)",
  {
    set.seed(6)
    sessions <- round(exp(rnorm(400, 5, 1)))
    group <- rep(c("a", "b"), 200)
    true <- rbeta(400, 0.03 * 300, 0.97 * 300)
    conversions <- rbinom(400, sessions, true)
    rates <- inktide:::page_rates(sessions, conversions, group)
    expect_lt(mean((rates$rate - true)^2), 0.5 * mean((conversions / sessions - true)^2))
    inside <- abs(rates$rate - true) < 1.645 * rates$relative * rates$rate
    expect_gt(mean(inside), 0.82)
    expect_equal(inktide:::page_rates(c(100, NA), c(4, NA), c("a", "a"))$rate, c(0.04, 0.04))
  })

test_that("conversions and money follow the gain, and the score is in money then", {
  found <- demo()$found
  summary <- demo()$summary
  facts <- tempfile(fileext = ".csv")
  fwrite(data.table(page = summary$pages$page, sessions = 1000, conversions = 20, value = 600),
    facts)
  rich <- tide_find(tide_enrich(summary, tide_facts(facts)), found$curve)$findings
  expect_equal(rich$if_done_conversions, rich$if_done * 0.02, tolerance = 1e-6)
  expect_equal(rich$gain_conversions, rich$gain * 0.02, tolerance = 1e-6)
  expect_equal(rich$gain_value, rich$gain * 0.6, tolerance = 1e-6)
  expect_equal(rich[hours > 0]$score,
    rich[, sum(gain_value), by = "task"][rich[hours > 0], on = "task"]$V1 / rich[hours > 0]$hours)
  expect_true(all(
    rich$if_done_value_low <= rich$if_done_value & rich$if_done_value <= rich$if_done_value_high))
})
