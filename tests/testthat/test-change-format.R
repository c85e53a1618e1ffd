test_that(
  "whole clicks add up by row and by column, close to the exact ones, and nothing stays nothing",
  {
    parts <- inktide:::part_names
    for (seed in 1:30) {
      set.seed(seed)
      n <- sample(1:12, 1)
      exact <- matrix(rnorm(4 * n, 0, 5), n)
      exact[, 4] <- 0
      before <- rpois(n, 40) * if (seed %% 2) 1 else 30 / 28
      lines <- data.table(clicks_before = before, clicks_after = before + rowSums(exact))
      lines[, (parts) := as.list(as.data.frame(exact))]
      all <- inktide:::whole_lines(lines[, lapply(.SD, sum)])
      whole <- inktide:::whole_lines(lines, all)
      expect_equal(rowSums(whole[, parts, with = FALSE]), whole$clicks_after - whole$clicks_before)
      for (of in c("clicks_before", "clicks_after", parts)) {
        expect_equal(sum(whole[[of]]), all[[of]])
      }
      expect_true(all(abs(as.matrix(whole[, parts, with = FALSE]) - exact) < 2.5))
      expect_true(all(whole$by_new_lost == 0))
    }
    expect_equal(inktide:::whole_shares(c(0.4, 0.4, 0, 0.2), 1), c(1, 0, 0, 0))
    expect_equal(sum(inktide:::whole_shares(c(-3.5, 1.2, 0), -9)), -9)
  })

test_that("every line of the table holds its own figures under their heads, one line as well", {
  data <- as_data(made_site(queries = 60, days = 70, demand = rep(20, 60)))
  for (level in c("site", "query", "page")) {
    change <- tide_compare(data, by = level)
    lines <- format(change, n = 2)
    head <- grep("before +after +change +before +after +change +before +after +points", lines)
    expect_length(head, 1)
    shown <- inktide:::comparison_table(change, 2)
    # Below a line of the name and its causes stand twelve figures.
    cells <- strsplit(trimws(lines[head + 2L * seq_len(nrow(shown))]), " +")
    figures <- do.call(rbind, lapply(cells, function(own) as.numeric(gsub("[,+%]", "", own))))
    expect_equal(figures[, c(1:5, 7, 8, 10, 11), drop = FALSE], unname(as.matrix(shown[, list(
      clicks_before, clicks_after, change, round(impressions_before), round(impressions_after),
      signif(100 * ctr_before, 2), signif(100 * ctr_after, 2), round(position_before, 1),
      round(position_after, 1))])), tolerance = 1e-2, label = level)
    expect_equal(figures[, 6], round(figures[, 5] - figures[, 4]))
    # Its causes are those of its change.
    first <- inktide:::why_parts(shown)[1]
    expect_match(lines[head + 1], first, fixed = TRUE)
  }
})

test_that("unusual days are left out, which is said, and kept where they are asked for", {
  rows <- made_site(queries = 80, days = 70, demand = rep(20, 80))
  day <- max(rows$date) - 10L
  bots <- copy(rows)[date == day, "impressions" := 5L * impressions]
  change <- tide_compare(as_data(bots))
  expect_equal(change$unusual$date, day)
  expect_equal(change$windows[, .(days, left_out)], data.table(days = 28:27, left_out = 0:1))
  expect_match(paste(format(change, keep = "--keep"), collapse = " "),
    sprintf("unusual days left out: %s \\(seen, not clicked\\); --keep keeps them",
      inktide:::format_day(day)))
  without <- tide_compare(as_data(rows[date != day]))
  expect_equal(change$site$clicks_after, without$site$clicks_after)
  expect_equal(change$windows$clicks, without$windows$clicks)
  kept <- tide_compare(as_data(bots), all_days = TRUE)
  expect_equal(kept$windows$days, c(28L, 28L))
  expect_gt(kept$site$by_demand, change$site$by_demand + 50)
})

test_that("segments of different queries stand side by side, brand apart", {
  rows <- made_site(queries = 120, days = 30)
  rows[query == "query 0002", "query" := "zzz shop"]
  data <- as_data(rows)
  rules <- tide_rules(brand = "zzz")
  some <- tide_segment("some", query = "query 00[0-4]")
  parts <- tide_compare(data, by = "query", segments = some, rules = rules)
  expect_s3_class(parts, "tide_comparison")
  expect_match(parts$note, "share no query")
  expect_equal(sum(parts$parts$click_share), 1)
  expect_equal(parts$parts[, .(segment, side)],
    data.table(segment = c("some", "the rest", "the rest"),
      side = c("non-brand", "non-brand", "brand")))
  expect_equal(parts$parts$positions_1_3 + parts$parts$positions_4_10 + parts$parts$positions_11_up,
    rep(1, 3))
})
