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

test_that("planted topics are one idea each, mixed with no other, whatever pages they lead to", {
  frames <- c("how to store %s", "%s recipe", "%ss price", "when to harvest %s", "freezing %s")
  cases <- list(c("leek", "pumpkin", "quinoa", "okra", "celeriac", "salsify"),
    c("rain barrel", "bee hotel", "worm bin", "moon calendar", "raised bed", "leek"))
  known <- CJ(crop = c("kale", "pea", "tomato", "bean", "leek", "pumpkin"),
    frame = c("%s seeds", "growing %s", "%s spacing", "%s varieties"))
  known <- known[, .(query = mapply(sprintf, frame, crop), page = crop)]
  withr::local_seed(4)
  for (topics in cases) {
    far <- CJ(topic = topics, frame = frames)
    queries <- c(known$query, mapply(sprintf, far$frame, far$topic))
    pages <- c(match(known$page, unique(known$page)), sample(7:10, nrow(far), TRUE))
    ideas <- inktide:::subject_ideas(queries, pages, nrow(known) + seq_len(nrow(far)))
    expect_equal(as.vector(tapply(far$topic, ideas, function(own) length(unique(own)))),
      rep(1, length(unique(ideas))))
    expect_lte(length(unique(ideas)), length(topics) + 2L)
  }
})

test_that("a query whose page names it is answered, not an idea", {
  rows <- rbind(made_site(queries = 60, days = 60), data.table(
    date = as.IDate("2026-01-02") + 0:59, query = rep(c("moon sowing chart", "moon sowing"), 30),
    page = "https://www.fernmoor.example/guides/moon-sowing/", clicks = 0L, impressions = 50L,
    position = 55))
  found <- tide_find(tide_summary(as_data(rows)), kind = "new_page", min_gain = 0)
  expect_equal(tidy(found)$query, "moon sowing chart")
  left <- found$facts |> Filter(f = function(of) of$code == "page_names_it")
  expect_equal(left[[1]]$rows$queries, 1L)
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
