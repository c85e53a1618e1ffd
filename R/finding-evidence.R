# What every kind of finding starts from: each recent pair held against the curve over all its
# position cells, with the posterior of its own factor (gamma prior of the curve's spread, Poisson
# clicks: gamma again).

# Out: pairs plus segment, `expected` clicks on the curve, `expected_ctr`, `evident_clicks` and
# `evident_expected` (of the rows that tell how a pair is clicked), what set_factors() adds,
# `audience` (times the clicks of the curve, by who searches), `taken` (1: what the results page
# leaves of the clicks) and `judged` (of the segments and with the impressions asked for; what is
# listed may be narrower).
pair_evidence <- function(summary, curve, segments, min_impressions = 1) {
  cells <- summary$recent_cells
  pairs <- copy(summary$pairs)
  pair <- rep(seq_len(nrow(pairs)), cells[, .N, by = c("query", "page")]$N)
  on_curve <- cells_on_curve(cells, summary, curve)
  set(pairs, j = "segment", value = summary$queries$segment[pairs$query])
  set(pairs, j = c("audience", "taken"), value = list(audience_factors(summary, curve, pairs), 1))
  set(pairs, j = "expected", value = sum_codes(on_curve, pair, nrow(pairs)) * pairs$audience)
  set(pairs, j = "expected_ctr", value = pairs$expected / pairs$impressions)
  set(pairs, j = "apart", value = seq_len(nrow(pairs)) %in% among_pairs(pairs, summary$apart))
  set(pairs, j = c("evident_clicks", "evident_expected"),
    value = evident_clicks(summary, curve, pairs))
  set_factors(pairs, curve)
  set(pairs, j = "curve_se", value = curve_log_se(curve, pairs$position, pairs$segment))
  set(pairs, j = "judged",
    value = pairs$segment %in% segments & pairs$impressions >= min_impressions)
  pairs[]
}

# Clicks of each pair and what the curve expects of them, in the rows that tell how it is clicked.
evident_clicks <- function(summary, curve, pairs) {
  if (is.null(summary$missing)) return(list(pairs$clicks, pairs$expected))
  sums <- evident_sums(summary, curve)[pairs, on = c("query", "page"), c("x.clicks", "x.expected")]
  list(nafill(sums$x.clicks, fill = 0), nafill(sums$x.expected, fill = 0) * pairs$audience)
}

# Where rows are missing by their clicks, sums by pair of those that would be there whatever they
# were: rows above their day's cut, or of which so many clicks are expected that some were sure.
evident_sums <- function(summary, curve) {
  # A copy: the summary's own cells stay as they are.
  cells <- copy(first_given(summary$missing$whole$recent, summary$recent_cells))
  set(cells, j = "expected", value = cells_on_curve(cells, summary, curve))
  if (is.null(summary$missing$whole)) {
    cells <- cells[cells$expected >= cells$rows * (data_limits$cut_surely + summary$missing$least)]
  }
  sums_by(cells, c("query", "page"), c("clicks", "expected", "impressions", "weighted"))
}

# Adds `shape` and `rate` of the posterior of each pair's factor, `own` (its mean) and `mixed`:
# where an average mixes near and far places, as deep ones and those with surprisingly many clicks
# do in a table without days, more clicks than the curve expects come from the near ones and tell
# nothing of the query, so its factor is what is usual.
set_factors <- function(pairs, curve) {
  spread <- spread_at(curve, pairs$position, pairs$segment)
  posterior <- factor_posterior(pairs$evident_clicks, pairs$evident_expected, spread)
  mixed <- pairs$apart | posterior$shape > posterior$rate &
    (beyond_clear(curve, pairs) | surprising(curve, pairs, spread))
  posterior <- Map(function(own, usual) ifelse(mixed, usual, own), posterior,
    factor_posterior(0, 0, spread))
  set(pairs, j = c("shape", "rate", "own", "mixed"),
    value = c(posterior, list(posterior$shape / posterior$rate, mixed)))
}

# Whether positions are so deep that the table does not tell what one of them earns.
beyond_clear <- function(curve, pairs) {
  fcoalesce(unname(pairs$position > clear_to(curve)[pairs$segment]), FALSE)
}

# By segment the last average position of which the table tells what it earns; where it averages
# days or pages none beyond page one, since near places are then among what is averaged.
clear_to <- function(curve) {
  most <- if (isTRUE(curve$blend$mixes)) assumed("page_one_ends") else Inf
  vapply(curve$fits, function(fit) min(fit$unclear_from, most), 0)
}

# Whether a table that averages days or pages has more clicks of a pair than factors explain.
surprising <- function(curve, pairs, spread) {
  if (!isTRUE(curve$blend$mixes)) return(rep(FALSE, nrow(pairs)))
  stats::pnbinom(pairs$clicks - 1, size = 1 / spread, mu = pairs$expected, lower.tail = FALSE) <
    assumed("mixed_chance")
}

# Clicks over the recent window to clicks per 30 days.
per_month <- function(summary) 30 / summary$recent$with_data

# What a step brings if it works, from a mean and a standard deviation, never below zero: list(done,
# low, high).
done_interval <- function(mean, sd) {
  reach <- stats::qnorm(0.95) * sd
  list(done = pmax(mean, 0), low = pmax(mean - reach, 0), high = pmax(mean + reach, 0))
}

# Sums of each pair over some of the recent weeks: clicks, impressions, position; NA where it was
# seen fewer than 10 times.
pair_weeks <- function(summary, at, weeks, least = 10) {
  rows <- summary$weekly[summary$weekly$week %in% weeks]
  set(rows, j = "weighted", value = rows$impressions * rows$position)
  sums <- sums_by(rows, c("query", "page"), c("clicks", "impressions", "weighted"))
  sums <- add_ratios(sums[sums$impressions >= least])
  own <- sums[sums[at, on = c("query", "page"), which = TRUE, mult = "first"]]
  own[, c("clicks", "impressions", "position")]
}

# Findings of one kind on single pairs. `rows`: which rows of `pairs`.
pair_findings <- function(kind, summary, pairs, rows, done, confidence, chance) {
  at <- pairs[rows]
  page_at <- summary$pages$page[at$page]
  finding_key <- paste(kind, summary$queries$key[at$query], summary$pages$key[at$page])
  columns <- list(kind = kind, query = summary$queries$query[at$query], page = page_at,
    pages = page_at,
    clicks = at$clicks, impressions = at$impressions, ctr = at$ctr, position = at$position,
    expected_ctr = at$expected_ctr, if_done = done$done, if_done_low = done$low,
    if_done_high = done$high, confidence = confidence, chance = chance,
    claims = as.list(rows), finding_key = finding_key, task_key = finding_key)
  setDT(lapply(columns, rep_len, length(rows)))[]
}

# What every pair starts from: its own factor beside the curve.
own_factor_facts <- function(at) {
  prior <- at$shape - at$evident_clicks
  new_facts("derivation", ifelse(at$mixed, "own_factor_mixed", "own_factor"), seq_len(nrow(at)),
    prior = prior, clicks = at$evident_clicks, expected = at$evident_expected, own = at$own)
}

# What a finder gives: lines, their facts, and what was checked and left out.
no_findings <- function(excluded = NULL) list(found = NULL, facts = list(), excluded = excluded)

# Pages and queries first seen within the window are judged on their life so far: their clicks of 30
# days come from the days since, not from days before they existed.

# Days since the page or query of each finding was first seen, NA for those that are not young.
# Young: it would have been seen earlier at its present rate.
young_days <- function(summary) {
  recent <- summary$recent
  first_seen_of <- function(table, column) {
    first <- summary[[table]][["first"]]
    if (is.null(first) || !isTRUE(summary$window$dated)) {
      return(rep(NA_real_, nrow(summary[[table]])))
    }
    lived <- as.numeric(recent$to - first) + 1
    before <- as.numeric(first - summary$window$from)
    seen <- sum_codes(summary$pairs$impressions, summary$pairs[[column]], nrow(summary[[table]]))
    missed <- seen / pmin(lived, recent$days) * before
    ifelse(first > recent$from & lived >= assumed("young_days_least") &
      missed >= assumed("young_missed"),
      lived, NA_real_)
  }
  list(query = first_seen_of("queries", "query"), page = first_seen_of("pages", "page"))
}

# Days with data that clicks of pairs are of: those since they were first seen, where they are
# young.
days_lived <- function(summary, pairs) {
  days <- young_days(summary)
  pmin(days$query[pairs$query], days$page[pairs$page], summary$recent$with_data, na.rm = TRUE)
}

# Findings of what is young, with their clicks for 30 days of life.
judge_young <- function(looked, summary) {
  found <- looked$found
  days <- young_days(summary)
  if (all(is.na(unlist(days, use.names = FALSE))) || !nrow(found)) return(looked)
  of_query <- days$query[chmatch(found$query, summary$queries$query)]
  of_page <- days$page[chmatch(found$page, summary$pages$page)]
  lived <- pmin(of_query, of_page, na.rm = TRUE)
  own <- which(kind_is(found$kind, "young") & !is.na(lived))
  if (!length(own)) return(looked)
  lived <- lived[own]
  # Clicks of the whole window, unlike those of low CTR, whose pairs have days of their own.
  whole <- kind_is(found$kind[own], "window")
  times <- ifelse(whole, summary$recent$with_data / pmin(lived, summary$recent$with_data), 1)
  for (column in c("if_done", "if_done_low", "if_done_high")) {
    set(found, own, column, found[[column]][own] * times)
  }
  what <- ifelse(fcoalesce(of_page[own], Inf) <= fcoalesce(of_query[own], Inf), "page", "query")
  since <- summary$recent$to - as.integer(lived) + 1L
  one_line <- found$line[own]
  looked$facts <- c(looked$facts,
    new_facts("points_to", "first_seen", one_line, what = what, since = since, days_lived = lived),
    new_facts("derivation", ifelse(whole, "first_seen_scaled", ""), one_line, what = what,
      since = since, days = summary$recent$with_data, days_lived = lived,
      if_done = found$if_done[own]))
  looked
}
