test_that("impressions grow on page one by what the site's own crossing queries show", {
  weekly <- CJ(query = 1:60, week = 1:12)
  weekly[, c("page", "position") := list(query, ifelse((week + query) %% 12 < 6, 7, 14))]
  weekly[, c("clicks", "impressions") := list(1, ifelse(position < 10, 250, 100) * (1 + week / 12))]
  views <- function(crossing) {
    still <- copy(weekly)[query > crossing,
      c("position", "impressions") := list(14, 100 * (1 + week / 12))]
    inktide:::page_one_views(list(weekly = still))
  }
  expect_equal(views(60), 2.5, tolerance = 0.03)
  # One query alone is held half of the way to the default.
  expect_equal(log(views(1)), log(1.5) / 2 + log(2.5) / 2, tolerance = 0.05)
  expect_equal(inktide:::page_one_views(list(weekly = NULL)), 1.5)
})
