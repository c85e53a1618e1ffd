test_that("the curve's print can be read aloud", {
  text <- format(demo()$found$curve)
  expect_match(text[1], "2025-07-02 to 2026-10-31")
  expect_true(any(grepl("non-brand: .* pairs", text)))
  expect_true(all(nchar(text) <= 100))
})

test_that(
  "data added to a curve give the curve of all data at once, and the same days are not taken twice",
  {
    rows <- made_site(queries = 200, days = 60)
    rows[query == "query 0005", query := "fernmoor seeds"]
    half <- as.IDate("2026-01-31")
    part <- function(which) tide_summary(as_data(rows[which]), brand = "fernmoor")
    both <- update(tide_curve(part(rows$date <= half)), part(rows$date > half))
    expect_equal(predict(both, 1:20), predict(tide_curve(part(rep(TRUE, nrow(rows)))), 1:20),
      tolerance = 0.02)
    expect_equal(glance(both)$clicks, glance(tide_curve(part(rep(TRUE, nrow(rows)))))$clicks)
    expect_error(update(both, part(rows$date > half)), class = "tide_error_overlap")
    # What it holds now is a whole summary, which prints and gives a list.
    expect_output(print(both$summary), "findings rest on")
    expect_s3_class(tide_find(both$summary, both), "tide_findings")
  })

test_that("update() fits again with what changed, and refuses what is no argument", {
  summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
  curve <- tide_curve(summary)
  expect_equal(tidy(update(curve, method = "pivot")), tidy(tide_curve(summary, method = "pivot")))
  expect_equal(tidy(update(curve, level = 0.8)), tidy(tide_curve(summary, level = 0.8)))
  expect_equal(tidy(update(curve)), tidy(curve))
  expect_error(update(curve, levels = 0.8), class = "tide_error_argument")
})
