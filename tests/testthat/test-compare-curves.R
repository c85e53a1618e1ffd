test_that("the month in which clicks at equal position changed is named, and none where none did", {
  rows <- made_site(queries = 300, days = 150)
  expect_false(any(tide_compare(tide_summary(as_data(rows), split = "month"))$changed))
  late <- which(rows$date >= as.IDate("2026-04-01"))
  set.seed(2)
  rows[late, clicks := rbinom(length(late), clicks, 0.7)]
  change <- tide_compare(tide_summary(as_data(rows), split = "month"))
  expect_equal(change$month[change$changed], "2026-04")
  expect_equal(change$ratio[change$changed], 0.7, tolerance = 0.05)
})

test_that("curves of two devices differ by what was planted; the better method is named", {
  rows <- made_site(queries = 400, days = 40)
  phone <- copy(rows)[, "clicks" := rbinom(.N, impressions, 0.6 * made_curve[position])]
  both <- as_data(rbind(phone[, "device" := "mobile"], rows[, "device" := "desktop"]))
  summary <- tide_summary(both, split = "device")
  curve <- tide_curve(summary, by = "device")
  gap <- tide_compare(curve, "mobile", "desktop", position = 1:8)
  expect_true(all(gap$ratio_low < gap$ratio & gap$ratio < gap$ratio_high))
  expect_gt(mean(gap$ratio_low < 0.6 & 0.6 < gap$ratio_high), 0.6)
  back <- tide_compare(curve, "desktop", "mobile", position = 1:8)
  expect_equal(back$ratio, 1 / gap$ratio)
  expect_equal(back$chance, 1 - gap$chance)
  expect_error(tide_compare(curve, "mobile", "tablet"), class = "tide_error_argument")
  rivals <- inktide:::curve_rivals(summary)
  expect_equal(rivals$method[1], "fitted")
  expect_true(all(rivals$behind >= 0) && !is.unsorted(rivals$behind))
})
