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
