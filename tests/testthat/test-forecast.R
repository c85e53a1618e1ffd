months_from <- function(first, n) {
  as.IDate(seq(as.Date(first), by = "month", length.out = n))
}

past <- function(n = 36, season = 0.3, growth = 0.01, noise = 0.03, seed = 1,
    first = "2023-10-01") {
  set.seed(seed)
  i <- seq_len(n)
  data.table(month = months_from(first, n),
    clicks = 5000 * exp(season * sin(2 * pi * i / 12) + growth * i + rnorm(n, 0, noise)))
}

past_file <- function() {
  rows <- past(24)
  csv("month,clicks", sprintf("%s,%.0f", format(rows$month, "%Y-%m"), rows$clicks))
}

made_plan <- function(done = 100, chance = 1, month = "2026-10-01", per_month = 5000,
    query = paste("query", seq_along(done))) {
  lines <- data.table(id = "", query = query, page = "/a/", month = as.IDate(month),
    target = NA_real_, target_ctr = NA_real_, position = NA_real_, ctr = NA_real_, done = done,
    done_low = 0.7 * done, done_high = 1.4 * done, chance = chance, hours = 1, remark = "")
  structure(list(lines = lines, per_month = per_month, bound = FALSE), class = "tide_plan")
}

test_that("days make whole months, scaled for unusual days, the rest left out", {
  days <- data.table(date = as.IDate("2026-01-10") + 0:180)
  days[, c("clicks", "impressions", "position") := list(100L, 1000L, 5)]
  days[date == as.IDate("2026-04-07"), "clicks" := 0L]
  history <- tide_history(as_data(days))
  months <- history$months
  expect_equal(months$month, months_from("2026-02-01", 5))
  expect_equal(months$used, 100 * c(28, 31, 30, 31, 30))
  expect_equal(months$note, c("", "", "1 unusual day replaced", "", ""))
  expect_equal(history$left_out, as.IDate(c("2026-01-01", "2026-07-01")))
  kept <- tide_history(as_data(days), keep_unusual = TRUE)$months
  expect_equal(kept$used[3], 2900)
  set_one <- data.frame(month = "2026-03-01", value = 2000)
  hand <- tide_history(as_data(days), by_hand = set_one)$months
  expect_equal(hand$used[2], 2000)
  expect_equal(hand$note[2], "set by hand")
})

test_that("segments are the sums of their rows, and a month far off is replaced from two years on",
  {
    rows <- made_site(queries = 40, days = 160)
    rows[1:2000, "query" := paste("fernmoor", query)]
    # A file read has its texts as factors.
    coded <- copy(rows)[, c("query", "page") := lapply(.SD, factor), .SDcols = c("query", "page")]
    whole <- rows[, .(value = sum(clicks)), by = .(month = as.IDate(format(date, "%Y-%m-01")))]
    names <- list(brand = c("brand", "non-brand"),
      folder = unique(sub("https://www.fernmoor.example", "", rows$page, fixed = TRUE)),
      page = unique(rows$page))
    for (data in list(as_data(rows), as_data(coded))) for (by in names(names)) {
      parts <- tide_history(data, by = by, rules = tide_rules(brand = "fernmoor"), most = 1000,
        keep_unusual = TRUE)$months
      sums <- parts[, .(value = sum(value)), by = "month"]
      expect_equal(sums$value, whole$value[match(sums$month, whole$month)], label = by)
      expect_setequal(parts$segment, names[[by]])
    }
    odd <- past(noise = 0.01)
    odd[20, "clicks" := 3 * clicks]
    history <- tide_history(odd)$months
    expect_equal(which(history$note != ""), 20)
    expect_equal(history$used[20], odd$clicks[20] / 3, tolerance = 0.1)
    expect_equal(tide_history(odd, keep_unusual = TRUE)$months$used, odd$clicks)
    # What is true of every segment is said once.
    both <- rbind(cbind(odd, segment = "/a/"), cbind(odd, segment = "/b/"))
    said <- grep("replaced", format(tide_history(both)), value = TRUE)
    expect_equal(said, "  May 2025: unusual month replaced")
    both[segment == "/b/", "clicks" := past(noise = 0.01)$clicks]
    said <- grep("replaced", format(tide_history(both)), value = TRUE)
    expect_equal(said, "  /a/, May 2025: unusual month replaced")
  })

test_that("tables of months that cannot be meant stop with one clear error", {
  file <- function(...) csv("month,clicks", ...)
  cases <- list(list(c("2026-01,1", "2026-01,2"), "range"), list("2026-13,1", "range"),
    list("2026-01,-5", "range"), list("2026-01,many", "range"), list("2026-01,5", "thin"))
  for (case in cases) {
    expect_error(do.call(tide_history, list(do.call(file, as.list(case[[1]])))),
      class = paste0("tide_error_", case[[2]]))
  }
  expect_error(tide_history(csv("clicks", "1")), class = "tide_error_columns_missing")
  expect_error(
    tide_history(as_data(data.table(query = "a", clicks = 1, impressions = 2, position = 1))),
    class = "tide_error_grain")
  # A month or two are filled in and named, of what lies before a longer gap the number is said.
  filled <- tide_history(past(20)[-(8:9)])
  expect_equal(nrow(filled$months), 20)
  expect_equal(filled$months$note[8:9], rep("missing, filled in", 2))
  expect_equal(filled$months$used[8:9], past(20)$clicks[8:9], tolerance = 0.25)
  long <- tide_history(past(20)[-(6:8)])
  expect_equal(nrow(long$months), 12)
  expect_match(format(long), "before a gap: 5 months", all = FALSE)
})

test_that("weeks are shared out over their days, and a table says which of its figures counts", {
  weeks <- as.Date("2025-01-06") + 7 * 0:40
  file <- csv("date,clicks,conversions", sprintf("%s,700,7", weeks))
  months <- tide_history(file)$months
  expect_equal(months$value, 100 * inktide:::days_in_month(months$month))
  expect_equal(tide_history(file, of = "conversions")$months$value, months$value / 100)
  expect_error(tide_history(file, of = "value"), class = "tide_error_columns_missing")
})

test_that("a series that stands still is forecast to stand still, and a season to come again", {
  skip_unless_studies()
  flat <- past(24, season = 0, growth = 0, noise = 0)
  said <- tide_forecast(tide_history(flat), months = 4)$months
  by_day <- said$baseline / c(31, 30, 31, 31)[seq_len(4)]
  months <- tide_history(flat)$months
  last <- tail(months$used / inktide:::days_in_month(months$month), 12)
  expect_true(all(by_day > 0.97 * min(last) & by_day < 1.03 * max(last)))
  expect_true(all(diff(log(said$baseline_high / said$baseline_low)) > 0))
  expect_true(all(
    said$baseline_low_95 < said$baseline_low & said$baseline_high < said$baseline_high_95))
  wave <- past(42)
  said <- tide_forecast(tide_history(wave[1:36]), months = 6)$months
  expect_equal(said$baseline, wave$clicks[37:42], tolerance = 0.08)
})

test_that("weights add up to one and rest on months known by then alone", {
  set.seed(2)
  errors <- CJ(origin = 10:20, horizon = 1:3, method = c("a", "b"))
  errors[, "error" := rnorm(.N, 0, ifelse(method == "a", 0.02, 0.2))]
  weights <- inktide:::method_weights(errors, c("a", "b"), 23)
  expect_equal(sum(weights), 1)
  expect_gt(weights[["a"]], 0.95)
  later <- copy(errors)[origin + horizon > 15, "error" := 99]
  expect_equal(inktide:::method_weights(later, c("a", "b"), 15),
    inktide:::method_weights(errors, c("a", "b"), 15))
  expect_equal(unname(inktide:::method_weights(errors, c("a", "b"), 5)), c(0.5, 0.5))
})

test_that("what a plan adds is if done x chance, grown over the ramp, on a flat site", {
  flat <- past(24, season = 0, growth = 0, noise = 0.001, first = "2024-04-01")
  history <- tide_history(flat)
  per_month <-
    mean(tail(history$months$used / inktide:::days_in_month(history$months$month), 3)) * 30
  plan <- made_plan(c(100, 50), c(1, 0.4), "2026-05-01", per_month)
  said <- tide_forecast(history, months = 5, plan = plan, ramp = 2, draws = 20000)
  month <- inktide:::days_in_month(said$months$month) / 30
  start <- match(as.IDate("2026-05-01"), said$months$month)
  ramp <- pmin(1, pmax(0, (seq_len(5) - start + 1) / 2))
  expect_equal(said$months$added, 120 * ramp * month, tolerance = 0.03)
  expect_equal(said$months$total, said$months$baseline + said$months$added)
  by_line <- said$tasks[, .(added = sum(added)), by = "month"]
  expect_equal(by_line$added, said$months$added, tolerance = 0.03)
  # Draws decide nothing but noise, and the same seed the same figures.
  again <- tide_forecast(history, months = 5, plan = plan, ramp = 2, draws = 20000)
  expect_equal(again$months, said$months)
})

test_that("a plan in YAML is one in a table, each line with a ramp of its own", {
  found <- demo()$found
  query <- found$findings$query[1]
  file <- withr::local_tempfile(fileext = ".yml", lines = c(
    sprintf("- {query: \"%s\", target: 1.5, month: 2026-12, ramp: 1}", query),
    sprintf("- {id: %s, hours: 2}", found$findings$id[nrow(found$findings)])))
  lines <- tide_plan(found, table = file)$lines
  table <- tide_plan(found, table = data.frame(id = c("", tail(found$findings$id, 1)),
    query = c(query, ""), target = c("1.5", ""), month = c("2026-12", ""), hours = c("", "2"),
    ramp = c("1", "")))$lines
  expect_equal(lines, table)
  expect_equal(lines$ramp, c(1, NA))
  writeLines("- {query: kale, aim: 3}", file)
  expect_error(tide_plan(found, table = file), class = "tide_error_columns_missing")
  plan <- made_plan(c(100, 100))
  plan$lines$ramp <- c(1, NA)
  said <- tide_forecast(past(24, first = "2024-10-01"), months = 3, plan = plan, ramp = 3)
  first <- said$tasks[month == min(month)]
  expect_equal(first$added[1] / first$added[2], 3, tolerance = 0.05)
  expect_equal(predict(said, "2026-11")$month, as.IDate("2026-11-01"))
  expect_equal(nrow(predict(said)), 3)
  expect_error(predict(said, "2030-01"), class = "tide_error_argument")
})

test_that("ranges of a plan hold what comes where tasks work or not and bring more or less", {
  months <- months_from("2026-04-01", 4)
  days <- inktide:::days_in_month(months)
  base <- matrix(5000 / 30 * days, 500, 4, byrow = TRUE)
  held <- vapply(1:150, function(seed) {
    set.seed(seed)
    done <- rlnorm(12, log(80), 0.8)
    chance <- runif(12, 0.2, 0.9)
    added <- inktide:::draw_plan(made_plan(done, chance, "2026-04-01"), months, base, 1, 500)$added
    range <- quantile(added[, 4], c(0.1, 0.9)) / (days[4] / 30)
    shared <- rnorm(1)
    z <- sqrt(1 / 3) * shared + sqrt(2 / 3) * rnorm(12)
    came <- sum(done * exp(0.21 * z) * (runif(12) < chance))
    c(came >= range[1] & came <= range[2], mean(added[, 4]) / (days[4] / 30) / sum(done * chance))
  }, c(0, 0))
  expect_gte(mean(held[1, ]), 0.75)
  expect_lte(mean(held[1, ]), 0.87)
  expect_equal(mean(held[2, ]), 1, tolerance = 0.06)
})

test_that("ranges of baselines hold what comes, and the weighted forecast beats the straight line",
  {
    skip_unless_studies()
    held <- rbindlist(lapply(1:24, function(seed) {
      set.seed(seed)
      n <- sample(c(16, 26, 36), 1) + 6
      times <- c(0.2, 1, 3)[1 + seed %% 3]
      y <- 5000 * exp(cumsum(rnorm(n, 0, 0.03 * times)) +
        0.25 * (seed %% 2) * sin(2 * pi * seq_len(n) / 12) + rnorm(n, 0, 0.05 * times))
      rows <- data.table(month = months_from("2023-01-01", n), clicks = y)
      said <- tide_forecast(tide_history(rows[seq_len(n - 6)]), months = 6)$months
      came <- tail(rows$clicks, 6)
      x <- seq_len(n - 6)
      line <- predict(lm(y[x] ~ x), data.frame(x = n - 5:0))
      data.table(times, inside = mean(came >= said$baseline_low & came <= said$baseline_high),
        ours = mean(abs(log(said$baseline / came))), line = mean(abs(log(pmax(line, 1) / came))))
    }))
    expect_gte(mean(held$inside), 0.72)
    expect_lte(mean(held$inside), 0.93)
    expect_lt(mean(held$ours), mean(held$line))
    # Months that hardly waver have narrow ranges, wild ones wide ones.
    by_kind <- tapply(held$inside, held$times, mean)
    expect_true(all(by_kind >= 0.65 & by_kind <= 0.97))
  })

test_that("a query that is not shown yet is planned by its volume, wherever that stands", {
  dir <- withr::local_tempdir()
  fwrite(demo()$site$daily, file.path(dir, "daily.csv"))
  writeLines(c("query,volume", "wild garlic seeds,900"), file.path(dir, "volumes.csv"))
  writeLines(c("query,target,volume", "wild garlic seeds,5,900"), file.path(dir, "own.csv"))
  writeLines(c("query,target", "wild garlic seeds,5"), file.path(dir, "plan.csv"))
  lines_of <- function(...) {
    run <- program("forecast", "daily.csv", "--brand", "fernmoor", ..., "--format", "csv",
      dir = dir)
    expect_equal(run$status, 0L, info = paste(run$err, collapse = " "))
    fread(text = run$out)[, !"plan"]
  }
  own <- lines_of("--plan", "own.csv")
  expect_identical(lines_of("--plan", "plan.csv", "--facts", "volumes.csv"), own)
  expect_gt(max(own$added), 1)
  # The same from an archive.
  writeLines("site: https://www.fernmoor.example/\nbrand: [fernmoor]",
    file.path(dir, "inktide.yml"))
  for (call in list(c("load", "daily.csv"), c("enrich", "volumes.csv"))) {
    expect_equal(program(call, dir = dir)$status, 0L)
  }
  expect_equal(program("forecast", "--plan", "plan.csv", dir = dir)$status, 0L)
  refused <- program("forecast", "daily.csv", "--brand", "fernmoor", "--plan", "plan.csv",
    dir = dir)
  expect_match(refused$err, "search volume", all = FALSE)
  line <- tide_plan(demo()$found, table = data.frame(query = "wild garlic seeds", target = 5,
    volume = 900))$lines
  # By a spread of e^0 and a ratio of one: volume x CTR at the place.
  expect_equal(line$done, 900 * inktide:::curve_at(demo()$found$curve, 5, "non-brand")$ctr)
})

test_that("no query counts twice, whatever lines hold it, and lines of a table are checked", {
  found <- demo()$found
  list <- found$findings
  ids <- unique(list$id[list$hours > 0])[1:4]
  whole <- tide_plan(found, do = ids)$lines
  one <- list[list$id == ids[2]]
  table <- data.frame(id = c(ids, ids[1], ""), query = c(rep("", 5), one$query),
    target = c(rep("", 5), "1"))
  twice <- tide_plan(found, table = table)$lines
  expect_equal(twice$done[1:4], whole$done)
  expect_equal(twice$done[5:6], c(0, 0))
  expect_equal(twice$remark[5:6], rep("counted in an earlier line", 2))
  hours <- tide_plan(found, do = 4, hours_a_month = 2)$lines
  taken <- list$hours[match(hours$id, list$id)]
  spent <- tapply(taken, hours$month, sum)
  # No month holds more than its hours, but for a task that takes more by itself.
  expect_true(all(spent <= 2 | tapply(taken > 0, hours$month, sum) == 1))
  last <- demo()$summary$window$to
  for (case in list(list(query = one$query, target = 0.5),
      list(query = "asked by nobody", target = 3), list(id = "X-1"),
      list(query = one$query, target = "120%"), list(query = one$query, chance = 2))) {
    expect_error(tide_plan(found, table = as.data.frame(case)), class = "tide_error_range")
  }
  expect_error(tide_plan(found, do = "X-1"), class = "tide_error_finding")
  empty <- tide_find(found$summary, found$curve, min_gain = 1e9)
  for (none in list(1, "all")) {
    expect_error(tide_plan(empty, do = none), class = "tide_error_nothing_left")
  }
  expect_error(tide_plan(found, table = data.frame(id = character())),
    class = "tide_error_nothing_left")
  expect_error(tide_plan(found), class = "tide_error_argument")
})

test_that("the level before a known event is brought to the one after, and only there", {
  marks <- function(...) {
    tide_events(csv("date,event", ...))
  }
  set.seed(3)
  rows <- past(36, noise = 0.02)
  quiet <- tide_history(rows, events = marks("2025-06-03,Nothing much"))$months
  expect_equal(quiet$used, tide_history(rows)$months$used)
  moved <- copy(rows)[month < "2025-06-01", "clicks" := clicks / 0.6]
  shift <- tide_history(moved, events = marks("2025-06-03,New address"))$months
  expect_equal(shift$used, rows$clicks, tolerance = 0.1)
  expect_match(shift$note[1], "for 'New address'")
  expect_equal(shift$value, moved$clicks)
  expect_equal(tail(shift$note, 16), rep("", 16))
})

test_that("a plan's targets: a CTR, fixed, late, reached, the best place of others, the bound", {
  found <- demo()$found
  summary <- demo()$summary
  list <- found$findings
  low <- list[list$kind == "low_ctr"][1]
  as_ctr <- function(x) sprintf("%.4f%%", 100 * x)
  table <- data.frame(query = low$query, page = low$page, target = as_ctr(2 * low$ctr))
  line <- tide_plan(found, table = table)$lines
  month <- 30 / summary$window$recent_days
  expect_equal(line$done, low$clicks * inktide:::per_month(summary), tolerance = 0.01)
  there <- tide_plan(found, table = transform(table, target = as_ctr(low$ctr / 2)))$lines
  expect_equal(c(there$remark, there$done), c("reached", "0"))
  # The sheet of a plan gives the same plan.
  both <- tide_plan(found, table = data.frame(id = c("", low$id), query = c(low$query, ""),
    page = c(low$page, ""), target = c(as_ctr(2 * low$ctr), "")))$lines
  sheet <- copy(both)[, "target" := inktide:::plan_target_text(both)]
  again <- tide_plan(found, table = sheet[, lapply(.SD, as.character)])$lines
  expect_equal(again$done, both$done, tolerance = 1e-6)
  fixed <- tide_plan(found, table = transform(table, target = "fixed"))$lines
  expect_equal(fixed$id, low$id)
  late <- tide_plan(found, table = transform(table, month = "2020-01"))$lines
  expect_match(late$remark, "late: it was planned for Jan 2020")
  expect_gt(late$month, summary$window$to)
  # The best place is held by a tenth of the queries, and never below the own.
  pairs <- found$pairs[found$pairs$tested]
  places <- inktide:::best_places(found, pairs)
  expect_true(all(places <= pairs$position))
  held <- mean(found$pairs$position[found$pairs$judged] <= max(places))
  expect_gt(held, 0.05)
  bound <- tide_plan(found, do = "bound")
  all <- tide_plan(found, do = "all")
  expect_gt(sum(bound$lines$done), sum(all$lines$done * all$lines$chance))
  expect_true(all(bound$lines$chance == 1))
  expect_true(all(is.finite(as.matrix(bound$lines[, c("done", "done_low", "done_high")]))))
  # Side by side, over all months, after doing nothing.
  plans <- list(few = tide_plan(found, do = 3), all = all, bound = bound)
  said <- tide_forecast(past(24, first = "2024-10-01"), months = 3, plan = plans)
  expect_equal(said$sums$plan, c("nothing", "few", "all", "bound"))
  by_plan <- said$months[, .(added = sum(added), total = sum(total)), by = "plan"]
  expect_equal(said$sums$added[-1], by_plan$added)
  expect_equal(said$sums$total[-1], by_plan$total)
  folders <- tidy(said, "folders")
  expect_equal(sum(folders$added), sum(tidy(said, "tasks")$added))
  expect_match(format(said), "Upper bound", all = FALSE)
})

test_that("a miss is told by demand, position and CTR that add up to it, and plans by how far", {
  rows <- made_site(queries = 60, days = 180)
  data <- as_data(rows)
  months <- tide_history(data, keep_unusual = TRUE)
  last <- max(months$months$month)
  store <- tide_store(withr::local_tempdir())
  tide_load(store, tide_example()[["totals"]])
  known <- months
  known$months <- months$months[months$months$month < last]
  one <- rows[, .(clicks = sum(clicks)), by = c("query", "page")][order(-clicks)][1]
  plan <- made_plan(50, 1, format(last), 5000, one$query)
  plan$lines$page <- one$page
  plan$lines$target <- 30
  forecast <- tide_forecast(known, months = 2, plan = plan)
  inktide:::keep_forecast(store, forecast)
  review <- tide_review(store, months, data)
  row <- review$months[review$months$month == last]
  expect_equal(nrow(row), 1)
  parts <- unlist(row[, inktide:::why_columns, with = FALSE])
  expect_false(anyNA(parts))
  expect_equal(sum(parts), row$came - row$expected)
  expect_equal(row$by_plan, row$baseline - row$expected)
  expect_equal(review$plans$state, "reached")
  expect_match(format(review), "Plan of the newest forecast: 1 reached", all = FALSE)
  expect_equal(nrow(tide_review(store, months)$plans), 0)
})

test_that("rates by intent are found where they differ, and stay away from none where not", {
  set.seed(8)
  pages <- 300
  group <- sample(c("/a/", "/b/"), pages, TRUE)
  mix <- matrix(runif(3 * pages)^3, pages, dimnames = list(NULL, c("buy", "learn", "other")))
  mix <- mix / rowSums(mix)
  truth <- c(buy = 2, learn = 0.4, other = 1)
  sessions <- rep(2000, pages)
  rate <- c(`/a/` = 0.01, `/b/` = 0.03)[group]
  made <- function(factors) rbinom(pages, sessions, rate * as.vector(mix %*% factors))
  found <- inktide:::intent_factors(sessions, made(truth), group, mix)
  expect_equal(found[["buy"]] / found[["learn"]], 5, tolerance = 0.2)
  none <- inktide:::intent_factors(sessions, made(truth^0), group, mix)
  expect_lt(max(abs(log(none / none[["other"]]))), 0.15)
})

test_that("facts by month add up; two currencies and less than none are one clear error", {
  facts <- tide_facts(csv("page,month,sessions,orders,revenue", "/a/,2026-01,10,1,12 EUR",
    "/a/,2026-02,20,2,24 EUR", "/b/,2026-01,5,,"))[[1]]
  expect_equal(facts$rows$sessions, c(30, 5))
  expect_equal(facts$rows$conversions, c(3, NA))
  expect_equal(facts$rows$value, c(36, NA))
  expect_match(format(facts), "sums of 2 months, 2026-01 to 2026-02", all = FALSE)
  expect_error(tide_facts(csv("page,value", "/a/,12 EUR", ",1 EUR", "/b/,12 USD")),
    "line 4 has '12 USD'", class = "tide_error_range")
  expect_error(tide_facts(csv("page,sessions", "/a/,-2")), class = "tide_error_range")
})

test_that("a step to a target is worth what the list says of it", {
  found <- demo()$found
  near <- found$findings[found$findings$kind == "striking_distance"][1]
  own <- found$pairs[found$pairs$query == match(near$query, demo()$summary$queries$query) &
    found$pairs$page == match(near$page, demo()$summary$pages$page)]
  step <- inktide:::step_up(demo()$summary, found$curve, own, 3)
  table <- data.frame(query = near$query, page = near$page, target = 3)
  line <- tide_plan(found, table = table)$lines
  expect_equal(line$done, max(0, step$done$done))
})

test_that("what was said is held against what came, and misses widen what is said next", {
  skip_unless_studies()
  store <- tide_store(withr::local_tempdir())
  tide_load(store, tide_example()[["totals"]])
  rows <- past(28, noise = 0.02)
  for (known in 16:22) {
    inktide:::keep_forecast(store, tide_forecast(tide_history(rows[seq_len(known)]), months = 3))
  }
  # The same forecast is kept once.
  expect_false(inktide:::keep_forecast(store, tide_forecast(tide_history(rows[1:22]), months = 3)))
  review <- tide_review(store, tide_history(rows[1:24]))
  expect_equal(review$forecasts, 7)
  expect_equal(nrow(review$months), 3 * 6 + 2)
  expect_true(all(review$months$horizon %in% 1:3))
  at <- review$months[1]
  expect_equal(at$came, rows$clicks[rows$month == at$month])
  expect_equal(at$miss, at$came / at$expected - 1)
  expect_equal(tide_forecast(tide_history(rows[1:24]), months = 2, review = review)$widened, 1,
    tolerance = 0.15)
  off <- copy(rows)[17:24, "clicks" := 2 * clicks]
  wide <- tide_forecast(tide_history(rows[1:24]), months = 2,
    review = tide_review(store, tide_history(off[1:24], keep_unusual = TRUE)))
  expect_gt(wide$widened, 2)
  plain <- tide_forecast(tide_history(rows[1:24]), months = 2)
  expect_gt(wide$months$baseline_high[1], plain$months$baseline_high[1])
})

test_that("search trends give the season of a short history", {
  file <- csv("query,volume,trend", sprintf("\"kale %d\",%d,\"%s\"", 1:20, 100 + 1:20,
    paste(round(100 * exp(0.5 * sin(2 * pi * (1:12) / 12))), collapse = ",")))
  Sys.setFileTime(file, as.POSIXct("2026-01-15", tz = "UTC"))
  season <- inktide:::trend_season(tide_facts(file))
  # The newest of twelve numbers is December's.
  expect_equal(season, 0.5 * sin(2 * pi * (1:12) / 12), tolerance = 0.02)
  rows <- data.table(month = months_from("2025-06-01", 14))
  calendar <- as.POSIXlt(rows$month)$mon + 1
  rows[, "clicks" := 4000 * exp(season[calendar])]
  said <- tide_forecast(tide_history(rows[1:9]), months = 5, facts = tide_facts(file))
  blind <- tide_forecast(tide_history(rows[1:9]), months = 5)
  miss <- function(x) mean(abs(log(x$months$baseline / rows$clicks[10:14])))
  expect_lt(miss(said), miss(blind) / 2)
})

test_that("the program forecasts, plans, writes a plan that reads back, and reviews", {
  dir <- withr::local_tempdir()
  months <- past_file()
  said <- program("forecast", "--history", months, "--months", "3", "--format", "csv")
  expect_equal(said$status, 0)
  rows <- fread(text = said$out)
  expect_equal(names(rows)[1:5], c("month", "segment", "baseline", "baseline_low", "baseline_high"))
  expect_equal(nrow(rows), 3)
  test <- program("forecast", "--history", months, "--backtest", "--format", "csv")
  expect_true(all(
    c("weighted", "straight line", "seasonal naive") %in% fread(text = test$out)$method))
  export <- tide_example()[["pairs"]]
  book <- file.path(dir, "plan.xlsx")
  planned <- program("forecast", export, "--history", months, "--do", "2", "--hours", "1", "--out",
    book, "--brand", "fernmoor")
  expect_equal(planned$status, 0)
  expect_true(all(c("Plan", "Forecast", "Back-test") %in% readxl::excel_sheets(book)))
  again <- program("forecast", export, "--history", months, "--plan", book, "--brand", "fernmoor",
    "--format", "csv")
  expect_equal(again$status, 0)
  sheet <- setDT(readxl::read_excel(book, "Forecast"))
  expect_equal(fread(text = again$out)$added, sheet$added, tolerance = 0.05)
  for (bad in list(c("--months", "99"), c("--do", "2", "--plan", book),
      c("--do", "2", "--by", "brand"), "--review")) {
    expect_equal(program("forecast", export, "--history", months, bad)$status, 2)
  }
})

test_that("a plan takes the list as it was worked out, until data or options are others", {
  skip_unless_studies()
  dir <- withr::local_tempdir()
  writeLines(c("site: https://www.fernmoor.example/", "brand: [fernmoor]"),
    file.path(dir, "inktide.yml"))
  tide_load(tide_store(dir), tide_example()[["pairs"]])
  months <- past_file()
  run <- function(...) {
    program("forecast", "--history", months, "--do", "3", "--project", dir, "--format", "csv",
      "--details", ...)
  }
  again <- function(run) any(grepl("as it was worked out before", run$err))
  # Months of a file that is only looked at, or of some queries, are not held against what comes.
  expect_equal(program("forecast", months, "--project", dir)$status, 0)
  expect_length(inktide:::kept_forecasts(tide_store(dir)), 0)
  first <- run()
  expect_length(inktide:::kept_forecasts(tide_store(dir)), 1)
  expect_equal(first$status, 0, label = paste(first$err, collapse = " "))
  expect_false(again(first))
  second <- run()
  expect_true(again(second))
  expect_equal(second$out, first$out)
  expect_false(again(run("--query", "seeds")))
  # The list itself is kept; what is put off leaves the one that the plan takes from.
  put_off <- "decided and not shown: 1 task"
  expect_false(any(grepl(put_off, second$err)))
  program("decide", "1", "later", "--project", dir)
  expect_match(run()$err, put_off, all = FALSE)
  tide_load(tide_store(dir), tide_example()[["totals"]])
  expect_false(again(run()))
})

test_that("value adds up over every grouping, leans on the site where little is known", {
  skip_unless_studies()
  summary <- demo()$summary
  pages <- summary$pages$page
  set.seed(5)
  sessions <- rep_len(c(2000, 400, 20), length(pages))
  truth <- plogis(qlogis(0.02) + rnorm(length(pages), 0, 0.5))
  facts <- data.table(page = pages, sessions, conversions = rbinom(length(pages), sessions, truth))
  facts[, "value" := 30 * conversions]
  facts <- facts[-1]
  file <- csv("page,sessions,conversions,value", do.call(paste, c(facts, sep = ",")))
  found <- tide_find(tide_enrich(summary, tide_facts(file)))
  site <- tide_value(found, "site")
  for (by in c("folder", "page", "query")) {
    parts <- tide_value(found, by)
    for (column in c("clicks", "missed_clicks", "gain")) {
      expect_equal(sum(parts[[column]]), sum(site[[column]]), label = paste(by, column))
    }
  }
  # A contest is won by a page that is not chosen, and a query without clicks misses money, too.
  guides <- tide_find(found$summary, found$curve,
    segments = tide_segment("guides", page = "/guides/"))
  expect_true(any(!grepl("/guides/", guides$findings$page, fixed = TRUE)))
  site_of_guides <- tide_value(guides, "site")
  for (by in c("folder", "page", "query")) {
    parts <- tide_value(guides, by)
    for (column in c("clicks", "missed_value", "gain", "gain_value")) {
      expect_equal(sum(parts[[column]], na.rm = TRUE), sum(site_of_guides[[column]]),
        label = paste(by, column))
    }
  }
  # The site's clicks are all of them where totals are known.
  both <- tide_summary(tide_read(unlist(tide_example()[c("pairs", "totals")])), brand = "fernmoor")
  all <- tide_value(tide_find(tide_enrich(both, tide_facts(file))), "site")
  by_page <- tide_value(tide_find(tide_enrich(both, tide_facts(file))), "page")
  expect_gt(all$clicks, sum(by_page$clicks))
  expect_equal(all$value / all$clicks, site$value / site$clicks, tolerance = 0.05)
  for (by in c("folder", "page", "query")) {
    expect_equal(sum(tide_group(found, by)$gain_value), site$gain_value, label = by)
  }
  pages_worth <- tide_value(found, "page")
  expect_true(is.na(pages_worth$value[pages_worth$name == pages[1]]))
  expect_lt(site$covered, 1)
  # Held-out months: shrunken rates predict better than raw ones and than the site's.
  worth <- inktide:::page_worth(found$summary, tide_rules())
  later <- rbinom(length(pages), sessions, truth)
  use <- worth$known
  raw <- (facts$conversions / facts$sessions)[match(pages, facts$page)]
  miss <- function(rate) mean((rate[use] - later[use] / sessions[use])^2 * sessions[use])
  expect_lt(miss(worth$rate), miss(raw))
  expect_lt(miss(worth$rate), miss(rep(mean(raw, na.rm = TRUE), length(pages))))
  expect_error(tide_value(demo()$found), class = "tide_error_facts")
  # Of a list of some queries, what these have.
  some <- tide_find(tide_enrich(summary, tide_facts(file)),
    segments = tide_segment("tomatoes", query = "tomato"))
  own <- summary$pairs[grepl("tomato", summary$queries$key[summary$pairs$query])]
  expect_equal(tide_value(some, "site")$clicks, sum(own$clicks) * inktide:::per_month(summary))
})

test_that("conversions and money are clicks times what one brings, in every figure", {
  rows <- past(14, first = "2025-08-01")
  plan <- made_plan(100, 0.5)
  clicks <- tide_forecast(rows, months = 3, plan = plan)
  value <- tide_forecast(rows, months = 3, plan = plan, per_click = c(value = 0.4))
  for (column in c("baseline", "baseline_low", "added", "total_high")) {
    expect_equal(value$months[[column]], 0.4 * clicks$months[[column]], label = column)
  }
  expect_match(format(value), "A click brings 0.4 of value", all = FALSE)
  expect_equal(summary(value), summary(clicks))
  for (bad in list(c(clicks = 1), c(value = -1), 0.3)) {
    expect_error(tide_forecast(rows, per_click = bad), class = "tide_error_argument")
  }
})

test_that("glance() tells each segment's leading method and how the weighted one did", {
  skip_if_not_installed("forecast")
  months <- sprintf("%d-%02d", 2023 + (0:35) %/% 12, 0:35 %% 12 + 1)
  file <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("month,clicks", paste(months, 1000 + 10 * 1:36, sep = ",")), file)
  ahead <- tide_forecast(tide_history(file), months = 2)
  own <- glance(ahead)
  expect_equal(own$months, 36L)
  weights <- ahead$weights[[1]]
  expect_equal(own$leading, names(weights)[which.max(weights)])
  weighted <- ahead$backtest[ahead$backtest$method == "weighted"]
  expect_equal(own$mape, weighted.mean(weighted$mape, weighted$forecasts))
})

test_that("a table of months in any usual form is forecast as a file", {
  months <- seq(as.Date("2023-01-01"), by = "month", length.out = 36)
  forms <- list(`Month,Organic clicks` = format(months, "%b %Y"),
    `Month,Sessions` = format(months, "%m/%Y"), `Month,Visits` = format(months, "%Y-%m"),
    `Month,Clicks` = sprintf("%d/1/%s", as.integer(format(months, "%m")), format(months, "%Y")),
    `Monat,Klicks` = format(months, "01.%m.%Y"),
    `Year,Month,Clicks` = format(months, "%Y,%m"), `Year,Month,Clicks` = format(months, "%Y,%B"))
  values <- 10000 + 100 * seq_along(months)
  usual <- NULL
  for (i in seq_along(forms)) {
    file <- csv(names(forms)[i], paste(forms[[i]], values, sep = ","))
    run <- program("forecast", file, "--months", "2", "--format", "csv", "--quiet",
      dir = withr::local_tempdir())
    expect_equal(run$status, 0L, label = forms[[i]][1])
    rows <- fread(text = run$out)
    expect_equal(as.character(rows$month), c("2026-01-01", "2026-02-01"))
    if (is.null(usual)) usual <- rows$baseline
    expect_equal(rows$baseline, usual, label = forms[[i]][1])
  }
  # Headers of its own are named.
  own <- csv("Periode,Besuche gesamt", paste(format(months, "%Y-%m"), values, sep = ","))
  run <- program("forecast", own, "--columns", "month=Periode,clicks=Besuche gesamt", "--months",
    "2", "--format", "csv", dir = withr::local_tempdir())
  expect_equal(fread(text = run$out)$baseline, usual)
  whole <- program("forecast", file, "--months", "2.5", dir = withr::local_tempdir())
  expect_equal(whole$status, 2L)
})

test_that("what a forecast is made of is said in words, by share", {
  months <- data.table(month = months_from("2023-01-01", 30),
    clicks = 1000 * exp(0.4 * sin(2 * pi * (1:30) / 12) + 0.01 * (1:30)))
  made <- tide_forecast(tide_history(months), months = 2)
  told <- gsub("\\s+", " ", paste(format(made), collapse = " "))
  own <- made$weights[[1]]
  lead <- inktide:::method_words[[names(which.max(own))]]
  expect_match(told, sprintf("Made of %s (%s", lead, inktide:::format_share(max(own))),
    fixed = TRUE)
  expect_setequal(names(inktide:::method_words),
    c(names(inktide:::forecast_methods(rep(0, 12))), "straight line"))
})
