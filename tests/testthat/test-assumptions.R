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
    brand = inktide:::demo_brand_words)
  names <- summary$queries$query
  facts <- c(tide_facts(file(data.table(query = names, difficulty = seq_along(names) %% 100,
    volume = 5000))), tide_facts(file.path(dir, "page-values.csv")))
  top <- rows[, .(clicks = sum(clicks)), by = "query"][order(-clicks)]$query
  top <- top[!grepl("fern", top)][1:120]
  list(dir = dir, summary = tide_enrich(summary, facts),
    undated = tide_summary(as_data(sums(c("query", "page"))), brand = inktide:::demo_brand_words),
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

test_that("each number that can be set has an effect", {
  skip_unless_studies()
  site <- varied_site()
  shown <- function(found) {
    list(as.data.frame(found$findings), found$how, as.data.frame(found$aside), format(found),
      found$features, nrow(inktide:::useful_tasks(found)$findings), inktide:::list_total(found))
  }
  dated <- function(set) {
    shown(tide_find(site$summary, pages = site$pages, events = site$events,
      results_pages = site$results, outcomes = site$outcomes, assumptions = set))
  }
  undated <- function(set) shown(tide_find(site$undated, assumptions = set))
  months <- file.path(site$dir, "monthly-totals.csv")
  found <- tide_find(site$summary, pages = site$pages)
  forecast <- function(set) {
    history <- tide_history(months, events = site$events, assumptions = set)
    found$assumptions <- set
    plan <- list(some = tide_plan(found, do = 3), bound = tide_plan(found, do = "bound"),
      new = tide_plan(found, table = file.path(site$dir, "plan.csv")))
    made <- tide_forecast(history, months = 4, plan = plan, draws = 200, assumptions = set)
    list(made$months, made$history$months, made$backtest, lapply(plan, `[[`, "lines"))
  }
  table <- tide_assumptions()
  # Wrong leaders, families of pages and thin sites are those of test-cannibalized.R, test-low-ctr.R.
  own_tests <- c("text_match", "match_ahead", "mismatch_sd", "well_off_factor", "weak_page_from",
    "low_enough", "review_prior", "event_shift_least", "event_shift_errors", "unusual_month",
    "method_prior", "forecast_sd_short")
  usual <- list(dated(NULL), undated(NULL), forecast(NULL))
  idle <- Filter(function(name) {
    ways <- if (table$moves[table$name == name] == "forecast") {
      list(forecast)
    } else {
      list(dated, undated, forecast)
    }
    at <- if (length(ways) == 1) 3L else 1:3
    for (times in c(0.5, 2, 0.05, 10, 1e6)) {
      set <- stats::setNames(list(table$value[table$name == name] * times), name)
      for (i in seq_along(ways)) {
        if (!identical(ways[[i]](set), usual[[at[i]]])) return(FALSE)
      }
    }
    TRUE
  }, setdiff(table$name, own_tests))
  expect_equal(idle, character())
})
