test_that("one seed gives one site, and the session's random state is left alone", {
  set.seed(99)
  before <- .Random.seed
  a <- tide_demo(seed = 5, days = 14, share = 0.1)
  expect_identical(.Random.seed, before)
  expect_equal(a$daily, tide_demo(seed = 5, days = 14, share = 0.1)$daily)
  expect_false(isTRUE(all.equal(a$daily, tide_demo(seed = 6, days = 14, share = 0.1)$daily)))
})

test_that("the whole site is as described", {
  site <- demo()$site
  expect_gt(uniqueN(site$truth$queries$query), 2300)
  expect_equal(uniqueN(inktide:::demo_code()$demo_pages()$page), 250)
  expect_gt(sum(site$totals$clicks), sum(site$daily$clicks))
  expect_equal(sum(site$page_totals$clicks), sum(site$totals$clicks))
  expect_equal(nrow(site$capped), 1000)
  expect_setequal(site$truth$queries$case,
    c("one_page", "swap", "split", "far_second", "blip", "both_top", "brand_links"))
  expect_true(any(grepl("#sowing", site$daily$page)) && any(grepl("utm_source", site$daily$page)))
})

test_that("the files are read back to the same totals", {
  dir <- withr::local_tempdir()
  site <- tide_demo(dir, seed = 2, days = 30, share = 0.05)
  files <- site$files
  data <- tide_read(files[c("daily", "totals")], lag = 0)
  expect_equal(sum(data$tables[["date x query x page x device"]]$rows$clicks),
    sum(site$daily$clicks))
  expect_equal(sum(data$tables[["date"]]$rows$impressions), sum(site$totals$impressions))
  expect_match(readLines(files[["capped"]], 2)[2], "%")
})

test_that("the demo command makes a whole project, and refuses a folder that holds something else",
  {
    skip_unless_studies()
    dir <- file.path(withr::local_tempdir(), "fernmoor")
    run <- program("demo", dir, "--quiet", env = "COLUMNS=80")
    expect_equal(run$status, 0)
    made <- c("inktide.yml", "report.html", "findings.csv", "figures/curve.png", "figures/map.png",
      "exports/daily.csv", "exports/top-queries.csv")
    expect_true(all(file.exists(file.path(dir, made))))
    expect_true(all(nchar(head(run$out, 20), "width") <= 80))
    expect_gt(nrow(fread(file.path(dir, "findings.csv"))), 50)
    other <- withr::local_tempdir()
    writeLines("mine", file.path(other, "notes.txt"))
    expect_equal(program("demo", other)$status, 2)
  })
