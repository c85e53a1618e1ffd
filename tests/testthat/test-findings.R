test_that("the chance that the lead changed twice equals counting all sequences", {
  set.seed(1)
  for (p in list(runif(5), runif(8), c(1, 0, 1), c(1, 1, 0, 0))) {
    leads <- as.matrix(expand.grid(rep(list(0:1), length(p))))
    chance <- apply(leads, 1, function(l) prod(ifelse(l == 1, p, 1 - p)))
    changes <- apply(leads, 1, function(l) sum(diff(l) != 0))
    expect_equal(inktide:::chance_of_changes(p), sum(chance[changes >= 2]))
  }
})

test_that("the surest set keeps the expected share of false ones within the rate", {
  expect_equal(inktide:::surest_within(c(0.99, 0.5, 0.95, 0.7), 0.1), c(1, 3))
  expect_equal(inktide:::surest_within(c(0.99, 0.5, 0.95, 0.7), 0.2), c(1, 3, 4))
  expect_length(inktide:::surest_within(c(0.2, 0.3), 0.1), 0)
})

test_that("a usual spread without a low part flags next to nothing; planted ones are found", {
  set.seed(2)
  expected <- exp(rnorm(800, 3, 1))
  factor <- exp(rnorm(800, 0, 0.25))
  page <- seq_along(expected) %/% 3
  none <- inktide:::judge_low(rpois(800, expected * factor), expected, page)
  expect_lt(length(inktide:::surest_within(none$confidence, 0.1)), 10)
  weak <- page %% 15 == 0
  some <- inktide:::judge_low(rpois(800, expected * factor * ifelse(weak, 0.35, 1)), expected, page)
  listed <- inktide:::surest_within(some$confidence, 0.1)
  expect_gt(mean(weak[listed]), 0.8)
  expect_gt(mean(which(weak & expected > 10) %in% listed), 0.7)
})

test_that("on the demo data the findings are what was planted", {
  found <- as.data.table(demo()$found$findings)
  truth <- demo()$site$truth$queries
  at <- truth[match(tolower(found$query), truth$query)]
  typical <- mean(truth$factor[truth$segment == "non-brand"])
  low <- found$kind == "low_ctr"
  expect_gt(sum(low), 20)
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

test_that("every finding has the agreed columns, in order, within their ranges", {
  found <- tidy(demo()$found)
  expect_equal(names(found), c("rank", "id", "kind", "query", "page", "pages", "clicks", "impressions", "ctr", "position", "expected_ctr",
    "gain", "gain_low", "gain_high", "confidence", "score", "action", "reason"))
  expect_false(anyNA(found))
  expect_equal(found$rank, seq_len(nrow(found)))
  expect_false(is.unsorted(-found$score))
  expect_equal(anyDuplicated(found$id), 0L)
  expect_true(all(found$gain_low <= found$gain & found$gain <= found$gain_high))
  expect_true(all(found$confidence >= 0 & found$confidence <= 1))
  expect_equal(anyDuplicated(found$reason), 0L)
  several <- lengths(strsplit(found$pages, " ")) > 1
  expect_equal(several, found$kind == "cannibalized")
})

test_that("no click is promised twice: the list, its pages and its total agree", {
  found <- demo()$found
  pages <- tide_pages(found)
  expect_equal(sum(pages$gain), sum(found$findings$gain))
  expect_equal(glance(found)$gain, sum(pages$gain))
  pairs <- strsplit(found$findings$pages, " ")
  claims <- paste(rep(found$findings$query, lengths(pairs)), unlist(pairs))
  expect_equal(anyDuplicated(claims), 0L)
})

test_that("ids stay when data grow", {
  rows <- demo()$site$daily
  ids <- function(rows) {
    found <- tide_find(tide_summary(as_data(rows), brand = "fernmoor"))$findings
    stats::setNames(found$id, paste(found$kind, found$query, found$page))
  }
  old <- ids(rows[date <= as.IDate("2026-10-20")])
  new <- ids(rows)
  both <- intersect(names(old), names(new))
  expect_gt(length(both), 50)
  # A cannibalized query may keep another page later; all else must agree in name and id.
  expect_equal(old[both], new[both])
})

test_that("stable seconds, section links and one-day blips are not cannibalized", {
  set.seed(6)
  days <- as.IDate("2026-01-01") + 0:83
  row <- function(query, page, days, position, impressions = 20) {
    data.table(date = days, query = query, page = paste0("https://www.fernmoor.example", page), clicks = rbinom(length(days), impressions, 0.25 / position),
      impressions = impressions, position = pmax(1, position + rnorm(length(days), 0, 0.4)))
  }
  turn <- (as.integer(days - days[1]) %/% 21) %% 2 == 0
  rows <- rbind(row("sections", "/a/", days, 5), row("sections", "/a/#b", days, 5), row("blip", "/c/", days, 5), row("blip", "/d/", days[40:41], 4),
    row("far", "/e/", days, 5), row("far", "/f/", days, 48), row("stable", "/g/", days, 3), row("stable", "/h/", days, 6, 6),
    row("swap", "/i/", days[turn], 4), row("swap", "/i/", days[!turn], 18, 3), row("swap", "/j/", days[!turn], 8), row("swap", "/j/", days[turn], 19, 3))
  found <- tide_find(tide_summary(as_data(rows)), min_gain = 0)$findings
  rivals <- found[found$kind == "cannibalized", ]
  expect_equal(rivals$query, "swap")
  expect_equal(rivals$page, "https://www.fernmoor.example/i/")
  expect_match(rivals$reason, "/i/ led in 6 weeks and /j/ in 6 of the last 12", fixed = TRUE)
})

test_that("a table without pages or dates still gives a list, and says what cannot be known", {
  queries <- tide_find(tide_summary(tide_read(tide_example()[["capped"]])))
  expect_gt(nrow(queries$findings), 0)
  expect_true(all(queries$findings$page == ""))
  rows <- made_site(queries = 100, days = 30)[, .(clicks = sum(clicks), impressions = sum(impressions), position = weighted.mean(position, impressions)), by = .(query, page)]
  twin <- rows[order(-impressions)][round(position) > 5][1]
  rows <- rbind(rows, copy(twin)[, page := "https://www.fernmoor.example/twin/"])
  rivals <- subset(tide_find(tide_summary(as_data(rows)), min_gain = 0)$findings, kind == "cannibalized")
  expect_equal(nrow(rivals), sum(rivals$query == twin$query))
  if (nrow(rivals)) expect_match(rivals$reason, "cannot be known")
})

test_that("small and odd tables give an answer, not an error", {
  one <- data.table(query = "a", page = "/a", clicks = 0, impressions = 9, position = 1)
  expect_equal(nrow(tide_find(tide_summary(as_data(one)))$findings), 0)
  expect_match(format(tide_find(tide_summary(as_data(one)))), "0 findings")
  far <- data.table(query = letters, page = "/a", clicks = 0, impressions = 100, position = 90)
  expect_equal(nrow(tide_find(tide_summary(as_data(far)))$findings), 0)
  expect_error(tide_find(tide_summary(as_data(one)), band = c(9, 3)), class = "tide_error_argument")
  expect_error(tide_find(tide_summary(as_data(one)), segment = "mobile"), class = "tide_error_argument")
})
