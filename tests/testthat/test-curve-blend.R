test_that("places of a blended row keep its mean, and their variance grows with what is asked", {
  position <- c(1, 1.2, 2.5, 8.4, 30)
  for (variance in c(0, 0.5, 4)) {
    w <- inktide:::place_weights(position, rep(variance, 5), 1:100)
    fine <- inktide:::place_weights(position, rep(variance, 5), inktide:::fine_places)
    expect_equal(drop(fine %*% inktide:::fine_places), position, tolerance = 1e-3)
    expect_equal(rowSums(w), rep(1, 5), tolerance = 1e-4)
    expect_true(all(w >= -1e-9))
    expect_equal(drop(w %*% (1:100)), position, tolerance = 1e-3)
  }
  spread <- function(v) {
    w <- inktide:::place_weights(8.4, v, 1:100)
    drop(w %*% (1:100 - 8.4)^2)
  }
  expect_equal(spread(4), 4, tolerance = 0.05)
})

# Rows that average whole places, as exports do. `within`: standard deviation of the places of a
# row.
blended_site <- function(seed, within, queries = 400, days = 60) {
  set.seed(seed)
  d <- CJ(q = seq_len(queries), day = seq_len(days))
  home <- exp(runif(queries, 0, log(12)))
  demand <- exp(rnorm(queries, 1, 1))
  d[, impressions := rpois(.N, demand[q])]
  d <- d[impressions > 0]
  each <- data.table(row = rep(seq_len(nrow(d)), d$impressions))
  each[, place := pmax(1, round(home[d$q[row]] + rnorm(.N, 0, within * sqrt(home[d$q[row]]))))]
  factor <- exp(rnorm(queries, -0.045, 0.3))
  truth <- c(made_curve, rep(0.02, 40))
  each[, clicked := runif(.N) < truth[place] * factor[d$q[row]]]
  sums <- each[, .(clicks = sum(clicked), position = mean(place)), by = "row"]
  as_data(data.table(date = as.IDate("2026-01-01") + d$day, query = paste("query", d$q),
    page = "/a", clicks = sums$clicks, impressions = d$impressions, position = sums$position))
}

test_that(
  "the spread of places within a row is estimated, and taking it apart halves the bias at the top",
  {
    skip_unless_studies()
    runs <- vapply(1:6, function(seed) {
      summary <- tide_summary(blended_site(seed, 0.6))
      curve <- tide_curve(summary)
      plain <- curve
      plain_summary <- summary
      plain_summary$cells <- copy(summary$cells)[, rows := impressions]
      bias <- function(s) mean(abs(log(predict(tide_curve(s), 1:5)$ctr / made_curve[1:5])))
      c(inktide:::blend_variance(curve$blend, 5, 1), bias(summary), bias(plain_summary))
    }, numeric(3))
    # Rounding to whole places adds a twelfth.
    expect_equal(mean(runs[1, ]), 0.6^2 * 5 + 1 / 12, tolerance = 0.3)
    expect_lt(mean(runs[2, ]), 0.7 * mean(runs[3, ]))
  })
