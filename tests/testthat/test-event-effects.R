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
  expect_equal(tidy(events)$event, c("Titles; new", "Update"))
  expect_equal(tidy(events)$pages, c("/a/* /b/", ""))
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
    own <- shifts[shifts$measure == case$measure, ]
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
