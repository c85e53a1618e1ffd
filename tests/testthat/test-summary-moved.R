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
  expect_match(format(summary), "moved: \\d+ addresses count as their new ones \\(handed over",
    all = FALSE)
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

test_that("a move that is announced counts though the days do not show it", {
  rows <- made_site(queries = 100, days = 70, demand = rep(12, 100))
  pages <- sort(unique(rows$page))
  # A third of the rows already have the new address, on all days.
  to <- sub("example/", "example/new/", pages[1])
  rows[page == pages[1] & seq_len(.N) %% 3 == 0, page := to]
  expect_null(tide_summary(as_data(rows))$moves)
  path <- function(page) sub("https://www.fernmoor.example", "", page)
  ways <- list(stats::setNames(path(to), path(pages[1])), stats::setNames(to, pages[1]),
    # By way of an address that nobody was shown, and one that leads nowhere known.
    c(stats::setNames("/between/", path(pages[1])), `/between/` = to, `/gone/` = "/nowhere/"))
  for (moves in ways) {
    summary <- tide_summary(as_data(rows), moves = moves)
    expect_equal(summary$moves$old, pages[1])
    expect_equal(summary$moves$new, to)
    expect_true(summary$moves$announced)
    expect_false(which(summary$pages$page == pages[1]) %in% summary$pairs$page)
    expect_equal(sum(summary$pairs$clicks), sum(rows$clicks))
  }
  expect_match(format(summary), "moved: 1 address counts as its new one$", all = FALSE)
  undated <- tide_summary(as_data(rows[, list(clicks = sum(clicks), impressions = sum(impressions),
    position = weighted.mean(position, impressions)), by = c("query", "page")]), moves = ways[[1]])
  expect_equal(undated$moves$new, to)
  circle <- stats::setNames(c(path(to), path(pages[1])), c(path(pages[1]), path(to)))
  expect_error(tide_summary(as_data(rows), moves = circle), class = "tide_error_argument")
  expect_error(tide_summary(as_data(rows), moves = "/new/"), class = "tide_error_argument")
})

test_that("redirects of pages that were read are moves, and a project names a table of them", {
  site <- moved_site()
  old <- site$moves[1]
  # The second is sent home, which is no move.
  pages <- structure(list(answers = data.table(address = c(old, site$rows$page[1]), location = "x",
    final = c(sub("example/", "example/new/", old), "https://www.fernmoor.example/"))),
    class = "tide_pages")
  summary <- tide_summary(as_data(site$rows), moves = list(NULL, pages))
  expect_equal(summary$moves$announced, summary$moves$old == old)
  expect_setequal(summary$moves$old, site$moves)
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "moves: moves.csv"),
    file.path(dir, "inktide.yml"))
  writeLines(c("from,to", "/a/,/b/", ",/c/"), file.path(dir, "moves.csv"))
  expect_equal(tide_settings(dir)$moves, c(`/a/` = "/b/"))
})
