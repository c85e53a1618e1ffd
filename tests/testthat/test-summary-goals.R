# Pages of a made site with sessions, orders and sign-ups, as an analytics table has them.
goals_table <- function(each = FALSE, pages = 20) {
  n <- seq_len(pages)
  orders <- n %% 7 + 1
  data.table(`Landing page` = sprintf("https://www.fernmoor.example/p%d/", n), Sessions = 100 * n,
    Orders = orders, `Sign-ups` = 2 * n, Value = if (each) 20 + n %% 3 else 20 * orders)
}

enriched <- function(table, ...) {
  file <- withr::local_tempfile(fileext = ".csv", .local_envir = parent.frame())
  fwrite(table, file)
  facts <- tide_facts(file, columns = c(page = "Landing page", orders = "Orders"))
  tide_enrich(tide_summary(as_data(made_site(queries = 120, days = 40))), facts, ...)
}

test_that("goals are weighed into conversions, and totals told from values of each conversion", {
  one <- enriched(goals_table()[, "Conversions" := Orders])
  expect_equal(one$facts$value_read, "a total")
  page <- function(of, n) of$pages[page == sprintf("https://www.fernmoor.example/p%d/", n)]
  weighed <- enriched(goals_table(), goals = c(orders = 1, sign_ups = 0.1))
  expect_equal(page(weighed, 9)$conversions, 9 %% 7 + 1 + 0.1 * 18)
  each <- enriched(goals_table(each = TRUE)[, "Conversions" := Orders])
  expect_equal(each$facts$value_read, "for each conversion")
  expect_equal(page(each, 9)$value, 3 * 20)
  named <- enriched(goals_table()[, "Conversions" := Orders][, "Value per conversion" := 12][,
    "Value" := NULL])
  expect_equal(page(named, 9)$value, 36)
  few <- enriched(goals_table(pages = 3)[, "Conversions" := Orders])
  expect_match(few$facts$value_read, "nothing tells otherwise")
  expect_error(enriched(goals_table(), goals = c(order = 1)), "named as columns of facts by page",
    class = "tide_error_argument")
  expect_error(enriched(goals_table(), goals = c(1, 2)), class = "tide_error_argument")
  found <- tide_find(weighed, min_gain = 0)
  expect_true(all(c("gain_conversions", "gain_value") %in% names(found$findings)))
})

test_that("addresses with parameters fold and add up; sessions without a match are told", {
  table <- rbind(goals_table(pages = 4), data.table(
    `Landing page` = c("https://www.fernmoor.example/p2/?ref=letter", "/p2/?x=1", "(not set)",
      "/nowhere/"),
    Sessions = c(10, 5, 400, 85),
    Orders = c(1, 0, 9, 0),
    `Sign-ups` = 1,
    Value = c(20, 0, 180, 0)))
  summary <- enriched(table)
  own <- summary$pages[page == "https://www.fernmoor.example/p2/"]
  expect_equal(own$sessions, 215)
  expect_equal(own$orders, 4)
  expect_equal(own$sign_ups, 6)
  expect_equal(own$value, 80)
  expect_equal(summary$facts$sessions_unmatched, 485 / 1500)
  expect_match(format(summary),
    "sessions without a match: 32%; the largest: '\\(not set\\)' \\(400\\)", all = FALSE)
})

test_that("the program weighs the goals of the settings and shows what clicks would cost", {
  dir <- withr::local_tempdir()
  fwrite(made_site(queries = 120, days = 60), file.path(dir, "a.csv"))
  fwrite(goals_table(), file.path(dir, "goals.csv"))
  fwrite(data.table(keyword = sprintf("query %04d", 1:120), cpc = 0.5, difficulty = 40),
    file.path(dir, "costs.csv"))
  settings <- function(...) writeLines(c("exports: [a.csv]", ...), file.path(dir, "inktide.yml"))
  run <- function(...) program("find", "--lag", "0", ..., dir = dir)
  settings("enrichments: [costs.csv]")
  expect_match(gsub(" +", " ", paste(run()$out, collapse = " ")), "which would cost [0-9]+ as ads")
  settings("enrichments: [goals.csv]", "goals: {orders: 1, sign_ups: 0.1}")
  found <- fread(text = run("--format", "csv", "--quiet")$out)
  expect_gt(sum(found$gain_conversions, na.rm = TRUE), 0)
  settings("goals: {orders: -1}")
  expect_match(paste(run()$err, collapse = " "), "weights by column")
})

test_that("difficulty shifts the chance, cost stands in for value, outcomes teach the slope", {
  site <- tide_summary(as_data(made_site(queries = 200, days = 60)))
  plain <- tidy(tide_find(site, kind = "striking_distance"))
  file <- withr::local_tempfile(fileext = ".csv")
  hard <- plain$query[1]
  middle <- plain$query[-1]
  fwrite(
    data.table(query = c(hard, middle), difficulty = c(90, rep(40, length(middle))), cpc = 0.5),
    file)
  known <- tide_enrich(site, tide_facts(file))
  found <- tidy(tide_find(known, kind = "striking_distance"))
  at <- match(hard, found$query)
  slope <- tide_assumptions()
  slope <- slope$value[slope$name == "difficulty_slope"]
  expect_equal(qlogis(found$chance[at]), qlogis(plain$chance[1]) - slope)
  same <- match(middle, found$query)
  expect_equal(found$chance[same], plain$chance[match(middle, plain$query)])
  expect_equal(found$gain_cost, found$gain * 0.5)
  expect_null(found[["gain_value"]])
  # Hard steps that worked make difficulty count for less, hard ones that did not for more.
  of <- function(verdict) inktide:::difficulty_slope(known,
    data.table(query = rep(hard, 20), kind = "striking_distance", verdict = verdict), 40)
  expect_lt(of("worked"), slope)
  expect_gt(of("no sign yet"), slope)
  expect_equal(inktide:::difficulty_slope(known, NULL, 40), slope)
})
