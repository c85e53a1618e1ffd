# What two pages of one query do to each other, judged by who led when, by how close they stand and
# by whose words match the query. Each kind of harm has its test; what passes none is harmless.

# Pages swap where each led for so many days and so large a share of them. Pages that take turns
# stand level where neither leads by more than a share of its position, or both are on page two:
# neither shows where one page would stand. At the top they both do well. Pages are shown together
# where most weeks have both and neither has all impressions, near each other, none near the top.
# Another page matches a query better where it holds more of its words. It may be right for it where
# it is not far below, and leads as it should where it is far ahead. Of leading pages whose words
# match less, some are taken not to answer the query and to be clicked about half as often for it as
# the other would be: little besides their clicks tells such pages. A page and one beneath it do
# each other no harm where both are on page one and clicked nearly as usual. All these thresholds
# stand in assumptions.R.

# In: rival_days(), lead_probabilities() of them, fit of page and query, spread by query, `beneath`:
# whether one of the two lies beneath the other (beneath_other()); by query the page that should
# answer it, where that is known. Out: one row a query: which page
# to keep (`keep`, `other`), the position one page would hold (`held`), what harm is done ("" for
# none) and how sure that is.
test_contests <- function(rivals, course, fits, spread, beneath, intended = NULL) {
  contests <- prefer_intended(contest_figures(rivals, course, fits, spread), intended)
  # Where dates are weeks, one stands for seven days.
  each <- days_a_date(rivals$dates)
  done <- harm_done(contests, course, beneath, each)
  harm <- done$harm
  any_harm <- rep(TRUE, length(harm))
  splitting <- harm == "splitting"
  wrong <- harm == "wrong page leads"
  merged <- splitting | done$level
  confidence <- fcase(harm == "swapping", done$swapping, wrong, done$passed_by, any_harm,
    assumed("contest_confidence"))
  # Merged, the page stays whose words match; else the one that holds the better position.
  keep_first <- fcase(wrong, FALSE, merged & contests$fit_first != contests$fit_second,
    contests$fit_first > contests$fit_second, contests$known != "", contests$known == "first",
    any_harm,
    contests$held_first <= contests$held_second)
  either <- function(first, second) ifelse(keep_first, contests[[first]], contests[[second]])
  # As of now: where the page to keep has the lead for longer than leads lasted, it is settled.
  ours <- keep_first == contests$first_leads
  goes_on <- ifelse(harm == "swapping" & ours & !done$daily,
    swapping_goes_on(contests, rivals$dates), 1)
  confidence <- confidence * goes_on
  settled <- harm == "swapping" & confidence < assumed("swap_even")
  harm <- ifelse(settled, "", harm)
  # Where pages swap, where each stands while it leads.
  stands <- ifelse(rep(harm == "swapping", 2), c(contests$held_first, contests$held_second),
    c(contests$position_first, contests$position_second))
  set(contests, j = c("stands_first", "stands_second"),
    value = split(stands, rep(1:2, each = nrow(contests))))
  best <- fcase(splitting,
    pmin(contests$held_first, contests$held_second, contests$position_first,
      contests$position_second), any_harm,
    pmin(contests$held_first, contests$held_second))
  data.table(
    contests[, c("query", "days", "changes", "clicks", "expected")],
    harm,
    level = done$level,
    confidence,
    intended = contests$known == ifelse(keep_first, "first", "second"),
    goes_on,
    merged,
    keep = either("page_first", "page_second"),
    other = either("page_second", "page_first"),
    held = fcase(merged, best * assumed("merge_rise"), wrong, contests$position_first, any_harm,
      best),
    stands = either("stands_first", "stands_second"),
    held_other = either("stands_second", "stands_first"),
    leader_clicks = contests$clicks_first,
    leader_expected = contests$expected_first,
    led_keep = either("led_first", "led_second"),
    led_other = either("led_second", "led_first"),
    together = contests$weeks_together,
    since = rivals$dates[contests$last_change],
    keep_leads = ours,
    searches = ifelse(splitting, contests$searches_together, contests$searches),
    reason = fcase(settled, "turns_settled", done$family, "page_beneath", done$rightly,
      "better_match_leads",
      done$level | pmin(contests$position_first, contests$position_second) < 3 &
      contests$places < 3,
      "both_at_top", done$high_up, "together_high_up", any_harm, "one_leads_throughout"))
}

# Chance that pages that took turns will go on to: the lead lasts longer than it did (stretches of
# the lead as gamma variables), or it is settled.
swapping_goes_on <- function(of, dates) {
  last_change <- as.numeric(dates[of$last_change])
  stretch <- pmax(last_change - as.numeric(dates[1]), 1) / pmax(of$changes, 1)
  quiet <- as.numeric(dates[length(dates)]) - last_change + 1
  lasts <- stats::pgamma(quiet, 2, 2 / stretch, lower.tail = FALSE)
  settles <- assumed("swap_settles")
  (1 - settles) * lasts / ((1 - settles) * lasts + settles)
}

# One row a query: `harm`, how likely the pages swap (`swapping`) and the leader is passed by,
# whether they swap at one `level`, whether they are a page and one beneath it that both do well
# (`family`), whether the one leads that matches better, though shown together (`rightly`), and
# whether none leads and both are shown together, so near the top that it may do them no harm
# (`high_up`).
harm_done <- function(of, course, beneath, each = 1) {
  swapping <- pmax(course$swaps, ifelse(of$apart_by_day, course$by_chance, 0))
  lasting <- pmin(of$led_first, of$led_second) >=
    pmax(2, assumed("swap_days") / each, assumed("swap_share") * (of$led_first + of$led_second))
  near <- pmax(of$places, of$gap, na.rm = TRUE) < assumed("together_places")
  both_shown <- near & of$weeks_together > assumed("together_weeks") &
    of$share_second > assumed("together_share")
  high_up <- pmin(of$position_first, of$position_second) <= assumed("together_position")
  beside <- both_shown & !high_up
  # Shown together and near each other day by day, which of the two is ahead is chance.
  swap <- lasting & swapping >= assumed("swap_even") & !(beside & of$side_by_side)
  passed_by <- fcase(of$known == "first", 0, of$known == "second", 1, rep(TRUE, nrow(of)),
    passed_by_chance(of, of$fit_first, of$fit_second, of$spread))
  harm <- fcase(swap, "swapping", passed_by > assumed("mismatch_listed"), "wrong page leads",
    beside, "splitting", rep(TRUE, nrow(of)), "")
  nearest <- pmin(of$held_first, of$held_second)
  level <- harm == "swapping" & (nearest > assumed("page_one_ends") |
    (abs(of$held_first - of$held_second) < assumed("level_share") * nearest) %in% TRUE)
  group_of <- harm == "splitting" & beneath &
    pmax(of$position_first, of$position_second) <= assumed("page_one_ends") &
    pmin(of$factor, of$factor_second) >= assumed("well_off_factor")
  rightly <- harm == "splitting" &
    leader_fits(of$fit_first, of$fit_second, of$position_first, of$position_second)
  data.table(
    harm = ifelse(group_of | rightly | level & nearest < assumed("top_three_ends"), "", harm),
    swapping, passed_by, level, family = group_of, rightly, daily = course$by_chance > course$swaps,
    high_up = both_shown & high_up & course$swaps + course$by_chance > 0.5)
}

# The page that should answer a query matches it better than any other. known: which of the two that
# is, or "".
prefer_intended <- function(of, intended) {
  known <- if (is.null(intended)) {
    rep("", nrow(of))
  } else {
    fcase(intended == of$page_first, "first", intended == of$page_second, "second",
      rep(TRUE, nrow(of)), "")
  }
  beyond <- 2 * pmax(of$fit_first, of$fit_second, 1, na.rm = TRUE)
  set(of, j = c("known", "fit_first", "fit_second"),
    value = list(known, ifelse(known == "first", beyond, of$fit_first),
      ifelse(known == "second", beyond, of$fit_second)))
}

fits_better <- function(fit, other) {
  (fit > other & fit - other >= assumed("match_words") * fit) %in% TRUE
}

# Whether the page that matches a query better is well ahead, too. Of a page that holds none of its
# words, nothing is known.
leader_fits <- function(fit_first, fit_second, position_first, position_second) {
  ahead <- pmax(assumed("match_ahead"), assumed("match_ahead_share") * position_first)
  fits_better(fit_first, fit_second) & fit_second > 0 & position_second > position_first + ahead
}

# Chance that searchers pass a leading page by whose words match their query less than those of a
# second (`fit_first`, `fit_second`), from how often the two are clicked beside the curve: what is
# the query's own, both share.
passed_by_chance <- function(pages, fit_first, fit_second, spread) {
  steps <- seq(-2, 2, by = 0.5)
  log_likely <- function(share, factor, sd) do.call(cbind,
    lapply(steps, function(z) {
      log(share) + stats::dnorm(z, log = TRUE) +
        log_clicks_likely(pages, factor * exp(z * sd), spread)
    }))
  likely <- highest_one(cbind(
    log_likely(assumed("mismatch_share"), assumed("mismatch_factor"), assumed("mismatch_sd")),
    log_likely(1 - assumed("mismatch_share"), 1, assumed("mismatch_usual_sd"))))
  passed <- rowSums(likely[, seq_along(steps), drop = FALSE]) / rowSums(likely)
  nearby <- pages$position_second < pages$position_first + assumed("match_places")
  # Never surer than in 999 of 1000: the two assumed factors are not all there are.
  ifelse(fits_better(fit_second, fit_first) & nearby, pmin(passed, 0.999), 0)
}

# How likely the clicks of two pages of a query are (its log), whose factor is gamma (variance
# `spread`) and the first's `beside` that.
log_clicks_likely <- function(pages, beside, spread) {
  expected_first <- pages$expected_first * beside
  clicks_both <- round(pages$clicks_first) + round(pages$clicks_second)
  stats::dnbinom(clicks_both, 1 / spread, mu = expected_first + pages$expected_second, log = TRUE) +
    stats::dbinom(round(pages$clicks_first), clicks_both,
      expected_first / (expected_first + pages$expected_second), log = TRUE)
}

# What the kinds of harm are judged by, one row a query; the two rivals' figures end in
# `_first` and `_second`.
contest_figures <- function(rivals, course, fits, spread) {
  seen <- rivals$seen
  any_day <- seen[[1]] + seen[[2]] > 0
  first_led <- course$leads > 0.5
  one <- rivals$first
  two <- rivals$second
  fit_of <- function(rival) fits$fit[match(paste(rival$query, rival$page),
    paste(fits$query, fits$page))]
  factor_of <- function(rival) mean_factor(rival$clicks, rival$expected, spread)
  last <- ncol(first_led)
  changed <- first_led[, -1, drop = FALSE] != first_led[, -last, drop = FALSE]
  together <- weeks_together(seen, rivals$dates)
  searches <- rowSums(pmax(seen[[1]], seen[[2]]))
  gap <- median_gap(rivals$position)
  data.table(query = rivals$queries,
    sums_by(rivals$totals, "query", c("clicks", "expected"))[, !"query"],
    page_first = one$page, page_second = two$page, position_first = one$position,
    position_second = two$position,
    places = abs(one$position - two$position),
    clicks_first = one$clicks, expected_first = one$expected, clicks_second = two$clicks,
    expected_second = two$expected,
    spread,
    factor = factor_of(one), factor_second = factor_of(two),
    fit_first = fit_of(one), fit_second = fit_of(two), days = rowSums(any_day),
    held_first = median_position(seen[[1]], rivals$position[[1]], first_led),
    held_second = median_position(seen[[2]], rivals$position[[2]], !first_led),
    led_first = rowSums(any_day & first_led), led_second = rowSums(any_day & !first_led),
    changes = rowSums(changed), last_change = max.col(cbind(TRUE, changed), "last"),
    first_leads = first_led[, last],
    together, gap, side_by_side = !is.na(gap) & gap < assumed("side_by_side_places") &
      together$larger_share < assumed("side_by_side_share"),
    apart_by_day = apart_by_day(seen),
    # Shown together, one search gives both pages an impression: searches are the larger of the two,
    # or both less what the weeks together have twice.
    searches_together = searches, searches = pmax(searches,
      rowSums(seen[[1]] + seen[[2]]) * (1 - 0.5 * together$weeks_together)))
}

# Share of weeks that have both pages, and the mean share of the second and of the larger in a week.
weeks_together <- function(seen, dates) {
  week <- as.integer(dates - dates[1]) %/% 7L
  by_week <- lapply(seen, function(side) t(rowsum(t(side), week)))
  any_week <- by_week[[1]] + by_week[[2]] > 0
  share <- ifelse(any_week, by_week[[2]] / (by_week[[1]] + by_week[[2]]), NA)
  data.table(
    weeks_together = rowMeans(ifelse(any_week, by_week[[1]] > 0 & by_week[[2]] > 0, NA),
      na.rm = TRUE),
    share_second = rowMeans(share, na.rm = TRUE),
    larger_share = rowMeans(pmax(share, 1 - share), na.rm = TRUE))
}

# Position of a page over the days in which it leads; Inf where it never does.
median_position <- function(seen, position, leads) {
  use <- leads & seen > 0
  held_position <- rowSums(ifelse(use, seen * position, 0)) / rowSums(ifelse(use, seen, 0))
  ifelse(is.nan(held_position), Inf, held_position)
}

# Places between the two on the middle one of the days that have both; NA where none has.
median_gap <- function(position) {
  apply(abs(position[[1]] - position[[2]]), 1, stats::median, na.rm = TRUE)
}

# Whether days have one page or the other: impressions of both on one day are fewer than if each
# search showed either by chance, by a good part and by more than luck.
apart_by_day <- function(seen) {
  seen_both <- seen[[1]] + seen[[2]]
  share <- rowSums(seen[[1]]) / rowSums(seen_both)
  by_chance <- rowSums(seen_both * pmax(seen_both - 1, 0)) * share * (1 - share)
  rowSums(seen[[1]] * seen[[2]]) < pmin(0.6 * by_chance, by_chance - 2.2 * sqrt(by_chance))
}
