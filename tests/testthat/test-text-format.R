test_that("texts for the terminal keep to their width, whatever the script", {
  wide <- c("kale", "\u6d77\u5e26 \u79cd\u5b50 \u5927 \u5305\u88c5",
    "a very long query about growing kale in pots")
  expect_equal(nchar(inktide:::fit_text(wide, 12), "width"), rep(12, 3), tolerance = 0.1)
  expect_match(inktide:::fit_path("/guides/how-to-grow-artichoke/", 12), "choke/$")
  lines <- inktide:::wrap_lines(c("short", paste("  indented", strrep("word ", 40))), 60)
  expect_true(all(nchar(lines) <= 60))
  expect_true(all(startsWith(lines[-1], "  ")))
})

test_that("texts for people keep their precision and stay short", {
  expect_equal(inktide:::format_rate(c(0.28, 0.0996, 0.053, 0.0004, 0, NA)),
    c("28%", "10%", "5.3%", "0.04%", "0%", ""))
  expect_equal(inktide:::format_clicks(c(1234.6, 9.44, 0)), c("1,235", "9.4", "0.0"))
  expect_equal(inktide:::format_sure(c(0.999, 0.5)), c(">99%", "50%"))
  expect_equal(inktide:::format_path(c("https://www.fernmoor.example/a/?b=1",
    "https://www.fernmoor.example", "")),
    c("/a/?b=1", "/", ""))
})
