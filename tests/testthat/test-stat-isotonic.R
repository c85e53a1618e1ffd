test_that("pooling violators gives the least-squares non-increasing fit (stats::isoreg)", {
  set.seed(4)
  for (i in 1:20) {
    y <- rnorm(12)
    expect_equal(inktide:::pool_violators(y, rep(1, 12)), -stats::isoreg(-y)$yf)
  }
  # A weight of 2 is the same as a value twice.
  expect_equal(inktide:::pool_violators(c(1, 3, 2), c(1, 2, 1)),
    inktide:::pool_violators(c(1, 3, 3, 2), rep(1, 4))[c(1, 2, 4)])
})
