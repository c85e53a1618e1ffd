test_that("work that is divided gives what it gives undivided, and its errors", {
  skip_on_os("windows")
  square <- function(i) if (i == 7) NULL else i^2
  alone <- inktide:::apply_forked(1:9, square)
  withr::local_options(mc.cores = 2)
  expect_identical(inktide:::apply_forked(1:9, square), alone)
  expect_identical(inktide:::apply_forked(1:9, square, spread = FALSE), alone)
  expect_identical(inktide:::start_forked(function() 6 * 7)(), 42)
  expect_error(inktide:::apply_forked(1:3, function(i) {
    inktide:::abort_argument("x", "less than two", i)
  }), class = "tide_error_argument")
  # Threads stay as they are in a fork, which cannot use those of the process it comes from, and a
  # fork does not fork again.
  asked <- inktide:::start_forked(function() {
    before <- data.table::getDTthreads()
    inktide:::use_threads(0)
    list(fork = inktide:::in_fork(), same = data.table::getDTthreads() == before,
      inside = unique(inktide:::apply_forked(1:4, function(i) Sys.getpid())), own = Sys.getpid())
  })()
  expect_true(asked$fork)
  expect_true(asked$same)
  expect_equal(asked$inside, list(asked$own))
  expect_false(inktide:::in_fork())
  # A process that is killed is no empty answer.
  expect_error(inktide:::start_forked(function() tools::pskill(Sys.getpid(), tools::SIGKILL))(),
    "was ended")
})
