watched_site <- function() {
  rows <- made_site(queries = 120, days = 56)
  last <- max(rows$date)
  rows[query == "query 0007", c("impressions", "clicks", "position") := list(
    fifelse(date > last - 28, 200L, 60L), fifelse(date > last - 28, 40L, 6L),
    fifelse(date > last - 28, 2, 5))]
  rows[]
}

test_that("watched queries have the figures of the comparison and their positions by week", {
  rows <- watched_site()
  data <- as_data(rows)
  watched <- tide_watched(data, list(main = c("query 0007", "query 0001"), more = "/^query 000/"))
  compared <- tide_compare(data)$moves
  own <- compared[match(watched$rows$query, compared$name)]
  expect_equal(watched$rows$change, own$change)
  expect_equal(watched$rows$significant, own$significant)
  expect_equal(watched$rows$query[1:2], c("query 0007", "query 0001"))
  expect_true(watched$rows$significant[1])
  expect_setequal(watched$rows[list == "more"]$query, sprintf("query %04d", 1:9))
  last <- max(rows$date)
  week <- rows[query == "query 0001" & date > last - 7]
  shown <- watched$weekly[query == "query 0001"]
  expect_equal(nrow(shown), 8)
  expect_equal(shown$position[8], sum(week$position * week$impressions) / sum(week$impressions))
  expect_equal(shown$clicks[8], sum(week$clicks))
  summed <- summary(watched)
  expect_equal(summed$up, c(1, 1))
  unseen <- tide_watched(data, c("query 0001", "nobody asks"))
  expect_equal(unseen$unseen$query, "nobody asks")
  expect_match(format(unseen), "not shown to anybody in these windows: nobody asks", all = FALSE)
  expect_error(tide_watched(data, list("a")), class = "tide_error_argument")
  expect_error(tide_watched(data, "/((/"), class = "tide_error_regex")
})

test_that("watched queries need days", {
  totals <- "date,clicks,impressions,position"
  undated <- tide_read(c(csv("query,clicks,impressions,position", "kale,1,10,2"),
    csv(totals, sprintf("2026-01-%02d,5,50,3", 1:28))))
  expect_error(tide_watched(undated, "kale"), "days and queries", class = "tide_error_grain")
  # Totals by day of queries that have none: all of them count, however many days they stand for.
  expect_equal(sum(tide_summary(tide_filter(undated, days = 7))$site_by_day$clicks), 35)
})

test_that("the program tells watched queries, after a load and in the report, too", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  fwrite(watched_site(), file.path(dir, "a.csv"))
  run <- function(...) program(..., dir = dir)
  said <- run("watched", "a.csv", "--of", "query 0007,/^query 001/", "--lag", "0")
  expect_match(paste(said$out, collapse = "\n"), "query 0007 .*\\* +5.0 +2.0")
  expect_equal(run("watched", "a.csv")$status, 2)
  writeLines("watched: {main: [query 0007], none: [nothing]}", file.path(dir, "inktide.yml"))
  loaded <- paste(run("load", "a.csv", "--exported", "2027-01-01")$out, collapse = "\n")
  expect_match(loaded, "1 of 1 watched query changed significantly")
  listed <- fread(text = run("watched", "--list", "main", "--format", "csv", "--quiet")$out)
  expect_equal(listed$query, "query 0007")
  expect_equal(run("watched", "--list", "other")$status, 2)
  # Of a project it stands in its folder.
  expect_equal(run("report", "--quiet")$status, 0)
  html <- paste(readLines(file.path(dir, "report.html"), encoding = "UTF-8"), collapse = "")
  expect_match(html, "<h2>Watched queries</h2>", fixed = TRUE)
})
