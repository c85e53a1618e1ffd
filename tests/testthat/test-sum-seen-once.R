# Three queries: links under one result, pages that take turns by day, one page.
rows <- rbind(
  CJ(date = 1:10, query = 1L, page = 1:5)[, ":="(impressions = 100 - 5 * page, at = page / 2 + 1)],
  data.table(date = 1:10, query = 2L, page = rep(6:7, 5), impressions = 40, at = 4),
  data.table(date = 1:10, query = 3L, page = 8L, impressions = 7, at = 9))
rows[, ":="(weighted = impressions * at, clicks = fifelse(page == 1L, 30, 1), expected = 10 / at)]

test_that("a query counts once a day, at its first page, however many pages are shown", {
  group <- inktide:::seen_together(rows)
  once <- inktide:::seen_once(rows, group)
  sums <- rows[, list(query)][, c("shown", "weighted") := once[c("impressions", "weighted")]][,
    list(shown = sum(shown), place = sum(weighted) / sum(shown)), by = "query"]
  expect_equal(sums$shown, c(950, 400, 70))
  expect_equal(sums$place, c(1.5, 4, 9))
  # Of chosen rows the first page is the first of those.
  some <- which(rows$page != 1L)
  expect_equal(sum(inktide:::seen_once(rows, group, some)$impressions[some][
    rows$query[some] == 1L]), 900)
  # Devices are apart.
  device <- factor(rep_len(c("a", "b"), nrow(rows)))
  apart <- inktide:::seen_once(rows, inktide:::seen_together(rows, list(device)))
  expect_gt(sum(apart$impressions), sum(once$impressions))
})

test_that("pages of one result share by clicks what the result is expected to have", {
  group <- inktide:::seen_together(rows)
  shared <- inktide:::shared_expected(rows, group, rows$query == 1L)
  own <- rows$query == 1L
  first <- own & rows$page == 1L
  expect_equal(sum(shared$expected[own]), sum(rows$expected[first] *
    max(rows$impressions[own]) / rows$impressions[first][1]))
  ratio <- tapply(rows$clicks[own], rows$page[own], sum) /
    tapply(shared$expected[own], rows$page[own], sum)
  expect_lt(max(ratio) / min(ratio), 1.1)
  expect_equal(shared$expected[!own], rows$expected[!own])
})

test_that("list, trace and compare show one impression; a table by query goes before", {
  days <- as.IDate("2026-08-01") + 0:69
  made <- CJ(date = days, page = sprintf("https://www.fernmoor.example/%s/",
    c("a", "b", "c")))[, ":="(query = "fernmoor", impressions = 50L, position = 1.5,
    clicks = 5L)]
  other <- as.data.table(made_site(queries = 60, days = 70))
  other[, "date" := date + (days[1] - min(date))]
  pairs <- csv("", name = "pairs.csv")
  fwrite(rbind(made, other, use.names = TRUE), pairs)
  run <- function(...) program(..., "--brand", "fernmoor", "--lag", "0", "--quiet")
  listed <- fread(text = run("list", pairs, "--format", "csv")$out)
  expect_equal(listed[query == "fernmoor"]$impressions, 50 * 70)
  expect_equal(listed[query == "fernmoor"]$clicks, 15 * 70)
  expect_match(run("trace", "fernmoor", pairs)$out, "3,500 impressions, CTR 30%", all = FALSE)
  moved <- fread(text = run("compare", pairs, "--format", "csv")$out)
  expect_equal(moved[name == "fernmoor"]$impressions_after, 50 * 28)
  # A filter does not change what is expected.
  some <- fread(text = run("list", pairs, "--query", "fern", "--format", "csv")$out)
  expect_equal(some$expected_ctr, listed[query == "fernmoor"]$expected_ctr)
  # The table by query knows better.
  queries <- csv("", name = "queries.csv")
  totals <- rbind(made[page == made$page[1]][, "impressions" := 60L], other, use.names = TRUE)
  fwrite(totals[, list(clicks = sum(clicks), impressions = sum(impressions),
    position = mean(position)), by = c("date", "query")], queries)
  both <- fread(text = run("list", pairs, queries, "--format", "csv")$out)
  expect_equal(both[query == "fernmoor"]$impressions, 60 * 70)
  expect_equal(both[query == "fernmoor"]$pages, 3)
})
