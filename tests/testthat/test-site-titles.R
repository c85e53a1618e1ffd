test_that("titles of listed addresses come in their order, with what stands in the way", {
  server <- served_site(demo_read()$dir)
  withr::defer(server$stop())
  shop <- paste0(server$site, "shop/kale/")
  addresses <- c(shop, "http://127.0.0.1:9/dead/", paste0(server$site, "nowhere/"),
    sub("/$", "", shop), server$site)
  titles <- tide_page_titles(addresses, delay = 0, timeout = 5)
  expect_identical(titles$page, addresses)
  known <- demo_read()$pages$pages
  at <- match(c("https://www.fernmoor.example/shop/kale/", "https://www.fernmoor.example/"),
    known$page)
  for (column in c("title", "description", "heading")) {
    expect_identical(titles[[column]][c(1, 5)], known[[column]][at])
  }
  expect_identical(titles$title_length, nchar(titles$title))
  expect_identical(titles$title[4], titles$title[1])
  expect_match(titles$problem[2], "no connection")
  expect_match(titles$problem[3], "404")
  expect_true(all(titles$problem[c(1, 4, 5)] == ""))
  # Only what was listed is asked for, each page once.
  asked <- server$requests()$path
  expect_setequal(asked, c("/robots.txt", "/shop/kale/", "/nowhere/", "/"))
  expect_error(tide_page_titles("fernmoor.example/shop"), class = "tide_error_argument")
})

test_that("the program lists titles of @FILE and refuses what they do not use", {
  server <- served_site(demo_read()$dir)
  withr::defer(server$stop())
  dir <- withr::local_tempdir()
  writeLines(c("URL", paste0(server$site, c("shop/kale/", "guides/"))), file.path(dir, "a.txt"))
  run <- program(c("pages", "@a.txt", "--delay", "0", "--format", "csv"), dir = dir)
  expect_equal(run$status, 0L)
  rows <- fread(text = run$out)
  expect_equal(nrow(rows), 2)
  expect_true(all(nzchar(rows$title)) && all(rows$title_length == nchar(rows$title)))
  shown <- program(c("pages", "@a.txt", "--delay", "0"), dir = dir)
  expect_match(shown$out[1], "2 of 2 addresses read")
  expect_true(any(grepl(rows$title[1], shown$out, fixed = TRUE)))
  expect_equal(program(c("pages", "@a.txt", "--missing"), dir = dir)$status, 2L)
})
