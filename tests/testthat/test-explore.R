# Tables by anything under any conditions: against the same sums made of filtered rows.

explorer <- tide_explorer(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")

test_that("tables are the sums of the rows that pass, whatever the stack", {
  data <- tide_read(tide_example()[["pairs"]])
  rules <- tide_rules(brand = "fernmoor")
  stacks <- list(none = list(), phones = list(device = "mobile"),
    guides = list(page_text = "/guides/", query_text = "grow"),
    brand = list(brand = TRUE),
    # Sums are those of the rows that pass all else, in one segment and over several.
    busy_phones = list(min_impressions = 30, device = "mobile"),
    busy_then_phones = list(list(min_impressions = 30), list(device = "mobile")),
    not_busy_phones = list(min_impressions = 30, device = "mobile", not = TRUE))
  for (name in names(stacks)) {
    stack <- stacks[[name]]
    segments <- if (length(stack)) {
      lapply(if (is.list(stack[[1]])) stack else list(stack),
        function(one) do.call(tide_segment, c(list(name), one)))
    }
    rows <- tide_filter(data, segments = segments, rules = rules)$tables[[1]]$rows
    for (by in c("query", "page", "pair", "folder", "device", "week", "month")) {
      view <- tide_explore(explorer, by, segments)
      expect_equal(view$total$clicks, sum(rows$clicks), label = paste(name, by))
      # Of queries the largest of their pages each day, at the place of the first.
      counted <- if (by %in% c("page", "pair", "folder")) {
        rows
      } else {
        pages <- rows[, list(n = sum(impressions), at = weighted.mean(position, impressions)),
          by = c("date", "query", "device", "page")]
        pages[, list(impressions = max(n), position = min(at)), by = c("date", "query", "device")]
      }
      expect_equal(view$total$impressions, sum(counted$impressions), label = paste(name, by))
      expect_equal(view$total$position, weighted.mean(counted$position, counted$impressions))
      expect_equal(sum(view$rows$clicks), sum(rows$clicks))
    }
    expect_equal(nrow(tide_explore(explorer, "query", segments)$rows),
      length(unique(as.character(rows$query))))
    # What is left out and what is shown make all.
    view <- tide_explore(explorer, "query", segments)
    expect_equal(view$outside$clicks + view$total$clicks, sum(data$tables[[1]]$rows$clicks))
  }
})

test_that("segments hold the same rows in any order", {
  data <- tide_read(tide_example()[["pairs"]])
  busy <- tide_segment("busy", min_impressions = 30)
  phones <- tide_segment("phones", device = "mobile")
  rows <- function(...) tide_filter(data, segments = list(...))$tables[[1]]$rows
  expect_equal(rows(busy, phones), rows(phones, busy))
  expect_lt(nrow(rows(busy, phones)), nrow(rows(phones)))
})

test_that("conditions on sums are those of a summary, where spellings of one name are one", {
  summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
  for (conditions in list(list(position = c(4, 20), min_impressions = 10), list(ctr = c(0.05, 1)),
      list(min_clicks = 5, query_text = "seeds"))) {
    segment <- do.call(tide_segment, c(list("sums"), conditions))
    own <- tide_filter(summary, segments = segment)$cells
    total <- tide_explore(explorer, "pair", segment)$total
    expect_equal(total$clicks, sum(own$clicks))
    expect_equal(total$impressions, sum(own$impressions))
    expect_equal(total$rows, nrow(unique(own[, c("query", "page")])))
  }
})

test_that("a stack and its complement make all, and days narrow", {
  segment <- tide_segment("phones on guides", device = "mobile", page_text = "/guides/")
  rest <- segment
  rest$not <- TRUE
  sums <- vapply(list(NULL, segment, rest),
    function(own) tide_explore(explorer, "page", own)$total$clicks, 0)
  expect_equal(sums[1], sums[2] + sums[3])
  days <- tide_explore(explorer, "day", from = "2026-10-01", to = "2026-10-07")
  expect_equal(nrow(days$rows), 7)
  expect_equal(days$rows$day[1], "2026-10-07")
  one <- tide_explore(explorer, "day")$rows
  expect_equal(one$clicks[match(days$rows$day, one$day)], days$rows$clicks)
})

test_that("expected CTR is that of the inventory, and coverage that of the totals", {
  files <- tide_read(unlist(tide_example()[c("pairs", "totals")]))
  curve <- tide_curve(tide_summary(files, brand = "fernmoor"))
  view <- tide_explore(tide_explorer(files, curve, brand = "fernmoor"), "page")
  listed <- tide_inventory(files, "page", curve = curve, brand = "fernmoor")
  at <- match(view$rows$page, listed$rows$page)
  expect_equal(view$rows$expected_ctr, listed$rows$expected_ctr[at])
  expect_equal(view$rows$queries, listed$rows$queries[at])
  expect_equal(view$coverage, listed$coverage)
})

test_that("tables of pages and of queries alone show what the inventory shows of them", {
  pairs <- data.table::fread(tide_example()[["pairs"]])
  data.table::setnames(pairs, tolower(names(pairs)))
  sums <- function(by, more) {
    out <- pairs[, list(clicks = sum(clicks) + more, impressions = sum(impressions) + 20L,
      position = weighted.mean(position, impressions)), by = c("date", by)]
    out[position < 1, position := 1]
  }
  dir <- tempfile()
  dir.create(dir)
  data.table::fwrite(pairs, file.path(dir, "pairs.csv"))
  data.table::fwrite(sums("page", 1L), file.path(dir, "pages.csv"))
  data.table::fwrite(sums("query", 0L), file.path(dir, "queries.csv"))
  data <- tide_read(dir)
  curve <- tide_curve(tide_summary(data, brand = "fernmoor"))
  own <- tide_explorer(data, curve, brand = "fernmoor")
  for (by in c("page", "folder", "query")) {
    view <- tide_explore(own, by)
    listed <- tide_inventory(data, by, curve = curve, brand = "fernmoor")
    at <- match(view$rows[[by]], listed$rows[[by]])
    expect_setequal(view$rows[[by]], listed$rows[[by]])
    for (name in c("clicks", "impressions", "position", "expected_ctr", "lost",
      if (by == "query") "pages" else "queries")) {
      expect_equal(view$rows[[name]], listed$rows[[name]][at], label = paste(by, name))
    }
    expect_equal(view$queries_known, listed$queries_known)
    expect_equal(view$outside$clicks, 0)
  }
  # A condition on pages keeps what a table of pages knows; one on queries asks for its rows.
  rows <- data$tables[["date x query x page x device"]]$rows
  guides <- tide_segment("guides", page_text = "/guides/")
  pages <- tide_explore(own, "page")$rows
  expect_equal(tide_explore(own, "page", guides)$total$clicks,
    sum(pages$clicks[grepl("/guides/", pages$page)]))
  grow <- tide_segment("grow", query_text = "grow")
  expect_equal(tide_explore(own, "page", grow)$total$clicks,
    sum(rows$clicks[grepl("grow", rows$query)]))
  week <- tide_explore(own, "page", from = "2026-10-01", to = "2026-10-07")
  expect_equal(week$total$clicks,
    sum(sums("page", 1L)[date >= "2026-10-01" & date <= "2026-10-07"]$clicks))
})

test_that("what is lost against the first place is that of the inventory", {
  data <- tide_read(tide_example()[["pairs"]])
  for (by in c("query", "page", "folder")) {
    view <- tide_explore(explorer, by)$rows
    listed <- tide_inventory(data, by = by, brand = "fernmoor")$rows
    expect_equal(view$lost, listed$lost[match(view[[by]], listed[[by]])], label = by)
  }
})

test_that("what rows do not have is one clear error", {
  expect_error(tide_explore(explorer, "country"), class = "tide_error_grain")
  expect_error(tide_explore(explorer, "query", tide_segment("x", country = "gb")),
    class = "tide_error_grain")
  expect_error(tide_explore(explorer, "query", tide_segment("x", query_text = "zzz")),
    class = "tide_error_nothing_left")
  expect_error(tide_explore(explorer, sort = "worth"), class = "tide_error_argument")
  expect_error(tide_explorer(tide_read(tide_example()[["totals"]])), class = "tide_error_grain")
  no_pages <- tide_explorer(as_data(data.table(query = c("kale", "leek"), position = 3,
    impressions = 100, clicks = 5)))
  expect_equal(tide_explore(no_pages)$rows$clicks, c(5, 5))
  expect_error(tide_explore(no_pages, "page"), class = "tide_error_grain")
  expect_match(format(tide_explore(explorer, "page", tide_segment("x", device = "mobile"))),
    "not shown: ", all = FALSE)
})

test_that("an index of names and sums without days change nothing but the time", {
  data <- tide_read(tide_example()[["pairs"]])
  many <- tide_explorer(data, brand = "fernmoor")
  space <- asNamespace("inktide")
  least <- space$indexed_from
  assignInNamespace("indexed_from", 0L, space)
  withr::defer(assignInNamespace("indexed_from", least, space))
  stacks <- list(list(), list(query_text = "radish"), list(queries = "radish spacing"),
    list(page_text = "/guides/", device = "mobile"), list(position = c(4, 20)),
    list(query_text = "radish", min_impressions = 5))
  for (conditions in stacks) {
    segments <- Map(function(value, name) do.call(tide_segment,
      c(list(name), stats::setNames(list(value), name))), conditions, names(conditions))
    for (by in c("query", "page", "pair", "device", "week", "topic")) {
      for (from in list(NULL, "2026-10-01")) {
        large <- tide_explore(many, by, segments, from = from)
        assignInNamespace("indexed_from", least, space)
        small <- tide_explore(explorer, by, segments, from = from)
        assignInNamespace("indexed_from", 0L, space)
        expect_equal(large$rows[order(large$rows[[1]], large$rows[[2]])],
          small$rows[order(small$rows[[1]], small$rows[[2]])],
          label = paste(names(conditions), by, from))
        expect_equal(large$outside, small$outside)
      }
    }
  }
})
