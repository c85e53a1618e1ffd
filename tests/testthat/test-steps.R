# The job, step by step, on the demo site: each step is one command, and its answer stands first.
test_that("every step of the job is one command with its answer first, on a screen", {
  skip_unless_studies()
  dir <- file.path(withr::local_tempdir(), "demo-site")
  tide_demo(dir)
  expect_equal(program("load", Sys.glob(file.path(dir, "exports", "*.csv")), dir = dir)$status, 0L)
  steps <- fread(testthat::test_path("fixtures", "steps.csv"))
  expect_gt(nrow(steps), 60)
  for (i in seq_len(nrow(steps))) {
    words <- scan(text = steps$command[i], what = "", quiet = TRUE)
    run <- program(words[-1], dir = dir)
    told <- steps$command[i]
    expect_equal(run$status, 0L, label = told, info = paste(run$err, collapse = "\n"))
    said <- gsub("\n +", " ", paste(run$out, collapse = "\n"))
    expect_true(grepl(paste0("(?m)", steps$answer[i]), said, perl = TRUE), label = told)
    expect_lte(length(run$out), 30L + 4L * grepl("--details|--lead", told), label = told)
    # A remark may take two lines of a narrow terminal.
    expect_lte(length(run$err), 6L + 20L * grepl("--details", told), label = told)
    file <- grep("[.](png|csv|xlsx|md|html)$", words[-1], value = TRUE)
    made <- file[!grepl("page-values", file)]
    if (length(made)) expect_true(file.exists(file.path(dir, made)), label = told)
  }
})
