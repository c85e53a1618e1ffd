test_that("queries are one idea by the two words that stand together most", {
  ideas <- inktide:::shared_ideas
  of <- function(...) unname(split(seq_along(c(...)), ideas(c(...))))
  many <- paste(
    rep(c("moon calendar", "seed swap", "worm compost", "bee hotel", "rain barrel"), each = 4),
    c("a", "7", "guide", "dates"))
  expect_setequal(of(many), split(1:20, rep(1:5, each = 4)))
  # A query with one of the words joins, one that shares none stays by itself.
  joined <- ideas(c(many, "moon phases", "slug pellets"))
  expect_equal(joined[21], joined[1])
  expect_equal(joined[22], "slug pellets")
  expect_equal(ideas(c("how to", "what is")), c("how to", "what is"))
})

test_that(
  "clicks from far down show demand, and queries that no page answers are one idea by their words",
  {
    rows <- by_day(function(rows) {
      rows[query == "query 0004", c("position", "clicks") := list(15, rbinom(.N, impressions, 0.1))]
      deep <- rows[query %in% c("query 0007", "query 0010")]
      deep[, c("query", "position", "clicks") :=
        list(ifelse(query == "query 0007", "moon sowing chart", "moon sowing dates"), 55, 0L)]
      rbind(rows[!query %in% c("query 0007", "query 0010")], deep)
    })
    expect_true("query 0004" %in% kind_of(rows, "tail_demand")$query)
    ideas <- tidy(tide_find(tide_summary(as_data(rows)), kind = "new_page", min_gain = 0))
    expect_equal(nrow(ideas), 1)
    expect_match(ideas$reason, "moon sowing")
  })
