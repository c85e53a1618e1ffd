# Pages of a made-up site by day: page 1 to 3 change at day 57 by the given factors.
paged <- function(seed = 1, days = 112, clicks = 1, position = 1, demand = 1, pages = 40) {
  set.seed(seed)
  d <- data.table::CJ(page = seq_len(pages), day = seq_len(days))
  later <- d$page <= 3 & d$day > 56
  home <- 1 + d$page %% 5
  at <- pmin(20, ifelse(later, home * position, home))
  impressions <- rpois(nrow(d), 120 * exp(rnorm(pages, 0, 0.4))[d$page] *
    (1 + 0.3 * sin(d$day / 30)) * ifelse(later, demand, 1)) + 1L
  rate <- approx(seq_along(made_curve), made_curve, at, rule = 2)$y * ifelse(later, clicks, 1)
  data.table::data.table(date = as.IDate("2026-01-01") + d$day, query = sprintf("query %d", d$page),
    page = sprintf("https://www.fernmoor.example/%s/p%d/", ifelse(d$page <= 3, "a", "b"), d$page),
    clicks = rbinom(nrow(d), impressions, pmin(0.9, rate)), impressions = impressions,
    position = at)
}
events_file <- function(lines) {
  withr::local_tempfile(lines = lines, fileext = ".csv", .local_envir = parent.frame())
}
marks <- function(pages = "/a/*", day = "2026-02-27") {
  tide_events(events_file(c("date,event,pages", sprintf("%s,Rewritten,%s", day, pages))))
}

test_that("events are read in their spellings, and each mistake is named by line", {
  file <-
    events_file(c("Event;Date;URL", "Update;2026-02-01;", "\"Titles; new\";2026-01-15;/a/* /b/"))
  events <- tide_events(file)
  expect_equal(events$event, c("Titles; new", "Update"))
  expect_equal(events$pages, c("/a/* /b/", ""))
  expect_match(format(events)[1], "2 events")
  expect_error(tide_events(events_file(c("day,what", "2026-13-01,x"))), "line 2",
    class = "tide_error_not_date")
  expect_error(tide_events(events_file(c("date,event", "2026-01-01,x", "2026-01-02,"))), "line 3",
    class = "tide_error_event")
  expect_error(tide_events(events_file(c("date,clicks", "2026-01-01,3"))),
    class = "tide_error_columns_missing")
  keys <- c("x.example/a/p1", "x.example/a", "x.example/ab", "x.example/b?c=1")
  expect_equal(inktide:::touched_pages("/a/*", keys), 1:2)
  expect_equal(inktide:::touched_pages("https://x.example/ab/", keys), 3L)
  expect_null(inktide:::touched_pages("", keys))
})

test_that("each planted cause is told by its measure, and logs add up", {
  for (case in list(list(measure = "click_through", clicks = 1.5),
      list(measure = "demand", demand = 0.6), list(measure = "position", position = 2))) {
    data <- as_data(do.call(paged, case[-1]))
    shifts <- tide_event_effects(data, marks())
    expect_equal(shifts$measure, c("clicks", "demand", "position", "click_through"))
    own <- shifts[shifts$measure == case$measure]
    expect_equal(own$verdict, if (case$measure == "click_through") "rose" else "fell")
    if (case$measure != "position") {
      expect_true(own$ratio_low < case[[2]] && own$ratio_high > case[[2]])
    }
    expect_equal(log(shifts$ratio[1]), sum(log(shifts$ratio[-1])), tolerance = 0.02)
    expect_equal(unique(shifts$touched), 3L)
  }
})

test_that("where nothing happened, stated intervals hold the truth about as often as stated", {
  verdicts <- unlist(lapply(1:12, function(seed) {
    tide_event_effects(as_data(paged(seed, pages = 30)), marks())$verdict
  }))
  expect_lt(mean(verdicts != "no sign"), 0.25)
  expect_equal(unique(tide_event_effects(as_data(paged()), marks(day = "2026-04-20"))$verdict),
    "too few days")
  whole <- tide_event_effects(as_data(paged()), marks(pages = ""))
  expect_equal(unique(whole$against), "its own trend")
  long <- tide_event_effects(as_data(paged(days = 300)), marks(pages = ""))
  expect_equal(unique(long$against), "other weeks")
  expect_true(all(long$verdict == "no sign"))
})

test_that("a change point is found at its day with the nearest event, and none where none is", {
  changed <- tide_change_points(as_data(paged(clicks = 2.5)), events = marks())
  expect_setequal(unique(sub(".*/(p\\d+)/", "\\1", changed$name[changed$level == "page"])),
    c("p1", "p2", "p3"))
  expect_true(all(changed$measure == "click_through" &
    abs(as.integer(changed$date - as.IDate("2026-02-27"))) <= 3))
  expect_equal(unique(changed$event), "Rewritten")
  expect_lte(mean(vapply(1:6, function(seed) nrow(tide_change_points(as_data(paged(seed)))) > 0, NA)),
    1 / 3)
})

test_that("what a folder or the site as a whole does at once is found as such, and its searches' season is not",
  {
    found <- function(rows) tide_change_points(as_data(rows), events = marks(pages = ""))
    # The folder of three loses a half, too little to be sure of any one of its pages.
    folder <- found(paged(seed = 2, clicks = 0.5))
    expect_equal(folder[, c("level", "name", "measure")],
      data.table(level = "folder", name = "/a/", measure = "click_through"))
    expect_true(folder$ratio_low < 0.5 && folder$ratio_high > 0.5)
    site <- paged(seed = 3, days = 200)
    site[date > as.IDate("2026-04-10"), "clicks" := rbinom(.N, clicks, 0.6)]
    all <- found(site)
    expect_equal(all$name[all$level == "site"], "all pages")
    expect_equal(all$measure[all$level == "site"], "click_through")
    expect_lte(abs(as.integer(all$date[all$level == "site"] - as.IDate("2026-04-11"))), 3)
    expect_true(
      all$ratio_low[all$level == "site"] < 0.6 && all$ratio_high[all$level == "site"] > 0.6)
    # Nothing is left for the pages, since all of them moved.
    expect_false("page" %in% all$level)
    # Two days of bots on all pages are no change of the site.
    bots <- paged(seed = 3, days = 200)
    bots[date %in% as.IDate(c("2026-04-11", "2026-04-12")), "impressions" := impressions * 6L]
    expect_equal(nrow(found(bots)), 0)
    quiet <- vapply(1:6,
      function(seed) nrow(tide_change_points(as_data(paged(seed, days = 200, pages = 20)))), 0L)
    expect_lte(mean(quiet > 0), 1 / 3)
    expect_match(inktide:::found_change_lines(all)[1],
      "the whole site: click-through at equal position -")
  })

test_that("unusual days are named for what they look like, and can be left out", {
  rows <- paged(days = 90)
  day <- function(n) as.IDate("2026-01-01") + n
  rows[date == day(40), clicks := 0L]
  rows[date %in% day(60:61), impressions := impressions * 4L]
  rows[date == day(75), c("clicks", "impressions") := list(clicks * 3L, impressions * 3L)]
  odd <- tide_unusual(as_data(rows[date != day(50)]))
  expect_equal(odd$what, c("clicks missing", "no rows", "seen, not clicked", "surge"))
  expect_equal(odd$from, day(c(40, 50, 60, 75)))
  expect_equal(odd$days, c(1L, 1L, 2L, 1L))
  kept <- tide_filter(as_data(rows), without = odd)
  expect_equal(sum(kept$left_out$rows), sum(rows$date %in% day(c(40, 50, 60, 61, 75))))
  quiet <- vapply(1:20, function(seed) {
    set.seed(seed)
    nrow(inktide:::unusual_runs(data.table::data.table(date = day(1:120),
      clicks = rnbinom(120, mu = 60, size = 30), impressions = rnbinom(120, mu = 2000, size = 30)),
      1L))
  }, 0L)
  expect_lt(mean(quiet > 0), 0.15)
})

test_that("pages are followed by week with gaps as gaps, and sums agree with the data", {
  rows <- paged(days = 84)
  rows <-
    rows[!(query == "query 4" & date >= as.IDate("2026-02-01") & date < as.IDate("2026-02-15"))]
  rows <- rbind(rows, data.table::copy(rows)[,
    c("query", "clicks", "position") := list(sub("query", "other", query), 0L, position + 5)])
  data <- as_data(rows)
  followed <- tide_follow(data, c("/b/p4/", "/a/*"), events = marks())
  expect_equal(nrow(followed$pages), 4 * 12)
  expect_true(anyNA(followed$pages$clicks))
  expect_equal(sum(followed$pages$clicks, na.rm = TRUE),
    sum(rows$clicks[grepl("/a/|/p4/", rows$page)]))
  expect_true(all(followed$pages$queries == 2, na.rm = TRUE))
  one <- followed$lines[query == "query 1"]
  expect_equal(unique(round(one$position, 6)), 2)
  expect_equal(sum(followed$bands$queries[followed$bands$page == followed$pages$page[1]]), 24)
  for (type in c("positions", "click_through", "queries")) {
    expect_s3_class(ggplot2::ggplot_build(ggplot2::autoplot(followed, type))$plot, "ggplot")
  }
  expect_match(paste(format(followed), collapse = " "), "Rewritten")
  expect_error(tide_follow(data, "/nowhere/"), "/", class = "tide_error_follow")
  by_day <- tide_follow(data, "/b/p4/", by = "day", leading = "clicks", lines = 1)
  expect_equal(nrow(by_day$lines), 84)
  # With clicks on one of two queries only, that one leads by clicks; each page's first has rank 1.
  expect_equal(unique(by_day$lines$query), "query 4")
  expect_equal(sort(unique(followed$lines$rank)), 1:2)
})

test_that("the program follows pages, tests events and leaves days out; the report opens with what happened",
  {
    dir <- withr::local_tempdir()
    data.table::fwrite(paged(clicks = 1.6), file.path(dir, "a.csv"))
    writeLines(c("date,event,pages", "2026-02-27,Titles rewritten,/a/*"),
      file.path(dir, "events.csv"))
    run <- function(...) program(..., "--lag", "0", dir = dir)
    shown <- run("follow", "a.csv", "--events", "events.csv", "--of", "/a/*", "--figure", "f.png")
    expect_equal(shown$status, 0)
    expect_match(paste(shown$out, collapse = " "), "Titles rewritten.*rose")
    expect_gt(file.size(file.path(dir, "f.png")), 10000)
    events <- data.table::fread(text = run("follow", "a.csv", "--events", "events.csv", "--view",
      "events", "--format", "csv")$out)
    expect_equal(events$verdict[events$measure == "click_through"], "rose")
    expect_equal(run("follow", "a.csv", "--view", "events", "--format", "csv")$status, 2)
    lines <- data.table::fread(text = run("follow", "a.csv", "--view", "lines", "--by", "day",
      "--without", "2026-03-01..2026-03-03", "--format", "csv", "--of", "/a/p1/")$out)
    expect_equal(sum(is.na(lines$clicks)), 3)
    expect_equal(run("follow", "a.csv", "--without", "yesterday")$status, 2)
    expect_equal(run("report", "a.csv", "--events", "events.csv", "--out", "r.html")$status, 0)
    html <- paste(readLines(file.path(dir, "r.html"), warn = FALSE), collapse = "\n")
    expect_match(html, "clicks a month, ")
    expect_match(html, "Titles rewritten")
    expect_match(html, "id='time'")
    expect_equal(
      run("compare", "a.csv", "--level", "page", "--format", "xlsx", "--out", "m.xlsx")$status, 0)
    sheet <- openxlsx::read.xlsx(file.path(dir, "m.xlsx"), 1)
    expect_equal(sheet$demand + sheet$position + sheet$click_through + sheet$mix, sheet$change,
      tolerance = 1e-6)
  })
