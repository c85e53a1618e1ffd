test_that("parts add up from pair to site on every level, to the last click", {
  data <- as_data(made_site(queries = 120, days = 70))
  curve <- tide_curve(tide_summary(data))
  site <- tide_compare(data, by = "site", curve = curve)$moves
  for (level in c("pair", "query", "page", "folder", "topic")) {
    moves <- tide_compare(data, by = level, curve = curve)$moves
    expect_equal(rowSums(moves[, inktide:::part_names, with = FALSE]), moves$change)
    for (column in c("change", inktide:::part_names, "clicks_before")) {
      expect_equal(sum(moves[[column]]), site[[column]])
    }
  }
})

test_that("each planted cause carries its change, and what stands still is no mover", {
  rows <- made_site(queries = 150, days = 56, demand = rep(30, 150))
  later <- rows$date > as.IDate("2026-01-29")
  take <- function(name) rows$query == name & later
  at <- take("query 0004")
  rows[at, c("position", "clicks") := list(9, rbinom(.N, impressions, made_curve[9]))]
  rows[query == "query 0004" & !later,
    c("position", "clicks") := list(2, rbinom(.N, impressions, made_curve[2]))]
  less <- take("query 0010")
  rows[less, c("impressions", "clicks") :=
    list(impressions %/% 4L, rbinom(.N, impressions %/% 4L, made_curve[pmax(1, position)]))]
  snippet <- rows$query == "query 0016"
  rows[snippet, position := 2]
  rows[snippet, clicks :=
    rbinom(.N, impressions, made_curve[2] * ifelse(date > as.IDate("2026-01-29"), 0.3, 1))]
  rows <- rows[!take("query 0022")]
  moves <- tide_compare(as_data(rows))$moves
  cause <- c("query 0004" = "by_position", "query 0010" = "by_demand", "query 0016" = "by_ctr",
    "query 0022" = "by_new_lost")
  for (name in names(cause)) {
    own <- which(moves$name == name)
    line <- moves[own]
    expect_gt(line[[cause[[name]]]] / line$change, 0.8)
  }
  expect_true(all(moves$significant[moves$name %in% c("query 0004", "query 0016", "query 0022")]))
  expect_lt(mean(moves$significant[!moves$name %in% names(cause)]), 0.03)
  expect_equal(moves$status[moves$name == "query 0022"], "lost")
  expect_match(paste(format(tide_compare(as_data(rows))), collapse = " "), " 1 lost \\(-")
})

test_that("a season that moves all makes no movers, windows are checked and missing days said", {
  rows <- made_site(queries = 150, days = 56, demand = rep(30, 150))
  rows <- rbind(rows[date <= as.IDate("2026-01-29")],
    rows[date > as.IDate("2026-01-29")][,
      c("clicks", "impressions") := list(2L * clicks, 2L * impressions)])
  moves <- tide_compare(as_data(rows[date != as.IDate("2026-02-10")]))
  expect_lt(mean(moves$moves$significant), 0.05)
  expect_equal(moves$windows$missing, c(0L, 1L))
  expect_gt(moves$site$by_demand / moves$site$change, 0.9)
  expect_match(paste(format(moves), collapse = " "), "a season changes too")
  data <- as_data(rows)
  expect_error(tide_compare(data, after = c("2030-01-01", "2030-01-28")),
    class = "tide_error_window")
  expect_error(tide_compare(data, after = c("2026-02-01", "2026-02-14"),
    before = c("2026-01-20", "2026-02-01")),
    class = "tide_error_window")
  expect_error(tide_compare(data, before = "year"), class = "tide_error_window")
})

test_that("events that only one window has are told, those of both are not", {
  file <- withr::local_tempfile(fileext = ".csv",
    lines = c("date,event,pages", "2026-01-10,Easter,", "2026-02-20,easter,",
      "2026-02-25,Titles rewritten,/p1/", "2026-01-12,Sale,", "2025-05-01,Relaunch,"))
  windows <- list(before = as.IDate(c("2026-01-01", "2026-01-31")),
    after = as.IDate(c("2026-02-01", "2026-02-28")))
  apart <- inktide:::events_apart(tide_events(file)$marks, windows)
  expect_equal(apart[, c("event", "window")],
    data.table(event = c("Sale", "Titles rewritten"), window = c("before", "after")))
  expect_equal(inktide:::events_line(list(events = apart)),
    paste("only in the later window: Titles rewritten (2026-02-25, some pages);",
      "only in the earlier window: Sale (2026-01-12)"))
  expect_null(inktide:::events_line(list(events = apart[0])))
  data <- as_data(made_site(queries = 40, days = 60))
  last <- max(data$tables[[1]]$rows$date)
  writeLines(c("date,event", sprintf("%s,New shop", format(last - 3))), file)
  expect_match(paste(format(tide_compare(data, events = tide_events(file))), collapse = " "),
    "only in the later window: New shop")
})

test_that(
  "two segments are held against each other line by line, and a planted difference is found",
  {
    rows <- made_site(queries = 200, days = 40, demand = rep(20, 200))
    rows[query == "query 0030",
      c("position", "clicks") := list(2, rbinom(.N, impressions, made_curve[2]))]
    phone <- copy(rows)[, c("device", "clicks") := list("mobile",
      rbinom(.N, impressions, 0.6 * made_curve[position] * ifelse(query == "query 0030", 0.2, 1)))]
    both <- as_data(rbind(phone, rows[, "device" := "desktop"]))
    segments <-
      list(tide_segment("phone", device = "mobile"), tide_segment("computer", device = "desktop"))
    moves <- tide_compare(both, "query", segments = segments)
    expect_equal(moves$sides, c("computer", "phone"))
    clicks <- function(own) sum(own$clicks)
    expect_equal(moves$site$clicks_before, clicks(rows))
    expect_equal(moves$site$clicks_after, clicks(phone))
    # All are clicked less on phones, which is the segments' difference; one is clicked less than
    # that.
    expect_gt(moves$site$by_ctr / moves$site$change, 0.95)
    expect_equal(moves$moves$name[moves$moves$significant], "query 0030")
    for (level in c("page", "folder", "site")) {
      expect_equal(sum(tide_compare(both, segments = segments, by = level)$moves$change),
        moves$site$change)
    }
    told <- paste(format(moves), collapse = " ")
    expect_match(told, "phone against computer")
    expect_match(told, "fewer clicks in phone than in computer")
    # Exchanged, everything has the other sign; one segment is held against the rest, which is the
    # other here.
    turned <- tide_compare(both, "query", segments = rev(segments))$moves
    expect_equal(turned$change[match(moves$moves$name, turned$name)], -moves$moves$change)
    expect_equal(tide_compare(both, "query", segments = segments[[1]])$moves$change,
      moves$moves$change)
    # Without dates the days are said to be assumed.
    undated <- as_data(rbind(phone, rows, fill = TRUE)[,
      .(clicks = sum(clicks), impressions = sum(impressions),
        position = sum(position * impressions) / sum(impressions)),
      by = c("query", "page", "device")])
    expect_match(paste(format(tide_compare(undated, "query", segments = segments)), collapse = " "),
      "phone against computer \\(no dates\\)")
    # A table without pages is compared too, query by query.
    no_pages <- as_data(rbind(phone, rows)[, !"page"])
    expect_equal(tide_compare(no_pages, "query", segments = segments)$site$change,
      moves$site$change)
    expect_error(tide_compare(both, segments = rep(segments, 2)), class = "tide_error_argument")
    expect_error(tide_compare(both, "query", segments = tide_segment("none", query = "^nobody")),
      class = "tide_error_nothing_left")
    expect_error(tide_compare(as_data(rows[, !"device"]), "query", segments = segments),
      class = "tide_error_grain")
  })

test_that("at every level it is said once whether the site's own change is significant", {
  data <- as_data(made_site(queries = 60, days = 60))
  for (by in c("query", "page", "site")) {
    said <- paste(format(tide_compare(data, by = by), width = 500), collapse = "\n")
    expect_equal(lengths(regmatches(said, gregexpr("The change is (not )?significant", said))), 1,
      label = by)
  }
})
