test_that("bins are whole at rounded positions, and cells keep their own mean", {
  p <- seq(1, 120, by = 0.013)
  bin <- inktide:::position_bin(p)
  expect_equal(bin, findInterval(p, inktide:::position_breaks))
  rounded <- floor(p + 0.5)
  near <- p < 20.5
  expect_true(all(tapply(rounded[near], bin[near], function(x) length(unique(x))) == 1))
})
