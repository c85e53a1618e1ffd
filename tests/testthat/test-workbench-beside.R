# Views beside the list: what they show once it is there, and how they wait for it.

held_with <- function(..., store = NULL) {
  inktide:::workbench_data(workbench_parts()$found, workbench_parts()$data, store,
    beside = inktide:::parts_given(list(...)))
}

test_that("a view waits for its part, and says what is lacking where there is none", {
  waits <- workbench_parts()
  held <- inktide:::workbench_data(waits$found, waits$data,
    beside = function(name) list(ready = FALSE, value = NULL))
  for (view in c("ahead", "outcomes", "data")) {
    expect_true(attr(view_of(held, view = view), "waiting"), label = view)
  }
  bare <- held_with()
  says <- c(ahead = "Too few months", outcomes = "Nothing was marked as done yet",
    data = "No archive stands behind these rows", pages = "pages were not read")
  for (view in names(says)) {
    expect_match(view_of(bare, view = view), says[[view]], label = view)
    expect_false(isTRUE(attr(view_of(bare, view = view), "waiting")))
  }
})

test_that("a part that failed says why", {
  failed <- tryCatch(tide_find(1), tide_error = identity)
  held <- held_with(forecast = failed, outcomes = failed, check = failed)
  for (view in c("ahead", "outcomes", "data")) {
    expect_match(view_of(held, view = view), inktide:::escape(failed$what), fixed = TRUE,
      label = view)
  }
  line <- workbench_parts()$found$findings$id[1]
  expect_no_match(view_of(held, view = "line", id = line), "went wrong")
})

test_that("the months ahead are those of the forecast, with the tasks that fit the hours", {
  skip_if_not_installed("forecast")
  months <- csv("month,clicks", sprintf("%d-%02d,%d", 2023 + (0:35) %/% 12, 0:35 %% 12 + 1,
    round(1000 * exp(0.3 * sin(2 * pi * (1:36) / 12)))))
  past <- tide_history(months)
  held <- held_with(forecast = tide_forecast(past))
  planned <- inktide:::planned_forecast(held, inktide:::read_state("{\"hours\":\"3\"}"),
    tide_forecast(past))
  expect_lte(sum(planned$tasks$hours), 3)
  # As if the plan had been there from the start.
  whole <- tide_forecast(past,
    plan = list(`3 h` = tide_plan(workbench_parts()$found, do = planned$tasks$id)))
  expect_equal(planned$forecast$months$added, whole$months$added, tolerance = 1e-9)
  expect_equal(planned$forecast$months$total_low, whole$months$total_low, tolerance = 1e-9)
  shown <- view_of(held, view = "ahead", hours = "3")
  expect_match(shown, inktide:::escape(planned$tasks$todo[1]), fixed = TRUE)
  file <- inktide:::hand_file(held, inktide:::read_state("{\"view\":\"ahead\",\"hours\":\"3\"}"),
    "csv")
  expect_equal(fread(text = rawToChar(file$content))$added, whole$months$added, tolerance = 1e-6)
})

test_that("outcomes stand in their view and on the task's page; the check names every problem", {
  store <- tide_store(tempfile("project"))
  tide_load(store, tide_example()[c("pairs", "totals")])
  found <- workbench_parts()$found
  line <- found$findings[1]
  tide_decide(store, found, line$id, "done", at = "2026-10-01")
  outcomes <- tide_outcomes(workbench_parts()$data, tide_decisions(store), found$curve)
  check <- tide_check(store)
  held <- held_with(outcomes = outcomes, check = check, store = store)
  expect_match(view_of(held, view = "outcomes"), outcomes$verdict[1])
  expect_match(view_of(held, view = "line", id = line$id), "What was done on this page")
  other <- found$findings$id[found$findings$page != line$page][1]
  expect_no_match(view_of(held, view = "line", id = other), "What was done on this page")
  shown <- view_of(held, view = "data")
  expect_error(tide_workbench(found, check = outcomes), class = "tide_error_argument")
  for (problem in check$problems$problem) {
    expect_match(shown, inktide:::escape(problem), fixed = TRUE)
  }
})

test_that("a contest shows both pages by day, the one to keep named", {
  held <- held_with()
  rivals <- held$tasks[held$tasks$kind == "cannibalized"]
  shown <- view_of(held, view = "line", id = rivals$id[1])
  expect_match(shown, "Both pages by day")
  expect_match(shown, sprintf("%s</span> <b>to keep</b>",
    inktide:::escape(inktide:::format_path(rivals$page[1]))), fixed = TRUE)
})

test_that("windows come from the fields, half of one from the other", {
  window <- inktide:::state_window
  last <- as.IDate("2026-10-28")
  days <- function(...) as.IDate(c(...))
  expect_equal(window("2026-09-01", "2026-09-20", last, 28), days("2026-09-01", "2026-09-20"))
  expect_equal(window("2026-10-01", "", last, 28), days("2026-10-01", "2026-10-28"))
  expect_equal(window("", "2026-10-07", last, 7), days("2026-10-01", "2026-10-07"))
  expect_null(window("", "", last, 28))
  expect_null(window("2026-10-02", "2026-10-01", last, 28))
  held <- held_with()
  shown <- view_of(held, view = "changes", from = "2026-10-15", to = "2026-10-21")
  for (day in c("2026-10-15", "2026-10-21", "2026-10-08", "2026-10-14")) {
    expect_match(shown, sprintf("value='%s'", day), fixed = TRUE)
  }
})

test_that("a window that is dragged out is seen before what changed in it is worked out", {
  held <- held_with()
  to <- held$explorer$to
  asked <- inktide:::read_state(sprintf("{\"view\":\"changes\",\"from\":\"%s\",\"to\":\"%s\"}",
    to - 9, to - 3))
  expect_true(inktide:::waits_for_comparison(held, asked))
  first <- inktide:::changes_view(held, asked, at_once = TRUE)
  whole <- inktide:::changes_view(held, asked)
  shaded <- function(html) regmatches(html, gregexpr("<rect class='window'[^>]*>", html))[[1]]
  expect_match(first, "being worked out")
  expect_true(length(shaded(first)) == 1 && shaded(first) %in% shaded(whole))
  expect_false(inktide:::waits_for_comparison(held, asked))
})

test_that("events that leave days on both sides are windows to choose", {
  events <- list(marks = data.table(event = c("early", "middle", "late"),
    date = as.IDate(c("2026-09-08", "2026-10-01", "2026-10-27"))))
  held <- inktide:::workbench_data(workbench_parts()$found, workbench_parts()$data, events = events)
  presets <- inktide:::event_presets(held)
  expect_named(presets, "since middle (1 Oct 2026)")
  expect_equal(presets[[1]], list(from = "2026-10-01", to = format(as.IDate("2026-10-01") +
    min(held$explorer$to - as.IDate("2026-10-01"), as.IDate("2026-10-01") -
      held$explorer$from - 1))))
})

test_that("the curve is drawn by device, its places say their figures", {
  held <- held_with()
  shown <- view_of(held, view = "curve", by = "device")
  expect_match(shown, "lead first'>desktop")
  expect_match(shown, "desktop, position 3: ")
  own <- inktide:::curve_at(held$findings$curve, 3, "non-brand")
  expect_match(view_of(held, view = "curve"), sprintf("non-brand, position 3: %s (",
    inktide:::format_rate(own$ctr)), fixed = TRUE)
  expect_no_match(view_of(held, view = "curve", axes = "log"), "went wrong")
})
