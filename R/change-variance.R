# What varies from day to day.
varying_figures <- c("clicks", "impressions", "expected", "demand")

# So many weeks of its own weigh as much for a line as what all lines do: four leave half of what
# can be found unfound, the common value alone marks too much (bench/accuracy.md, "simulate-moves").
belief_weeks <- 50

# Sums of the figures by row-major cell code, as matrices.
figure_matrices <- function(rows, code, height, width) {
  lapply(stats::setNames(nm = varying_figures), function(of) {
    matrix(sum_codes(rows[[of]], code, height * width), height)
  })
}

# How far lines vary beyond counts, as the variance it gives the log change of two windows, by
# measure: list(variance, df), a value for each line. In: rows with `line`, `side` and the figures
# summed; how many lines there are; the windows.
window_variance <- function(rows, many, windows) {
  if (length(unique(rows$line)) < few_lines) {
    variance_by_day(rows, many)
  } else {
    variance_by_week(rows, many, windows)
  }
}

# Of many lines: successive weeks of one window are held against each other (von Neumann 1941), less
# what all lines did between them, so that a slow fall is a change and not noise. Windows of less
# than three weeks are held against each other day by day; there, how much more days further apart
# differ tells how alike neighbours are, and with that how much of a few good days stays in the sums
# of windows.
variance_by_week <- function(rows, many, windows) {
  day_counts <- vapply(windows, function(window) as.integer(window[2] - window[1]) + 1L, 0L)
  block <- if (min(day_counts) >= 21) 7L else 1L
  steps <- day_counts %/% block
  ends <- vapply(windows, function(window) as.integer(window[2]), 0L)
  back <- (ends[rows$side] - as.integer(rows$date)) %/% block
  lines <- unique(rows$line)
  column <- ifelse(back < steps[rows$side], back + c(0L, steps[1])[rows$side], NA)
  use <- which(!is.na(column))
  # A row for each line, a column for each step, the latest of each window first.
  sums <- figure_matrices(rows[use], (match(rows$line, lines) + length(lines) * column)[use],
    length(lines), sum(steps))
  near <- steps_apart(sums, steps, 1L)
  lag_days <- if (block == 1L) max(1L, min(steps) %/% 2L) else 1L
  # Of so many lines a share tells as much.
  some <- unique(round(seq(1, length(lines), length.out = 2000)))
  far <- if (lag_days > 1L) steps_apart(lapply(sums, `[`, some, TRUE, drop = FALSE), steps,
    lag_days)
  times <- lapply(1:2, function(side) (ends[side] - ends[2]) / block - seq_len(steps[side]))
  one_line <- lines[near$line]
  weeks <- tabulate(one_line, many)
  lapply(stats::setNames(nm = names(near$changes)), function(measure) {
    x <- near$changes[[measure]]
    # Windows of one day do not tell.
    next_one <- if (length(x$change)) robust_between_variance(x$change, x$noise) else NA_real_
    more <- if (NROW(far$line)) excess_lag_variance(next_one, x, far$changes[[measure]]) else 0
    later <- next_one + more
    alike <- ar1_correlation(next_one, later, lag_days)
    # What a difference of neighbours gives the difference of two windows.
    share <- windows_apart(alike, times) / (2 * (1 - alike))
    variance <- later * windows_apart(alike, times) / (2 * (1 - alike^lag_days))
    own <- sum_codes(x$change^2 - x$noise, one_line, many) * share
    list(variance = pmax(0, (belief_weeks * variance + own) / (belief_weeks + weeks)),
      df = belief_weeks + weeks)
  })
}

# Changes of lines between steps of one window `lag` apart, less their median over all lines:
# list(line, changes), the latter as measured_changes().
steps_apart <- function(sums, steps, lag) {
  later <- unlist(lapply(1:2, function(side) {
    c(0L, steps[1])[side] + seq_len(max(0L, steps[side] - lag))
  }))
  seen <- which(sums$impressions[, later] > 0 & sums$impressions[, later + lag] > 0)
  pairs <- setDT(c(
    stats::setNames(lapply(sums, function(x) x[, later + lag][seen]), paste0(names(sums), "_1")),
    stats::setNames(lapply(sums, function(x) x[, later][seen]), paste0(names(sums), "_2"))))
  lines <- nrow(sums$impressions)
  moment <- (seen - 1L) %/% lines
  list(line = (seen - 1L) %% lines + 1L, changes = lapply(measured_changes(pairs), function(x) {
    list(change = x$change - stats::ave(x$change, moment, FUN = stats::median), noise = x$noise)
  }))
}

# By how much more steps further apart differ, less what chance may have made of it (the positive
# part of James and Stein 1961). Medians of `n` squares vary by 5.44 / n (Rousseeuw and Croux 1993,
# Journal of the American Statistical Association 88, 1273-1283: an efficiency of 0.37).
excess_lag_variance <- function(next_one, near, far) {
  chance <- function(x, variance) {
    (variance + stats::median(x$noise))^2 * 5.44 / length(x$change)
  }
  later <- robust_between_variance(far$change, far$noise)
  more <- later - next_one
  if (more <= 0) return(0)
  max(0, more - (chance(near, next_one) + chance(far, later)) / more)
}

# The correlation of neighbours by which steps `lag` apart differ by so much more than neighbours
# do, each step resting on the one before (a first-order autoregression): (1 - r^lag) / (1 - r).
ar1_correlation <- function(next_one, later, lag, most = 0.95) {
  more <- function(r) (1 - r^lag) / (1 - r)
  if (is.na(next_one) || later <= next_one) return(0)
  if (later >= next_one * more(most)) return(most)
  stats::uniroot(function(r) more(r) - later / next_one, c(0, most))$root
}

# The variance of the difference of two windows' means where steps have a variance of one and are
# alike by so much. times: of the steps of each window.
windows_apart <- function(alike, times) {
  shared <- function(a, b) mean(alike^abs(outer(a, b, `-`)))
  shared(times[[1]], times[[1]]) + shared(times[[2]], times[[2]]) -
    2 * shared(times[[1]], times[[2]])
}

# Of few lines, such as the site or its folders, nothing tells what all did: each is judged by its
# own days around the mean of its window.
variance_by_day <- function(rows, many) {
  days <- unique(rows[, c("side", "date")])
  setorderv(days, c("side", "date"))
  code <- match(rows$side * 1e6 + as.integer(rows$date), days$side * 1e6 + as.integer(days$date)) +
    nrow(days) * (rows$line - 1L)
  lapply(day_values(rows, code, nrow(days), many), variance_of_means, days)
}

# Of the site, two segments on the same days: each day's difference around the mean of all. Without
# days nothing tells.
variance_of_segments <- function(rows) {
  days <- if ("date" %in% names(rows)) {
    intersect(rows$date[rows$side == 1], rows$date[rows$side == 2])
  }
  if (length(days) < 2) return(unknown_variance)
  days <- data.table(side = 1L, date = as.IDate(sort(days)))
  day <- match(rows$date, days$date)
  of_side <- lapply(1:2, function(one) {
    use <- which(rows$side == one & !is.na(day))
    day_values(rows[use], day[use], nrow(days), 1L)
  })
  Map(function(before, after) {
    variance_of_means(list(value = after$value - before$value, noise = after$noise + before$noise),
      days)
  },
    of_side[[1]], of_side[[2]])
}

unknown_variance <- list(demand = list(variance = NA_real_, df = 1),
  visible = list(variance = NA_real_, df = 1), clicked = list(variance = NA_real_, df = 1))

# The variance, beyond counts, of the difference between the means of two windows, or of the mean of
# one, by what days do around them, weekdays taken out. Days that follow one another are alike, so
# they count as fewer: n (1 - r) / (1 + r), r their correlation (Bayley and Hammersley 1946, Journal
# of the Royal Statistical Society, Supplement 8, 184-197), r without the bias of short series
# (Kendall 1954, Biometrika 41, 403-404). x: list(value, noise), a row for each of `days`.
variance_of_means <- function(x, days) {
  day_counts <- tabulate(days$side)
  follows <- which(diff(days$side) == 0)
  model <- day_model(days)
  rest <- qr.resid(model, x$value)
  squares <- colSums(rest^2)
  alike <- colSums(rest[follows, , drop = FALSE] * rest[follows + 1L, , drop = FALSE]) / squares
  alike <- pmin(0.95, pmax(0, alike + (1 + 3 * alike) / mean(day_counts)))
  alike[squares == 0] <- 0
  fewer <- (1 + alike) / (1 - alike)
  free <- nrow(days) - model$rank
  list(variance = pmax(0, squares / free * fewer - colMeans(x$noise)) * sum(1 / day_counts),
    df = pmax(1, free / fewer))
}

# Means of the windows and what weekdays add to them, where enough days are left to judge by.
day_model <- function(days) {
  sides <- outer(days$side, seq_len(max(days$side)), `==`) + 0
  weekday <- as.integer(days$date) %% 7L
  whole <- qr(cbind(sides, outer(weekday, sort(unique(weekday))[-1], `==`) + 0))
  if (nrow(days) - whole$rank >= 4) whole else qr(sides)
}

# The three measures of measured_changes() by day and line, each with the variance of its counts.
# code: of each row's day and line, days first.
day_values <- function(rows, code, days, lines) {
  sums <- figure_matrices(rows, code, days, lines)
  values <- lapply(sums, log_rate)
  seen <- rate_noise(sums$impressions)
  list(demand = list(value = values$demand, noise = seen),
    visible = list(value = values$expected, noise = seen),
    clicked = list(value = values$clicks - values$expected, noise = rate_noise(sums$clicks)))
}

# Is a change more than noise? Clicks vary by the luck of counts and from week to week; a change
# counts where it is beyond both, from no change and from what the site as a whole did.

# Fewer lines than these do not tell what the site did as a whole.
few_lines <- 20

# In: sums of lines (named_sums()), days of the windows, level of the intervals. common: what the
# site did, from common_changes(); between: how far lines vary besides counts, from
# window_variance(); without either (segments, months, single pairs) both come from the lines
# themselves, and a line is held against the others alone.
#
# Impressions say far more than clicks, and demand varies less than what positions make of it: so
# demand, what it and position make of clicks, and CTR at equal position are tested apart, each as a
# log ratio. The smaller p-value of the first two together (Simes 1986) and of CTR counts, times
# two; Benjamini and Hochberg (1995) over all that are tested. A line must differ from no change and
# from the site's (the larger p-value of the two, an intersection-union test, Berger 1982), so that
# a season that moves all is no news of any one. Out: data.table(ratio, ratio_low, ratio_high, p, q,
# p_visible: of demand and position together, p_clicked, common_clicked: log ratio of the site).
change_tests <- function(sums, days, level, least = least_clicks, common = NULL, between = NULL) {
  made <- log_change(sums$clicks_1, sums$clicks_2, days[1], days[2])
  tested <- which(sums$clicks_1 + sums$clicks_2 >= least)
  logs <- measured_changes(sums[tested], days)
  tests <- lapply(stats::setNames(nm = names(logs)), function(measure) {
    x <- logs[[measure]]
    if (is.null(between)) return(test_against_common(x$change, x$noise))
    test_both_ways(x$change, x$noise, common[[measure]], lapply(between[[measure]], `[`, tested))
  })
  shown <- pmin(2 * pmin(tests$demand$p, tests$visible$p), pmax(tests$demand$p, tests$visible$p))
  p <- pmin(1, 2 * pmin(shown, tests$clicked$p))
  wide <- if (is.null(between)) {
    tests$visible$between + tests$clicked$between
  } else {
    between$visible$variance + between$clicked$variance
  }
  sure <- 1 - (1 - level) / 2
  reach <- sqrt(made$noise + wide) *
    if (is.null(between)) stats::qnorm(sure) else stats::qt(sure, between$visible$df)
  out <- data.table(ratio = exp(made$change), ratio_low = exp(made$change - reach),
    ratio_high = exp(made$change + reach), p = NA_real_, q = NA_real_, p_visible = NA_real_,
    p_clicked = NA_real_, common_clicked = tests$clicked$common)
  set(out, tested, c("p", "q", "p_visible", "p_clicked"),
    list(p, stats::p.adjust(p, "BH"), tests$visible$p, tests$clicked$p))
  out
}

# The three log changes of lines, each with the variance of its counts: list(demand, visible,
# clicked) of list(change, noise).
measured_changes <- function(sums, days = c(1, 1)) {
  change <- function(of) {
    log_change(sums[[paste0(of, "_1")]], sums[[paste0(of, "_2")]], days[1], days[2])
  }
  clicks <- change("clicks")
  visible <- change("expected")$change
  seen <- change("impressions")$noise
  list(demand = list(change = change("demand")$change, noise = seen),
    visible = list(change = visible, noise = seen),
    clicked = list(change = clicks$change - visible, noise = clicks$noise))
}

# What the site did as a whole, by measure: the weighted median over queries, 0 where they are few.
common_changes <- function(sums, days, least = least_clicks) {
  logs <- measured_changes(sums[sums$clicks_1 + sums$clicks_2 >= least], days)
  lapply(logs, function(x) {
    if (length(x$change) < few_lines) 0 else weighted_median(x$change, 1 / (x$noise + 0.02))
  })
}

# Two-sided p-values of log changes: the larger of those against no change and against the common.
test_both_ways <- function(x, noise, common, between) {
  se <- sqrt(noise + between$variance)
  p_of <- function(from) 2 * stats::pt(-abs(x - from) / se, between$df)
  list(p = pmax(p_of(0), p_of(common)), between = between$variance, common = common)
}
