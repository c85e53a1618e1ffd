test_that("every result prints, sums up and is a table where one expects one", {
  data <- tide_read(tide_example()[["pairs"]])
  summary <- tide_summary(data, brand = "fernmoor")
  curve <- tide_curve(summary)
  found <- tide_find(summary, curve)
  file <- csv("date,event,pages", "2026-09-14,Guide rewritten,/guides/*")
  results <- list(
    data = data,
    summary = summary,
    curve = curve,
    found = found,
    comparison = tide_compare(data, by = "device"),
    change = tide_compare(data, by = "page", curve = curve),
    trace = tide_trace(data, "/guides/*"),
    follow = tide_follow(data, curve = curve, most = 2),
    events = tide_events(file),
    facts = tide_facts(csv("query,volume", "kale seeds,900"))[[1]],
    inventory = tide_inventory(data, curve = curve),
    watched = tide_watched(data, "/radish/", curve = curve),
    results = tide_results_pages(csv("query,place,title", "kale seeds,1,7 kinds of kale")),
    pages = tide_pages_read(
      dirname(csv("<html><body><p>Kale seeds.</p></body></html>", name = "index.html")),
      "https://www.fernmoor.example/"))
  for (name in names(results)) {
    x <- results[[name]]
    expect_s3_class(tidy(x), "tbl_df")
    expect_equal(as.data.frame(x), as.data.frame(tidy(x)), label = name)
    said <- utils::capture.output(print(x))
    expect_true(length(said) > 0 && !any(grepl("^\\$|^List of|NULL", said)), label = name)
    if (!name %in% c("data", "events", "facts")) {
      expect_s3_class(summary(x), "tbl_df")
      expect_gte(nrow(summary(x)), 1)
    }
  }
  # Whatever has a format prints it.
  for (name in names(results)) {
    expect_s3_class(results[[name]], "tide_result")
    expect_equal(capture.output(print(results[[name]])), format(results[[name]]), label = name)
  }
  # Every field stands on a help page of its class.
  pages <- c(data = "tide_read", summary = "tide_summary", curve = "tide_curve",
    found = "tide_find", comparison = "tide_comparison", change = "tide_change",
    trace = "tide_trace", follow = "tide_follow", events = "tide_events", facts = "tide_facts",
    inventory = "tide_inventory", watched = "tide_watched", results = "tide_results_pages",
    pages = "tide_pages_read")
  folder <- file.path("..", "..", "man")
  if (dir.exists(folder)) {
    for (name in names(results)) {
      page <- paste(readLines(file.path(folder, paste0(pages[[name]], ".Rd"))), collapse = " ")
      fields <- names(results[[name]])
      told <- vapply(fields, function(x) grepl(sprintf("code{%s}", x), page, fixed = TRUE), NA)
      expect_equal(fields[!told], character(), label = name)
    }
  }
  # Sums by hand, from the rows as they were read.
  rows <- data$tables[[1]]$rows
  total <- summary(summary)
  expect_equal(c(total$clicks, total$impressions), c(sum(rows$clicks), sum(rows$impressions)))
  expect_equal(total$position, sum(rows$position * rows$impressions) / sum(rows$impressions))
  expect_equal(sum(tidy(summary)$clicks), total$clicks)
  expect_s3_class(ggplot2::autoplot(summary), "ggplot")
  undated <- tide_summary(tide_read(tide_example()[["capped"]]))
  expect_error(ggplot2::autoplot(undated), class = "tide_error_figure")
})
