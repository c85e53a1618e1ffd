# Pages with six queries each, half of whose phrases stand in a heading and rank better for it by
# `times`.
said_site <- function(times, seed = 1) {
  set.seed(seed)
  pages <- 40
  words <- c("sowing", "pruning", "frost", "harvest", "storage", "slugs")
  of <- CJ(p = seq_len(pages), w = seq_along(words))
  of[, "query" := sprintf("plant%02d %s", p, words[w])]
  of[, "said" := sample(rep(c(TRUE, FALSE), 3)), by = "p"]
  of[, "base" := exp(rnorm(pages, log(9), 0.3))[p] * exp(rnorm(.N, 0, 0.2))]
  of[, "home" := base * ifelse(said, times, 1)]
  days <- 60
  rows <- of[rep(seq_len(.N), each = days)]
  rows[, c("date", "position", "impressions") := list(
    rep(as.IDate("2026-01-02") + seq_len(days) - 1L, nrow(of)), pmax(1, home + rnorm(.N, 0, 0.5)),
    20L)]
  rows[, "clicks" := rbinom(.N, 20L, pmin(0.9, 0.3 / position))]
  dir <- tempfile("said")
  for (i in seq_len(pages)) {
    own <- of[of$p == i]
    dir.create(file.path(dir, sprintf("p%d", i)), recursive = TRUE)
    writeLines(c(sprintf("<html><head><title>Plant %d</title></head><body>", i),
      sprintf("<h2>%s</h2>", own$query[own$said]), "<p>Some words on it all.</p></body></html>"),
      file.path(dir, sprintf("p%d", i), "index.html"))
  }
  list(
    rows = rows[, .(date, query, page = sprintf("https://www.fernmoor.example/p%d/", p), clicks,
      impressions, position)],
    of = of,
    pages = tide_pages_read(dir, "https://www.fernmoor.example/"))
}

test_that("phrases that pages lack are found where saying them helps, one task a page", {
  site <- said_site(0.75)
  summary <- tide_summary(as_data(site$rows))
  missing <- tide_missing_words(summary, site$pages)
  expect_setequal(missing$query, site$of$query[!site$of$said])
  expect_true(all(missing$if_done_low <= missing$if_done & missing$if_done <= missing$if_done_high))
  found <- tidy(tide_find(summary, pages = site$pages, kind = "missing_words"))
  expect_gt(nrow(found), 20)
  expect_true(all(found$query %in% site$of$query[!site$of$said]))
  expect_equal(unique(found$confidence), tide_assumptions()$value[
    tide_assumptions()$name == "said_confidence"])
  expect_equal(uniqueN(found$task), uniqueN(found$page))
  expect_match(found$reason[1], "The phrase stands nowhere on the page.", fixed = TRUE)
  # Beside other kinds no pair is promised twice.
  all <- tide_find(summary, pages = site$pages)$findings
  expect_false(anyDuplicated(paste(all$query, all$page)) > 0)
  expect_equal(nrow(tide_find(summary, kind = "missing_words")$findings), 0)
})

test_that("of a whole list phrases promise next to nothing, and none of the top three is listed", {
  site <- said_site(1)
  listed <- tidy(tide_find(tide_summary(as_data(site$rows)), pages = site$pages))
  phrases <- listed[listed$kind == "missing_words", ]
  expect_lte(sum(phrases$gain), 0.02 * sum(listed$gain))
  expect_true(all(phrases$position > 3.5 | phrases$ctr < phrases$expected_ctr))
})
