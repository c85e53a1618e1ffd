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

test_that("percent-encoding and Unicode forms fold, nothing else does (RFC 3986, 6.2.2)",
  {
    folded <- list(
      c("https://www.fernmoor.example/gem%c3%bcse/", "https://fernmoor.example/gem%C3%BCse",
        "http://fernmoor.example/gem\u00fcse/", "https://fernmoor.example/gemu\u0308se/",
        "https://fernmoor.example/%67em%C3%BCse"),
      c("/a%2fb", "/a%2Fb"),
      c("/100%", "/100%25"),
      c("/x%e9", "/x%E9"),
      c("/a%20b", "/a b"))
    for (same in folded) expect_equal(length(unique(inktide:::page_key(same))), 1L, label = same[1])
    apart <- c("/a%2Fb", "/a/b", "/a?q=%26x", "/a?q=&x", "/a%2525", "/a%25", "/x%E9", "/x%C3%A9")
    expect_equal(anyDuplicated(inktide:::page_key(apart)), 0L)
  })
