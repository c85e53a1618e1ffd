# An average without days may mix near and far places: its clicks tell nothing of how a query is
# liked.

# A site with a known curve, and one query that stands at the one of two places on half of its days
# and at the other on the rest.
mixing <- function(dated, places) {
  rows <- made_site(queries = 400, days = 60, factor = rep(1, 400), demand = rep(8, 400))
  set.seed(2)
  own <- data.table(date = as.IDate("2026-01-01") + 1:60, query = "beets or beans",
    page = "https://www.fernmoor.example/mixed/", impressions = 80L,
    position = rep(places, 30))
  own[, clicks := rbinom(.N, impressions, ifelse(position < 10, made_curve[places[1]], 0.005))]
  rows <- rbind(rows, own, use.names = TRUE)
  if (!dated) {
    rows <- rows[, .(clicks = sum(clicks), position = sum(position * impressions) /
      sum(impressions), impressions = sum(impressions)), by = c("query", "page")]
  }
  data <- as_data(rows)
  found <- tide_find(tide_summary(data, undated_days = 60), min_gain = 0)
  list(found = found,
    pair = found$pairs[found$pairs$query == match("beets or beans", found$summary$queries$query)])
}

test_that("clicks of near places are not taken for a factor where days are not known", {
  undated <- mixing(FALSE, c(3, 17))
  expect_true(undated$pair$mixed)
  expect_equal(undated$pair$own, 1)
  own <- tidy(undated$found)
  own <- own[own$query == "beets or beans", ]
  # Half of its 4,800 impressions would be clicked at 3 as the others are.
  expect_equal(own$if_done, 2400 * (made_curve[3] - 0.005) / 2, tolerance = 0.25)
  expect_match(inktide:::derivation_lines(undated$found, own$id)[[1]], "own factor = 1:",
    all = FALSE)
  # On page two on average it is no demand in the tail.
  deep <- mixing(FALSE, c(4, 22))$found
  expect_false("tail_demand" %in% deep$findings$kind)
  expect_match(deep$excluded$reason, "clicked although far down on average", all = FALSE)
  # Days tell near from far.
  dated <- mixing(TRUE, c(3, 17))
  expect_false(any(dated$found$pairs$mixed))
  expect_equal(dated$pair$own, 1, tolerance = 0.25)
})

test_that("a day that averages two pages mixes places, too", {
  rows <- made_site(queries = 400, days = 60, factor = rep(1, 400), demand = rep(8, 400))
  set.seed(3)
  near <- rbinom(60, 40, made_curve[3])
  own <- data.table(date = as.IDate("2026-01-01") + 1:60, query = "beets or beans", clicks = near,
    impressions = 80L, position = 10)
  by_query <- rbind(rows[, !"page"], own, use.names = TRUE)
  found <- tide_find(tide_summary(as_data(by_query)), min_gain = 0)
  pair <- found$pairs[found$pairs$query == match("beets or beans", found$summary$queries$query)]
  expect_true(pair$mixed)
  expect_false("tail_demand" %in% found$findings$kind)
})

test_that("queries that are simply liked more keep their factor without days", {
  rows <- made_site(queries = 600, days = 60, demand = rep(8, 600))
  rows <- rows[, .(clicks = sum(clicks), position = sum(position * impressions) / sum(impressions),
    impressions = sum(impressions)), by = c("query", "page")]
  found <- tide_find(tide_summary(as_data(rows), undated_days = 60), min_gain = 0)
  expect_lt(mean(found$pairs$mixed), 0.03)
  expect_gt(stats::sd(log(found$pairs$own)), 0.15)
})
