test_that("figures draw the curve's own numbers and mark every finding", {
  found <- demo()$found
  bars <- as.data.table(ggplot2::ggplot_build(ggplot2::autoplot(found$curve))$data[[1]])
  expect_equal(bars[PANEL == 2]$y[10], predict(found$curve, 10, "non-brand")$ctr, tolerance = 1e-6)
  built <- ggplot2::ggplot_build(ggplot2::autoplot(found$curve, until = 20, axes = "log"))
  line <- as.data.table(built$data[[3]])[colour == inktide:::segment_colours[["non-brand"]]]
  at_ten <- line$y[which.min(abs(line$x - 1))]
  expect_equal(10^at_ten, predict(found$curve, 10, "non-brand")$ctr, tolerance = 1e-6)
  map <- ggplot2::ggplot_build(ggplot2::autoplot(found))
  expect_equal(nrow(map$data[[3]]), sum(found$findings$position <= 30))
  # Contests far down are drawn where they are.
  far <- found
  far$summary$contested <- copy(found$summary$contested)[, position := position + 80]
  expect_silent(weeks <- ggplot2::ggplot_build(ggplot2::autoplot(far, what = "contests")))
  expect_lt(max(weeks$data[[1]]$y, na.rm = TRUE), -60)
})

test_that("every figure is drawn to a file, of its own data", {
  data <- as_data(made_site(queries = 150, days = 56))
  summary <- tide_summary(data)
  curve <- tide_curve(summary)
  moves <- tide_compare(data, curve = curve)
  followed <- tide_follow(data, curve = curve, most = 3)
  figures <- list(curve, tide_find(summary, curve, min_gain = 0), tide_curve_check(curve, summary),
    moves, followed, tide_trace(data, "query 0005"), tide_compare(data, by = "page_group"))
  for (figure in figures) {
    drawn <- ggplot2::autoplot(figure)
    expect_s3_class(drawn, "ggplot")
    expect_true(nzchar(drawn$labels$title))
    file <- withr::local_tempfile(fileext = ".svg")
    inktide:::save_figure(drawn, file)
    expect_match(readLines(file, n = 2)[2], "<svg")
  }
  # The waterfall goes from the clicks before to the clicks after, and each step begins where the
  # last one ended.
  steps <- ggplot2::ggplot_build(ggplot2::autoplot(moves))$plot$data
  expect_equal(c(steps$to[1], steps$to[6]), c(moves$site$clicks_before, moves$site$clicks_after))
  expect_equal(steps$from[2:5], steps$to[1:4])
})
