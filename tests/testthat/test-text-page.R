test_that("spellings of one page fold, other pages stay", {
  key <- function(x) inktide:::url_key(inktide:::clean_url(x))
  same <- c("https://www.fernmoor.example/shop/", "http://fernmoor.example/shop",
    "HTTPS://WWW.Fernmoor.example/shop/#seeds",
    "https://www.fernmoor.example/shop/?utm_source=letter&utm_medium=mail",
    "https://www.fernmoor.example/shop/index.html", "https://fernmoor.example/shop?xclid=1")
  expect_equal(unique(key(same)), "fernmoor.example/shop")
  other <- c(same[1], "https://www.fernmoor.example/Shop/",
    "https://www.fernmoor.example/shop/kale/", "https://www.fernmoor.example/shop/?page=2",
    "https://shop.fernmoor.example/shop/")
  expect_equal(anyDuplicated(key(other)), 0L)
  expect_equal(key("https://www.fernmoor.example/?id=7&utm_term=a"), "fernmoor.example?id=7")
})
