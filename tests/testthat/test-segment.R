rows <- data.table(
  date = as.IDate("2026-03-01") + 0:5,
  query = c("how to grow kale", "kale seeds", "buy kale seeds", "Fernmoor kale", "best pea seeds",
    "pea"),
  page = paste0("https://www.fernmoor.example",
    c("/guides/kale/", "/shop/kale/", "/shop/kale/", "/", "/shop/pea/", "/guides/pea/")),
  device = c("mobile", "desktop"),
  clicks = c(5, 4, 3, 50, 2, 1),
  impressions = c(100, 50, 40, 100, 30, 500),
  position = c(4.5, 3, 12, 1, 9, 25))

data <- as_data(rows)

rules <-
  tide_rules(brand = "fernmoor", page_groups = c(advice = "/guides/", shop = "shop/(kale|pea)"))

kept <- function(...) as.character(tide_filter(data, ..., rules = rules)$tables[[1]]$rows$query)

test_that("alternatives are a union, and stacks of stacks an intersection", {
  data <- tide_read(tide_example()[["pairs"]])
  rows <- data$tables[[1]]$rows
  grow <- tide_segment("growing", query_text = "grow")
  shop <- tide_segment("not the shop", page_text = "/shop/", not = TRUE)
  kept <- function(...) tide_filter(data, segments = tide_segment("x", ...))$tables[[1]]$rows
  is_grow <- grepl("grow", rows$query)
  in_shop <- grepl("/shop/", rows$page)
  expect_equal(nrow(kept(any_of = list(grow, shop))), sum(is_grow | !in_shop))
  expect_equal(nrow(kept(all_of = list(grow, shop))), sum(is_grow & !in_shop))
  expect_equal(nrow(kept(any_of = list(grow, shop), device = "mobile")),
    sum((is_grow | !in_shop) & rows$device == "mobile"))
  expect_equal(nrow(kept(any_of = list(grow, shop), not = TRUE)), sum(!(is_grow | !in_shop)))
  # Of sums, as of rows; the brand is known inside, too.
  busy <- tide_segment("busy", any_of = list(grow, tide_segment("sums", min_impressions = 500)))
  own <- tide_filter(tide_summary(data, brand = "fernmoor"), segments = busy)$cells
  expect_equal(sum(own$clicks),
    tide_explore(tide_explorer(data, brand = "fernmoor"), "pair", busy)$total$clicks)
  expect_true(inktide:::about_brand(list(tide_segment("x",
    any_of = list(tide_segment("y", brand = TRUE))))))
  expect_match(format(busy), "query text grow or min impressions 500")
  expect_error(tide_segment("x", any_of = list("grow")), class = "tide_error_argument")
})

test_that("each condition keeps what it says, and its complement the rest", {
  cases <- list(list(list(query = "^how|^pea$"), c(1, 6)), list(list(not_query = "kale"), 5:6),
    list(list(page = "/shop/"), c(2, 3, 5)), list(list(not_page = "/shop/"), c(1, 4, 6)),
    list(list(query_text = "KALE s"), 2:3), list(list(page_text = "/pea"), 5:6),
    list(list(starts = "kale"), 2), list(list(ends = "seeds"), c(2, 3, 5)),
    list(list(has_any = c("how", "pea")), c(1, 5, 6)),
    list(list(has_all = c("seeds", "kale")), 2:3),
    list(list(has_none = c("seeds", "pea")), c(1, 4)), list(list(words = c(3, Inf)), c(1, 3, 5)),
    list(list(characters = c(1, 10)), c(2, 6)), list(list(brand = TRUE), 4),
    list(list(intent = "commercial"), c(3, 5)),
    list(list(page_group = c("advice", "other")), c(1, 4, 6)),
    list(list(device = "Mobile"), c(1, 3, 5)), list(list(position = c(4, 12)), c(1, 3, 5)),
    list(list(min_impressions = 100), c(1, 4, 6)), list(list(min_clicks = 4), c(1, 2, 4)),
    list(list(has_any = "seeds", device = "mobile", min_clicks = 3), 3))
  for (case in cases) {
    expect_equal(do.call(kept, case[[1]]), rows$query[case[[2]]], info = names(case[[1]]))
    not <- do.call(tide_segment, c(list("x"), case[[1]], not = TRUE))
    expect_equal(kept(segments = not), rows$query[-case[[2]]], info = names(case[[1]]))
  }
})

test_that("a summary narrows to the same pairs, and says what it leaves out", {
  summary <- tide_summary(data)
  stack <- list(tide_segment("seeds", ends = "seeds"), tide_segment("not far", position = c(1, 10)))
  narrow <- tide_filter(summary, segments = stack, rules = rules)
  expect_setequal(narrow$queries$query[narrow$pairs$query], kept(segments = stack))
  expect_equal(utils::tail(narrow$left_out$clicks, 1), sum(rows$clicks) - 6)
  expect_match(format(narrow), "outside 'seeds', 'not far'.*%", all = FALSE)
  expect_error(tide_filter(summary, device = "mobile"), class = "tide_error_grain")
  expect_error(tide_filter(summary, query = "zzz"), class = "tide_error_nothing_left")
  filtered <- tide_filter(data, segments = stack, rules = rules)
  expect_equal(sum(filtered$left_out$clicks), sum(rows$clicks) - 6)
})

test_that("a broken condition is an error by name, a runaway pattern ends", {
  expect_error(tide_segment("x", query = "(a"), class = "tide_error_regex")
  expect_error(tide_segment("x", wrods = 3), "wrods", class = "tide_error_argument")
  expect_error(tide_segment("x", words = c(5, 3)), class = "tide_error_argument")
  long <- as_data(rows[1][, query := paste0(strrep("a", 60), "c")])
  time <- system.time(expect_error(tide_filter(long, query = "^(a+)+$"), "too long",
    class = "tide_error_regex"))
  expect_lt(time[["elapsed"]], 20)
})

test_that("findings inside a filter still rest on the whole site's curve", {
  found <- demo()$found
  within <-
    tide_find(demo()$summary, found$curve, segments = tide_segment("guides", page = "/guides/"))
  expect_true(all(grepl("/guides/", within$findings$page[within$findings$kind != "cannibalized"])))
  expect_equal(within$curve, found$curve)
  same <- merge(within$findings[kind == "low_ctr"], found$findings[kind == "low_ctr"], by = "id")
  expect_gt(nrow(same), 0)
  expect_equal(same$expected_ctr.x, same$expected_ctr.y)
  expect_lt(within$tested, found$tested)
  expect_match(within$outside$reason, "guides")
})
