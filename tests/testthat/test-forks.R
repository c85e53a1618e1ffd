test_that("work that is divided gives what it gives undivided, and its errors", {
  skip_on_os("windows")
  square <- function(i) if (i == 7) NULL else i^2
  alone <- inktide:::apply_forked(1:9, square)
  withr::local_options(mc.cores = 2)
  expect_identical(inktide:::apply_forked(1:9, square), alone)
  expect_identical(inktide:::start_forked(function() 6 * 7)(), 42)
  expect_error(inktide:::apply_forked(1:3, function(i) {
    inktide:::abort_argument("x", "less than two", i)
  }), class = "tide_error_argument")
  # A process that is killed is no empty answer.
  expect_error(inktide:::start_forked(function() tools::pskill(Sys.getpid(), tools::SIGKILL))(),
    "was ended")
})
