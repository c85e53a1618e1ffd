# Two countries whose searchers click differently, three in ten queries of the second.
two_countries <- function(times) {
  rows <- made_site(queries = 400, days = 60, demand = rep(10, 400))
  set.seed(3)
  rows[, country := ifelse((as.integer(factor(query)) %% 10 < 3) == (runif(.N) < 0.9), "deu",
    "gbr")]
  rows[, clicks := rbinom(.N, impressions, pmin(0.95, made_curve[position] *
    ifelse(country == "deu", times, 1)))]
}

test_that("what a country's searchers click beside others is known, and expected of their pages", {
  rows <- two_countries(1.6)
  summary <- tide_summary(as_data(rows))
  curve <- tide_curve(summary)
  level <- curve$levels[curve$levels$dimension == "country"]
  names <- summary$parts$country$names[level$part]
  expect_equal(diff(level$level[match(c("gbr", "deu"), names)]), log(1.6), tolerance = 0.15)
  pairs <- tide_find(summary)$pairs
  german <- as.integer(factor(summary$queries$query))[pairs$query] %% 10 < 3
  off <- function(use) sum(pairs$clicks[use]) / sum(pairs$expected[use])
  expect_equal(off(german), 1, tolerance = 0.08)
  expect_equal(off(!german), 1, tolerance = 0.08)
})

test_that("the list and the inventory expect the same of a query", {
  rows <- two_countries(1.6)
  data <- as_data(rows)
  curve <- tide_curve(tide_summary(data))
  pairs <- tide_find(tide_summary(data), curve)$pairs
  listed <- tide_inventory(data, by = "pair", curve = curve)$rows
  at <- match(paste(listed$query, listed$page), paste(curve$summary$queries$query[pairs$query],
    curve$summary$pages$page[pairs$page]))
  expect_equal(listed$expected_ctr, pairs$expected_ctr[at], tolerance = 0.01)
})

test_that("countries that click alike have no level, and a table without countries none", {
  rows <- two_countries(1)
  expect_equal(NROW(tide_curve(tide_summary(as_data(rows)))$levels), 0)
  expect_equal(NROW(tide_curve(tide_summary(as_data(rows[, !"country"])))$levels), 0)
})

test_that("language and country versions of a page are no rivals", {
  shown <- inktide:::address_versions(c("https://de.fernmoor.example/bean/",
    "https://www.fernmoor.example/fr-ca/bean/", "https://www.fernmoor.example/bean/?lang=es&a=1",
    "https://www.fernmoor.example/bean/"))
  expect_equal(shown$language, c("de", "fr", "es", ""))
  expect_equal(shown$plain[c(1, 2, 4)], rep("/bean/", 3))
  turns <- function(pages) {
    rows <- made_site(queries = 200, days = 60, demand = rep(12, 200))
    swap <- rows$query == "query 0007"
    away <- swap & as.integer(rows$date) %/% 7 %% 2 == 0
    rows[swap, c("page", "position") := list(pages[1], 4)]
    rows[away, c("page", "position") := list(pages[2], 9)]
    set.seed(1)
    rows[swap, clicks := rbinom(.N, impressions, made_curve[position])]
    "query 0007" %in% kind_of(rows, "cannibalized")$query
  }
  at <- function(path) paste0("https://www.fernmoor.example/", path)
  expect_true(turns(at(c("beans/", "sowing/"))))
  expect_false(turns(at(c("en/beans/", "de/bohnen/"))))
  expect_false(turns(at(c("beans/", "beans/?lang=de"))))
})
