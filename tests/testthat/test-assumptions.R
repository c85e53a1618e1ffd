test_that("assumptions stand in one table, are set by name and move what they say", {
  skip_unless_studies()
  table <- tide_assumptions()
  expect_false(anyDuplicated(table$name) > 0)
  expect_true(all(table$value > 0 & nzchar(table$about) & nzchar(table$source)))
  expect_true(all(unlist(strsplit(table$moves, " ")) %in%
    c(names(inktide:::finding_kinds()), "forecast", "value")))
  # Each is asked for somewhere, and nothing is asked for that is not there.
  code <- unlist(lapply(ls(asNamespace("inktide")), function(name) {
    object <- get(name, asNamespace("inktide"))
    if (is.function(object)) deparse(object)
  }))
  asked <- unique(unlist(regmatches(code, gregexpr("(?<=assumed\\(\")[a-z_]+", code, perl = TRUE))))
  expect_setequal(asked, table$name)
  summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
  curve <- tide_curve(summary)
  gain <- function(...) {
    found <- tide_find(summary, curve, min_gain = 0, ...)$findings
    vapply(split(found$gain, found$kind), sum, 0)
  }
  usual <- gain()
  moved <- gain(assumptions = list(step_chance = 0.2))
  expect_lt(moved[["striking_distance"]], 0.8 * usual[["striking_distance"]])
  expect_equal(gain(), usual)
  expect_error(tide_find(summary, curve, assumptions = list(merge_risk = 1)),
    class = "tide_error_argument")
  expect_error(tide_assumptions(list(merge_rise = -1)), class = "tide_error_argument")
  dir <- withr::local_tempdir()
  writeLines(c("site: x", "assumptions: {merge_rise: 0.7}"), file.path(dir, "inktide.yml"))
  expect_equal(tide_settings(dir)$assumptions, list(merge_rise = 0.7))
  writeLines(c("site: x", "assumptions: {merge_risk: 0.7}"), file.path(dir, "inktide.yml"))
  expect_error(tide_settings(dir), "line 2", class = "tide_error_settings")
})

# A site on which each kind finds something and each source of facts says something.
varied_site <- function() {
  dir <- tempfile("site")
  tide_demo(dir, seed = 4, days = 130)
  rows <- as.data.table(tide_read(file.path(dir, "exports", "daily.csv"))$tables[[1]]$rows)
  for (column in c("query", "page")) set(rows, j = column, value = as.character(rows[[column]]))
  last <- max(rows$date)
  set.seed(1)
  query <- function(query, path, position, impressions, ctr, days) {
    data.table(date = last - rev(seq_len(days)) + 1L, query = query,
      page = paste0("https://www.fernmoor.example", path),
      clicks = rbinom(days, impressions, ctr), impressions = impressions, position = position)
  }
  # A page and a query that are young, one that another page leads, pages whose CTR fell for good.
  more <- rbind(query("blue moor peas recipe", "/guides/how-to-grow-squash/", 3, 60L, 0.02, 130),
    query("blue moor peas recipe", "/guides/blue-moor-peas-recipe/", 8, 55L, 0.03, 130),
    query("young sprout kit", "/shop/young-sprout-kit/", 7, 90L, 0.05, 20),
    query("young sprout set", "/shop/young-sprout-kit/", 6, 80L, 0.01, 20),
    query("baby sprout kit", "/shop/baby-sprout/", 12, 300L, 0.02, 10))
  fell <- c("/shop/radish/", "/guides/how-to-grow-bean/")
  cut <- sub("^https://[^/]*", "", rows$page) %in% fell & rows$date > last - 60
  rows[cut, "clicks" := rbinom(.N, clicks, 0.25)]
  rows <- rbind(rows, more, use.names = TRUE, fill = TRUE)
  sums <- function(by) {
    rows[, .(clicks = sum(clicks), impressions = sum(impressions),
      position = sum(position * impressions) / sum(impressions)), by = by]
  }
  file <- function(rows) {
    path <- tempfile(fileext = ".csv")
    fwrite(rows, path)
    path
  }
  summary <- tide_summary(as_data(sums(c("date", "query", "page"))),
    brand = inktide:::demo_code()$demo_brand_words)
  names <- summary$queries$query
  facts <- c(tide_facts(file(data.table(query = names, difficulty = seq_along(names) %% 100,
    volume = 5000))), tide_facts(file.path(dir, "page-values.csv")))
  top <- rows[, .(clicks = sum(clicks)), by = "query"][order(-clicks)]$query
  top <- top[!grepl("fern", top)][1:120]
  list(dir = dir, summary = tide_enrich(summary, facts),
    undated = tide_summary(as_data(sums(c("query", "page"))),
    brand = inktide:::demo_code()$demo_brand_words),
    pages = tide_pages_read(file.path(dir, "site-html"), "https://www.fernmoor.example/"),
    events = tide_events(file(data.table(date = format(last - 60), event = "titles",
      pages = paste(fell, collapse = " ")))),
    results = tide_results_pages(file(data.table(query = rep(top, each = 2), place = 1:2,
      address = "https://other.example/", title = "Seeds",
      features = rep(ifelse(seq_along(top) %% 2, "answer", ""), each = 2), date = format(last)))),
    outcomes = data.table(kind = rep(c("low_ctr", "striking_distance"), each = 4),
      query = names[50 + 1:8], task = letters[1:8], done = last - 100,
      verdict = c("worked", "no sign yet"), ratio = c(1.4, 1, 1.6, 1.1, 1.3, 1, 1.7, 0.9),
      ratio_sd = 0.2))
}

# By how much a number is moved where half of it moves nothing on that site.
moved_otherwise <- c(young_days_least = 2, young_missed = 2, feature_queries = 1e4,
  low_confidence = 2, shift_share_pair = 1e4, shift_known_pages = 0.05, shift_chance = 2,
  shift_named = 0.05, shift_least = 4, topic_least_effect = 2, long_tail_clicks = 0.05,
  fall_by_title = 0.05, swap_days = 10, swap_share = 10, together_weeks = 2,
  together_places = 0.05, match_words = 10, match_places = 0.05, mismatch_sd = 1e4,
  mismatch_usual_sd = 10, mismatch_listed = 2, lead_wavers = 10, low_doubtful = 2,
  far_down_places = 10, far_down_from = 10, weighty_days = 0.05, weighty_share = 2,
  moved_confidence = 2, tail_deepest = 0.05)
moved_undated <- c(mixed_chance = 2, together_position = 0.5, undated_doubtful = 0.5,
  undated_likely = 0.5, undated_surest = 0.5, redirect_share = 10, undated_share = 0.5,
  undated_places = 0.5, tail_clicks = 0.5)
# What takes a site of its own stands in the last test.
not_shown <- c("text_match", "match_ahead", "well_off_factor", "weak_page_from",
  "side_by_side_places", "side_by_side_share", "volumes_agree", "review_prior", "low_enough")

derivation_of <- function(found) inktide:::derivation_lines(found, found$findings$id)

test_that("each number that can be set has an effect", {
  skip_unless_studies()
  site <- varied_site()
  shown <- function(found) {
    list(as.data.frame(tidy(found)), derivation_of(found), as.data.frame(found$excluded), format(
      found),
      found$features, nrow(inktide:::useful_tasks(found)$findings), inktide:::list_total(found))
  }
  # Fitted once; of results pages and the site's own only where they matter.
  curve <- tide_curve(site$summary)
  dated <- function(set, kind, beside = FALSE) {
    shown(tide_find(site$summary, curve, kind = kind, pages = if (beside) site$pages,
      events = site$events, results_pages = if (beside) site$results, outcomes = site$outcomes,
      assumptions = set))
  }
  undated_curve <- tide_curve(site$undated)
  undated <- function(set, kind) {
    shown(tide_find(site$undated, undated_curve, kind = kind, assumptions = set))
  }
  found <- tide_find(site$summary, pages = site$pages)
  # A month that is off, and a level that an event changed.
  months <- data.table(month = format(seq(as.Date("2024-05-01"), by = "month",
    length.out = 30), "%Y-%m"),
    clicks = round(1000 * exp(0.02 * sin(1:30)) * rep(c(1, 2), c(18, 12)) *
      replace(rep(1, 30), 10, 6)))
  events <- withr::local_tempfile(fileext = ".csv", lines = c("date,event", "2025-11-01,redesign"))
  forecast <- function(set, rows = months) {
    file <- tempfile(fileext = ".csv")
    fwrite(rows, file)
    history <- tide_history(file, events = tide_events(events), assumptions = set)
    found$assumptions <- set
    plan <- list(some = tide_plan(found, do = 30), bound = tide_plan(found, do = "bound"))
    made <- tide_forecast(history, months = 3, plan = plan, draws = 200, assumptions = set)
    list(made$months, history$months[, c("value", "used", "note")], made$backtest,
      lapply(plan, `[[`, "lines"))
  }
  short <- function(set) forecast(set, months[1:12])
  table <- tide_assumptions()
  expect_true(all(c(names(moved_otherwise), names(moved_undated), not_shown) %in% table$name))
  # Looked for where the table says that it moves something: the kinds alone, or all where it is
  # what a list is worth.
  usual <- list()
  for (name in setdiff(table$name, not_shown)) {
    moves <- strsplit(table$moves[table$name == name], " ")[[1]]
    kind <- intersect(moves, names(inktide:::finding_kinds()))
    if (!length(kind) || "value" %in% moves) kind <- NULL
    way <- if (name == "forecast_season") {
      "short"
    } else if (identical(moves, "forecast")) {
      "forecast"
    } else if (name %in% names(moved_undated)) {
      "undated"
    } else if (grepl("^(said|feature|match|mismatch)_", name)) {
      "beside"
    } else {
      "dated"
    }
    figures <- function(set) {
      switch(way, dated = dated(set, kind), beside = dated(set, kind, TRUE),
        undated = undated(set, kind), forecast = forecast(set), short = short(set))
    }
    as_usual <- paste(c(way, kind), collapse = " ")
    if (is.null(usual[[as_usual]])) usual[[as_usual]] <- figures(NULL)
    times <- c(moved_otherwise, moved_undated, unusual_month = 1e4, event_shift_errors = 1e4,
      event_shift_least = 1e4)[name]
    if (is.na(times)) times <- 0.5
    set <- stats::setNames(list(table$value[table$name == name] * unname(times)), name)
    expect_false(identical(figures(set), usual[[as_usual]]), label = name)
  }
})

# Two pages of one query, each by position and CTR on even and odd weeks.
two_pages <- function(query, paths, positions, impressions, ctr) {
  days <- as.IDate("2026-01-02") + 0:83
  week <- 1L + (seq_along(days) - 1L) %/% 7L %% 2L
  set.seed(9)
  rbindlist(lapply(1:2, function(page) data.table(date = days, query = query,
    page = paste0("https://www.fernmoor.example", paths[page]),
    clicks = rbinom(84, impressions[page, week], ctr), impressions = impressions[page, week],
    position = positions[page, week])))
}

test_that("numbers of contests, small sites, plans and reviews have an effect", {
  skip_unless_studies()
  even <- rbind(c(40L, 35L), c(35L, 40L))
  rows <- rbind(made_site(days = 84),
    # A page and one beneath it that do well; the better match ahead by two places; even turns.
    two_pages("garden trowel", c("/trowel/", "/trowel/steel/"), rbind(c(8, 8), c(9, 9)), even,
      0.03),
    two_pages("seed drill", c("/seed-drill/", "/seed-tools/"), rbind(c(7.5, 7.5), c(9.8, 9.8)),
      even, 0.03),
    two_pages("seed fork", c("/rival1/", "/rival2/"), rbind(c(8, 9), c(9, 8)),
      rbind(c(40L, 20L), c(20L, 40L)), 0.025))
  summary <- tide_summary(as_data(rows))
  curve <- tide_curve(summary)
  site <- withr::local_tempdir()
  for (name in c("rival1", "rival2")) {
    dir.create(file.path(site, name))
    writeLines(if (name == "rival1") "<title>Seed</title><p>A rake.</p>" else {
      "<title>Rival</title><p>A seed fork.</p>"
    },
      file.path(site, name, "index.html"))
  }
  pages <- tide_pages_read(site, "https://www.fernmoor.example/")
  contests <- function(set) {
    found <- tide_find(summary, curve, kind = "cannibalized", pages = pages, assumptions = set)
    list(as.data.frame(tidy(found)), as.data.frame(found$excluded), derivation_of(found))
  }
  small <- tide_summary(as_data(made_site(queries = 12, days = 30)))
  few <- function(set) {
    as.data.frame(tide_find(small, kind = "low_ctr", assumptions = set)$excluded)
  }
  # Two queries of a page, one of them surely low.
  low <- function(set) {
    found <- demo()$found
    at <- data.table(page = 1, expected = c(50, 40, 30, 20, 10, 10), clicks = c(10, 8, 30, 20, 9,
      9))
    judged <- list(confidence = c(0.9, 0.9, 0.1, 0.1, 0.1, 0.1), page_low = 0.4)
    inktide:::local_assumptions(set)
    inktide:::page_shortfalls(at, judged)
  }
  # A query that was shown long ago.
  long <- made_site(queries = 60, days = 130)
  long[query == "query 0007" & date > min(date) + 5, "query" := "query 0008"]
  long <- tide_summary(as_data(long))
  listed <- tide_enrich(long,
    tide_facts(csv("query,volume", sprintf("%s,%d", long$queries$query, 600L))))
  plan <- function(set) {
    found <- tide_find(listed, assumptions = set)
    tide_plan(found, table = data.frame(query = "query 0007", target = 3))$lines
  }
  months <- data.table(month = sprintf("%d-%02d", 2023 + 0:27 %/% 12, 0:27 %% 12 + 1),
    clicks = 1000 * exp(0.02 * sin(1:28)))
  history <- function(rows) {
    tide_history(csv("month,clicks", paste(rows$month, rows$clicks, sep = ",")),
      keep_unusual = TRUE)
  }
  store <- tide_store(withr::local_tempdir())
  tide_load(store, tide_example()[["totals"]])
  for (known in 18:22) {
    inktide:::keep_forecast(store, tide_forecast(history(months[seq_len(known)]), months = 2))
  }
  review <- tide_review(store, history(months[, .(month, clicks = clicks * rep(1:2, c(18, 10)))]))
  widened <- function(set) {
    tide_forecast(history(months), months = 2, review = review, assumptions = set)$widened
  }
  cases <- list(text_match = list(contests, 0.5), match_ahead = list(contests, 1.5),
    well_off_factor = list(contests, 2), side_by_side_places = list(contests, 0.1),
    side_by_side_share = list(contests, 0.5), weak_page_from = list(low, 0.5),
    volumes_agree = list(plan, 4), review_prior = list(widened, 5), low_enough = list(few, 0.5))
  expect_setequal(names(cases), not_shown)
  table <- tide_assumptions()
  for (name in names(cases)) {
    set <- list(table$value[table$name == name] * cases[[name]][[2]])
    expect_false(identical(cases[[name]][[1]](stats::setNames(set, name)), cases[[name]][[1]](
      NULL)),
      label = name)
  }
})
