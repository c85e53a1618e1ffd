test_that("every finding has the agreed columns, in order, within their ranges", {
  found <- tidy(demo()$found)
  expect_equal(names(found), c("rank", "id", "kind", "query", "page", "pages", "clicks",
    "impressions", "ctr", "position", "expected_ctr", "if_done", "if_done_low", "if_done_high",
    "confidence", "chance", "gain", "hours", "score", "task", "page_clicks", "action", "reason",
    "gain_share"))
  expect_false(anyNA(found))
  expect_equal(found$rank, seq_len(nrow(found)))
  expect_false(is.unsorted(-found$score))
  expect_equal(anyDuplicated(found$id), 0L)
  expect_true(all(found$if_done_low <= found$if_done & found$if_done <= found$if_done_high))
  expect_equal(found$gain, found$if_done * found$confidence * found$chance)
  leads <- found[found$hours > 0, ]
  expect_equal(leads$score * leads$hours,
    unname(vapply(leads$task, function(task) sum(found$gain[found$task == task]), 0)))
  expect_true(all(found$page_clicks * 90 / 30 >= found$clicks - 1e-9 |
    found$kind %in% c("cannibalized", "new_page")))
  expect_true(all(found$confidence >= 0 & found$confidence <= 1))
  several <- lengths(strsplit(found$pages, " ")) > 1
  expect_equal(several, found$kind == "cannibalized")
})

test_that("no click is promised twice: the list, its pages and its total agree", {
  found <- demo()$found
  pages <- tide_group(found)
  expect_equal(sum(pages$gain), sum(found$findings$gain))
  expect_equal(glance(found)$gain, sum(pages$gain))
  pairs <- strsplit(found$findings$pages, " ")
  claims <- paste(rep(found$findings$query, lengths(pairs)), unlist(pairs))
  expect_equal(anyDuplicated(claims), 0L)
})

test_that("ids stay when data grow", {
  skip_unless_studies()
  rows <- demo()$site$daily
  ids <- function(rows) {
    found <- tide_find(tide_summary(as_data(rows), brand = "fernmoor"))$findings
    stats::setNames(found$id, paste(found$kind, found$query, found$page))
  }
  old <- ids(rows[date <= as.IDate("2026-10-20")])
  new <- ids(rows)
  both <- intersect(names(old), names(new))
  expect_gt(length(both), 50)
  # A cannibalized query may keep another page later; all else must agree in name and id.
  expect_equal(old[both], new[both])
})

test_that("a table without pages or dates still gives a list, and says what cannot be known", {
  queries <- tide_find(tide_summary(tide_read(tide_example()[["capped"]])))
  expect_gt(nrow(queries$findings), 0)
  expect_true(all(queries$findings$page == ""))
  rows <- made_site(queries = 100, days = 30)[,
    .(clicks = sum(clicks), impressions = sum(impressions),
      position = weighted.mean(position, impressions)),
    by = .(query, page)]
  twin <- rows[order(-impressions)][round(position) > 5][1]
  rows <- rbind(rows, copy(twin)[, page := "https://www.fernmoor.example/twin/"])
  rivals <-
    subset(tidy(tide_find(tide_summary(as_data(rows)), min_gain = 0)), kind == "cannibalized")
  expect_equal(nrow(rivals), sum(rivals$query == twin$query))
  if (nrow(rivals)) expect_match(rivals$reason, "be known whether they take turns")
})

test_that("small and odd tables give an answer, not an error", {
  one <- data.table(query = "a", page = "/a", clicks = 0, impressions = 9, position = 1)
  expect_equal(nrow(tide_find(tide_summary(as_data(one)))$findings), 0)
  expect_match(format(tide_find(tide_summary(as_data(one)))), "0 findings")
  far <- data.table(query = letters, page = "/a", clicks = 0, impressions = 100, position = 90)
  expect_equal(nrow(tide_find(tide_summary(as_data(far)))$findings), 0)
  expect_error(tide_find(tide_summary(as_data(one)), band = c(9, 3)), class = "tide_error_argument")
  expect_error(tide_find(tide_summary(as_data(one)), segment = "mobile"),
    class = "tide_error_argument")
})

test_that("queries off the site's subject are not listed, counted with the reason, kept in totals",
  {
    summary <-
      tide_summary(as_data(made_site(queries = 200, days = 60, factor = rep(c(0.3, 1, 1, 1), 50))))
    all <- tide_find(summary)
    gone <- all$findings$query[1]
    rules <- tide_rules(ignore = c(stats::setNames("not ours", toupper(gone)), "/9$/" = "too far"))
    found <- tide_find(summary, rules = rules)
    expect_false(gone %in% found$findings$query)
    expect_false(any(grepl("9$", found$findings$query)))
    expect_equal(sum(found$pairs$clicks), sum(all$pairs$clicks))
    told <- found$excluded[startsWith(found$excluded$reason, "ignored: ")]
    expect_setequal(told$reason, c("ignored: not ours", "ignored: too far"))
    expect_equal(told$queries[told$reason == "ignored: not ours"], 1)
    # At stake are the clicks that these queries have in the window.
    clicks <- function(pattern) {
      sum(all$pairs$clicks[grepl(pattern, summary$queries$query[all$pairs$query])])
    }
    expect_equal(told$clicks[match(c("ignored: not ours", "ignored: too far"), told$reason)],
      c(clicks(sprintf("^%s$", gone)), clicks("9$")))
    expect_match(paste(format(rules), collapse = "\n"), "ignored: .*not ours")
    expect_error(tide_rules(ignore = "no name"), class = "tide_error_argument")
    dir <- withr::local_tempdir()
    fwrite(made_site(queries = 200, days = 60, factor = rep(c(0.3, 1, 1, 1), 50)),
      file.path(dir, "a.csv"))
    writeLines(c("exports: a.csv", sprintf("ignore: {%s: not ours}", gone)),
      file.path(dir, "inktide.yml"))
    run <- program("find", "--project", dir, "--lag", "0", "--quiet", "--details")
    expect_match(paste(run$out, collapse = " "), "1 query, [0-9]+ clicks: ignored: not ours")
  })
