# A site half of whose pages have another address from day 40 on.
moved_site <- function(to = function(page) sub("example/", "example/new/", page)) {
  rows <- made_site(queries = 300, days = 70, demand = rep(12, 300))
  moves <- sort(unique(rows$page))[c(TRUE, FALSE)]
  rows[page %in% moves & date > as.IDate("2026-02-10"), page := to(page)]
  list(rows = rows, moves = moves)
}

test_that("an address that hands its queries over counts as the new one", {
  site <- moved_site()
  summary <- tide_summary(as_data(site$rows))
  expect_setequal(summary$moves$old, site$moves)
  expect_equal(summary$moves$new, sub("example/", "example/new/", summary$moves$old))
  expect_equal(sum(summary$pairs$clicks), sum(site$rows$clicks))
  found <- tidy(tide_find(summary, min_gain = 0))
  expect_false(any(found$page %in% site$moves))
  expect_false("cannibalized" %in% found$kind)
  expect_match(format(summary), "moved: \\d+ addresses handed over", all = FALSE)
})

test_that("pages whose queries go to many others, or that take turns, hand nothing over", {
  scattered <- moved_site(function(page) sprintf("https://www.fernmoor.example/x%d/",
    seq_along(page) %% 9))
  expect_null(tide_summary(as_data(scattered$rows))$moves)
  rows <- made_site(queries = 100, days = 70, demand = rep(12, 100))
  rows[query < "query 0020" & as.integer(date) %/% 10 %% 2 == 0, page := sub("p", "q", page)]
  expect_null(tide_summary(as_data(rows))$moves)
})

test_that("a chain of addresses leads to the last", {
  expect_equal(inktide:::pages_now(data.table(old = 1:3, new = 2:4), 5L), c(4L, 4L, 4L, 4L, 5L))
})
