test_that("drivers tell a page's one query, a folder's every page, and a topic without a page", {
  set.seed(1)
  d <- data.table::CJ(id = 1:60, day = 1:56)
  later <- d$day > 28
  folder <- c("rest", "deep")[1 + (d$id %in% 13:24)]
  page <- ifelse(d$id <= 4, "/one/p/", sprintf("/%s/p%d/", folder, d$id %/% 3))
  topic <- ifelse(d$id %in% 30:41, "fennel", "kale")
  fall <- ifelse(later & d$id == 1, 0.2,
    ifelse(later & d$id %in% 13:24, 0.5, ifelse(later & topic == "fennel", 3, 1)))
  impressions <- rpois(nrow(d), 60 * fall)
  rows <- data.table::data.table(date = as.IDate("2026-01-01") + d$day,
    query = sprintf("%s kind%d", topic, d$id), page = paste0("https://www.fernmoor.example", page),
    clicks = rbinom(nrow(d), impressions, 0.15), impressions = impressions, position = 3)
  drivers <- tide_compare(as_data(rows[impressions > 0]), by = "site")$drivers
  told <- function(wanted) drivers[which(drivers$kind == wanted)]
  expect_true("kale kind1" %in% told("one query")$by)
  expect_equal(told("whole folder")$name, "/deep/")
  expect_equal(told("topic without a page")$name, "fennel")
  expect_match(told("whole folder")$sentence, "all 5 pages lost more than the site did")
  quiet <- tide_compare(as_data(made_site(queries = 60, days = 56)), by = "page")$drivers
  expect_lte(nrow(quiet), 1)
})

test_that("the queries that lost positions are named on their page, with the day since when", {
  rows <- made_site(queries = 90, days = 70, demand = rep(40, 90))
  last <- max(rows$date)
  own <- rows$query == "query 0004"
  rows[own, c("page", "position") := list("https://www.fernmoor.example/p1/", 2)]
  slipped <- own & rows$date > last - 15L
  rows[slipped, "position" := 6]
  rows[own, "clicks" := rbinom(.N, impressions, made_curve[position])]
  change <- tide_compare(as_data(rows), by = "page")
  lost <- change$lost_positions[query == "query 0004"]
  expect_equal(nrow(lost), 1)
  expect_equal(lost$since[1], last - 14L)
  expect_equal(c(lost$position_before[1], lost$position_after[1]), c(2, 4), tolerance = 0.1)
  expect_lt(lost$clicks[1], 0)
  told <- gsub(" +", " ", paste(format(change), collapse = " "))
  expect_match(told, sprintf("by position: \"query 0004\" [0-9]+ \\(2.0 to [34].[0-9] since %s\\)",
    inktide:::format_day(last - 14L)))
  quiet <- tide_compare(as_data(made_site(queries = 90, days = 70)), by = "page")$lost_positions
  expect_false(any(quiet$position_after < quiet$position_before))
})

test_that("a page that carries most of a part of the site's change is named beside it", {
  rows <- made_site(queries = 90, days = 56, demand = rep(40, 90))
  own <- rows$query %in% sprintf("query %04d", 1:12)
  rows[own, "page" := "https://www.fernmoor.example/p1/"]
  later <- rows$date > max(rows$date) - 28L
  rows[own & later, c("clicks", "impressions") := list(clicks * 3L, impressions * 3L)]
  change <- tide_compare(as_data(rows), by = "query")
  parts <- unlist(change$site[, c("by_demand", "by_position", "by_ctr", "by_new_lost")])
  expect_equal(change$carriers$clicks + change$carriers$rest, unname(parts))
  demand <- change$carriers[part == "by_demand"]
  expect_match(demand$page, "/p1/")
  expect_gt(demand$clicks, 0.9 * parts[["by_demand"]])
  told <- gsub("\\s+", " ", paste(format(change), collapse = " "))
  expect_match(told, "by demand \\([0-9,]+ of them on /p1/\\)|\\(/p1/ alone gained [0-9,]+\\)")
  # Where all pages rise alike none is named.
  rows[!own & later, c("clicks", "impressions") := list(clicks * 3L, impressions * 3L)]
  spread <- inktide:::site_sentences(tide_compare(as_data(rows), by = "query"))
  expect_no_match(paste(spread, collapse = " "), "of them on|alone")
})
