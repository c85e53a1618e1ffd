# Weeks of pairs on pages: `fell` gives the ratio since week 7 by pair.
weeks_of_pairs <- function(page, fell, expected = 40, seed = 1) {
  set.seed(seed)
  rows <- CJ(pair = seq_along(page), week = 1:12)
  rows[, c("page", "expected") := list(page[pair], expected)]
  rows[, clicks := rpois(.N, expected * ifelse(week >= 7, fell[pair], 1))]
  list(rows = rows, weeks = 12L)
}
pages <- rep(1:8, each = 4)
groups <- data.table(pair = seq_along(pages), group = rep(c("bean", "pea"), each = 16))
chance_of_title <- function(fell, known = FALSE, of = groups) {
  inktide:::title_chances(weeks_of_pairs(pages, fell), of,
    data.table(page = 1L, week = 7L, known = known))
}

test_that("a fall of all queries of one page is its own doing, one that sisters share is not", {
  own <- ifelse(pages == 1, 0.5, 1)
  topic <- ifelse(pages <= 4, 0.5, 1)
  half <- ifelse(pages <= 4 & seq_along(pages) %% 2 == 0, 0.5, 1)
  expect_gt(chance_of_title(own), 0.9)
  expect_lt(chance_of_title(topic), 0.1)
  expect_lt(chance_of_title(half), 0.1)
  # Beyond what sisters lost, it is the page's again.
  expect_gt(chance_of_title(ifelse(pages == 1, 0.3, topic + 0.2)), 0.6)
})

test_that("where no sister can tell, the chance stays near what is assumed", {
  alone <- chance_of_title(ifelse(pages == 1, 0.5, 1), of = groups[pair <= 4])
  prior <- tide_assumptions()$value[tide_assumptions()$name == "fall_by_title"]
  expect_lt(abs(alone - prior), 0.2)
  expect_gt(chance_of_title(ifelse(pages == 1, 0.5, 1), known = TRUE, of = groups[pair <= 4]),
    alone)
})
