test_that("any line can be redone by hand from what is explained", {
  found <- demo()$found
  for (kind in unique(found$findings$kind)) {
    line <- found$findings[which(found$findings$kind == kind)[1]]
    told <- tide_trace(found, line$id)
    expect_equal(sum(told$cells$clicks), line$clicks)
    expect_equal(sum(told$cells$expected) / sum(told$cells$impressions), line$expected_ctr,
      tolerance = 1e-6)
    expect_match(paste(format(told), collapse = " "), sprintf("= %.4g", line$gain), fixed = TRUE)
  }
  expect_error(tide_trace(found, "L-0000000000"), class = "tide_error_finding")
})

# Both sides of the sums that a trace shows, worked out: what stands between the first "=" and the
# last. Words after a comma or in brackets name a figure.
worked_out <- function(step) {
  step <- sub(", a chance of .*", "",
    sub("^.*?(taken out: |usually have: | = )", "", step, perl = TRUE))
  step <-
    gsub("\\([^()]*(share|other page|target over)[^()]*\\)|, (the|what) [^)]*(?=\\))", "", step,
      perl = TRUE)
  sides <- strsplit(gsub("[a-z ]+of the curve", "", gsub(" x ", " * ", step)), " = ")[[1]]
  vapply(utils::tail(sides, 2), function(side) eval(parse(text = side), list(ln = log)), 0)
}

test_that("every sum that a trace shows comes out when it is done by hand", {
  found <- demo()$found
  of_kind <- stats::ave(seq_along(found$findings$kind), found$findings$kind, FUN = seq_along)
  low <- found$findings$kind == "low_ctr"
  for (id in found$findings$id[low | of_kind <= 5]) {
    steps <- tide_trace(found, id)$steps
    sums <- paste0("^log factor|^level|^the level|^its own level|",
      "^confidence = \\(|^gain =|^if done =|^default chance = |^score = ")
    for (step in grep(sums, steps, value = TRUE)) {
      plain <- sub("(= [0-9.]+);.*", "\\1", sub(", variance.*| \\(share.*", "", step))
      sides <- worked_out(plain)
      # Figures are shown with three decimals.
      expect_equal(sides[[1]], sides[[2]], tolerance = 0.05, label = step)
    }
  }
})
