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
  cases <- list(list(measure = "ctr", clicks = 1.5), list(measure = "demand", demand = 0.6),
    list(measure = "position", position = 2))
  held <- logical()
  for (case in rep(cases, each = 4)) {
    seed <- length(held) + 1
    data <- as_data(do.call(paged, c(list(seed), case[-1])))
    shifts <- tide_event_effects(data, marks())
    expect_equal(shifts$measure, c("clicks", "demand", "position", "ctr"))
    own <- shifts[shifts$measure == case$measure, ]
    expect_equal(own$verdict, if (case$measure == "ctr") "rose" else "fell")
    held[seed] <- case$measure == "position" ||
      (own$ratio_low < case[[2]] && own$ratio_high > case[[2]])
    expect_equal(log(shifts$ratio[1]), sum(log(shifts$ratio[-1])), tolerance = 0.02)
    expect_equal(unique(shifts$touched), 3L)
  }
  # Of eight intervals of 90 % at most two miss.
  expect_gte(sum(held[1:8]), 6)
})

test_that("where nothing happened, stated intervals hold the truth about as often as stated", {
  skip_unless_studies()
  verdicts <- unlist(lapply(1:12, function(seed) {
    tide_event_effects(as_data(paged(seed, pages = 30)), marks())$verdict
  }))
  expect_lt(mean(verdicts != "no sign"), 0.25)
  expect_equal(unique(tide_event_effects(as_data(paged()), marks(day = "2026-04-20"))$verdict),
    "too few days")
  # Where no other weeks show how far the site moves anyway, nothing is told.
  whole <- tide_event_effects(as_data(paged(days = 84)), marks(pages = ""))
  expect_equal(unique(whole$verdict), "too few days")
  long <- tide_event_effects(as_data(paged(days = 300)), marks(pages = ""))
  expect_equal(unique(long$against), "other weeks")
  expect_true(all(long$verdict == "no sign"))
})

test_that("an event of the whole site is judged at any date, by the same days as at other dates", {
  data <- as_data(paged(days = 240))
  days <- range(paged(days = 240)$date)
  curve <- tide_curve(tide_summary(data))
  dates <- seq(days[1] + 20, days[2] - 20, by = 37)
  expect_silent(effects <- lapply(as.character(dates), function(day) {
    tide_event_effects(data, marks("", day), curve)
  }))
  effects <- rbindlist(effects)
  expect_false(anyNA(effects$ratio))
  expect_lt(mean(effects$verdict %in% c("rose", "fell")), 0.3)
  expect_false(any(grepl("NA to tell", format(effects$verdict))))
})
