test_that("intent is told by whole words", {
  expect_equal(inktide:::query_intent(c("best kale seeds", "how to sow kale", "kale", "showcase",
    "how to buy kale")),
    c("commercial", "informational", "other", "other", "commercial"))
})
