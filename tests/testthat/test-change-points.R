test_that("a change point is found at its day with the nearest event, and none where none is", {
  changed <- tide_change_points(as_data(paged(clicks = 2.5)), events = marks())
  expect_setequal(unique(sub(".*/(p\\d+)/", "\\1", changed$name[changed$level == "page"])),
    c("p1", "p2", "p3"))
  expect_true(all(
    changed$measure == "ctr" & abs(as.integer(changed$date - as.IDate("2026-02-27"))) <= 3))
  expect_equal(unique(changed$event), "Rewritten")
  expect_lte(
    mean(vapply(1:6, function(seed) nrow(tide_change_points(as_data(paged(seed)))) > 0, NA)), 1 / 3)
})

test_that("what a folder or the site does at once is found as such, its season is not", {
  skip_unless_studies()
  found <- function(rows) tide_change_points(as_data(rows), events = marks(pages = ""))
  # The folder of three loses a half, too little to be sure of any one of its pages.
  folder <- found(paged(seed = 2, clicks = 0.5))
  expect_equal(unlist(folder[, c("level", "name", "measure")], use.names = FALSE),
    c("folder", "/a/", "ctr"))
  expect_true(folder$ratio_low < 0.5 && folder$ratio_high > 0.5)
  site <- paged(seed = 3, days = 200)
  site[date > as.IDate("2026-04-10"), "clicks" := rbinom(.N, clicks, 0.6)]
  all <- found(site)
  expect_equal(all$name[all$level == "site"], "all pages")
  expect_equal(all$measure[all$level == "site"], "ctr")
  expect_lte(abs(as.integer(all$date[all$level == "site"] - as.IDate("2026-04-11"))), 3)
  expect_true(all$ratio_low[all$level == "site"] < 0.6 && all$ratio_high[all$level == "site"] > 0.6)
  # Half of the site's clicks are one page's: what it loses is its own.
  one <- paged(seed = 3, days = 200)
  first <- one$page == one$page[1]
  one[first, c("impressions", "clicks") := list(impressions * 40L, clicks * 40L)]
  one[first & date > as.IDate("2026-04-10"), "clicks" := rbinom(.N, clicks, 0.3)]
  one <- found(one)
  expect_equal(unique(one$level), "page")
  # Nothing is left for the pages, since all of them moved.
  expect_false("page" %in% all$level)
  # Two days of bots on all pages are no change of the site.
  bots <- paged(seed = 3, days = 200)
  bots[date %in% as.IDate(c("2026-04-11", "2026-04-12")), "impressions" := impressions * 6L]
  expect_equal(nrow(found(bots)), 0)
  quiet <- vapply(1:6,
    function(seed) nrow(tide_change_points(as_data(paged(seed, days = 200, pages = 20)))), 0L)
  expect_lte(mean(quiet > 0), 1 / 3)
  expect_match(inktide:::found_change_lines(all)[1], "the whole site: CTR at equal position -")
})
