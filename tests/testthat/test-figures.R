# What every command says of the shipped example, frozen: a change that moves no figure keeps these,
# one that does says so in NEWS.md and renews them:
#   R_LIBS=.build/library Rscript -e 'source("tests/testthat/fixtures/make-figures.R")'
test_that("figures of the shipped example are those of before", {
  source(test_path("fixtures", "figures.R"), local = TRUE)
  now <- shipped_figures(function(words) program(words)$out)
  frozen <- readRDS(test_path("fixtures", "figures.rds"))
  for (name in names(frozen)) {
    expect_equal(now[[name]], frozen[[name]], tolerance = 1e-6, label = name)
  }
  expect_setequal(names(now), names(frozen))
})
