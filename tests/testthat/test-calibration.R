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
    list(right = mean(low$query %in% site$low), promised = sum(low$gain), true = sum(gain),
      inside = mean(low$gain_low < gain & gain < low$gain_high),
      found = mean(site$low %in% low$query))
  })
  of <- function(name) vapply(runs, `[[`, 0, name)
  expect_gt(mean(of("right")), 0.85)
  expect_gt(mean(of("found")), 0.5)
  expect_lt(abs(log(sum(of("promised")) / sum(of("true")))), 0.3)
  expect_gt(mean(of("inside")), 0.7)
})

test_that("the levels of texts are found whatever their order, and bytes of Windows become Unicode",
  {
    skip_unless_studies()
    set.seed(1)
    x <- sample(c("a", "b", NA, "caf\xe9", "\u6d77"), 1000, TRUE)
    levels <- inktide:::as_levels(x)
    expect_equal(as.character(levels), ifelse(is.na(x), "", ifelse(x == "caf\xe9", "caf\u00e9", x)))
    expect_equal(inktide:::as_levels(levels), levels)
  })

test_that("runs of days are told shortly", {
  skip_unless_studies()
  day <- as.integer(as.IDate("2026-03-01"))
  expect_equal(inktide:::day_runs(day + c(0, 1, 2, 5)), "2026-03-01 to 2026-03-03, 2026-03-06")
  expect_match(inktide:::day_runs(day + seq(0, 20, 2)), "and 7 more$")
})

test_that("numbers are read under the convention of their file", {
  skip_unless_studies()
  point <- c("1234.5", "1,234.5", "1'234", "12", "-3", ".5", "1e3")
  expect_equal(inktide:::read_number(point, "."), c(1234.5, 1234.5, 1234, 12, -3, 0.5, 1000))
  expect_equal(inktide:::read_number(c("1234,5", "1.234,5", "12", "1.234"), ","),
    c(1234.5, 1234.5, 12, 1234))
  expect_true(all(is.na(inktide:::read_number(c("1,23", "12,3456", "a", "1.2.3", ""), "."))))
})
