# Level shifts of CTR at equal position: pages, then single pairs, whose clicks beside the curve
# changed for good within the window. What is judged is what holds since the last change; what was
# before says what the page could have.

# In: pairs of pair_evidence(); known: pages (codes) and dates of changes that somebody made, or
# NULL. Out: the same with clicks, impressions, position, ratios and expected clicks of the days
# since the last change that is likelier than not, and `since` (first day; NA where nothing
# changed), `days` (of data since), `shift` ("page" or "pair", else ""), `chance_fell` and
# `chance_rose` (chance of a change down or up), `by_title` (that a fall is the page's doing),
# `before` (factor on the curve of the unit), `ratio` (of the level since to that before),
# `ratio_sd` (of its log), `clicks_before` and `expected_before` of the pair.
pairs_now <- function(summary, curve, pairs, known = NULL) {
  now <- copy(pairs)
  set(now, j = c("since", "days", "shift", "chance_fell", "chance_rose", "by_title", "before",
    "ratio", "ratio_sd", "clicks_before", "expected_before"),
    value = list(as.IDate(NA), days_lived(summary, pairs), "", 0, 0, 1, NA_real_, 1, NA_real_, 0,
    0))
  # Which rows are missing may change with time, too.
  if (!is.null(summary$missing)) return(now_evident(now, summary, curve))
  weeks <- expected_weeks(summary, curve, pairs)
  if (is.null(weeks)) return(now)
  known <- known_weeks(known, summary, weeks$weeks)
  groups <- sister_groups(summary, pairs, unique(weeks$rows$pair))
  of_pages <- shifted_units(weeks, weeks$rows$page, assumed("shift_share"), known = known)
  of_pages <- with_causes(of_pages, of_pages$unit, weeks, groups, known)
  now <- since_shift(now, weeks, of_pages, "page", summary)
  alone <- weeks$rows$pair[!weeks$rows$page %in% of_pages$unit[of_pages$likely]]
  of_pairs <- shifted_units(weeks, weeks$rows$pair, assumed("shift_share_pair"), alone)
  of_pairs <- with_causes(of_pairs, pairs$page[of_pairs$unit], weeks, groups, known)
  since_shift(now, weeks, of_pairs, "pair", summary)
}

# Where rows are missing by their clicks, today is what the others tell.
now_evident <- function(now, summary, curve) {
  sums <- add_ratios(evident_sums(summary, curve))
  own <- sums[now, on = c("query", "page"), which = TRUE, mult = "first"]
  for (column in c("clicks", "impressions", "position", "ctr")) {
    set(now, j = column, value = sums[[column]][own])
  }
  set(now, j = "expected", value = now$evident_expected)
  set(now, j = "expected_ctr", value = now$expected / now$impressions)
  set(now, j = "judged", value = now$judged & !is.na(own))
}

# Units that changed, with the chance that a fall is the page's doing.
with_causes <- function(shift, page, weeks, groups, known) {
  fell <- which(shift$ratio < 1)
  set(shift, j = "by_title", value = rep(1, nrow(shift)))
  if (!length(fell)) return(shift)
  week <- shift$week[fell]
  set(shift, fell, "by_title", title_chances(weeks, groups, data.table(page = page[fell], week,
    known = paste(page[fell], week) %in% paste(known$unit, known$week))))
}

# Weeks of the pairs that are judged, with what the curve expects of each, times what the site's
# pages as a whole did that week. Out: list(rows: pair, page, week, clicks, impressions, weighted,
# expected; weeks: their number), or NULL where there are too few.
expected_weeks <- function(summary, curve, pairs, least = 6L) {
  weekly <- summary$weekly
  last <- summary$recent$days %/% 7L
  if (is.null(weekly) || last < least) return(NULL)
  pair_at <- pairs[weekly[, c("query", "page")], on = c("query", "page"), which = TRUE]
  use <- which(!is.na(pair_at) & pairs$judged[pair_at])
  rows <- weekly[use]
  set(rows, j = "pair", value = pair_at[use])
  # The days before the first whole week go with it.
  set(rows, j = "week", value = pmax(1L, rows$week))
  set(rows, j = "weighted", value = rows$impressions * rows$position)
  set(rows, j = "expected", value = rows$impressions *
    curve_ctr(curve, rows$position, pairs$segment[rows$pair], 1, rows$impressions))
  # A week's mean position is not all its positions: the sum is known better.
  sums <- sum_codes(rows$expected, rows$pair, nrow(pairs))
  shown <- sum_codes(rows$impressions, rows$pair, nrow(pairs))
  set(rows, j = "expected",
    value = rows$expected * (pairs$expected * shown / pairs$impressions / sums)[rows$pair])
  set(rows, j = "expected", value = rows$expected * site_weeks(rows, last)[rows$week])
  list(rows = rows[is.finite(rows$expected) & rows$expected > 0], weeks = last)
}

# What the middle one of the site's pages did each week, beside its own level.
site_weeks <- function(rows, weeks, least = 5) {
  cells <- sums_by(rows, c("page", "week"), c("clicks", "expected"))
  pages <- sums_by(rows, "page", c("clicks", "expected"))
  at <- match(cells$page, pages$page)
  usual <- cells$expected * (pages$clicks / pages$expected)[at]
  out <- vapply(seq_len(weeks), function(week) {
    own <- which(cells$week == week & usual >= least)
    # Too few to tell: as usual.
    if (length(own) < 10) return(0)
    change <- log_factor(cells$clicks[own], usual[own])
    in_order <- order(change)
    change[in_order][which(cumsum(usual[own][in_order]) >= sum(usual[own]) / 2)[1]]
  }, 0)
  exp(out - mean(out))
}

# Weeks of pages in which somebody changed them: data.table(unit, week).
known_weeks <- function(known, summary, weeks) {
  if (!NROW(known)) return(NULL)
  week <- weeks - as.integer(summary$recent$to - as.IDate(known$date)) %/% 7L
  inside <- which(week > 1 & week <= weeks)
  data.table(unit = known$page[inside], week = week[inside])
}

# The pairs of units that changed, with the sums of their weeks since.
since_shift <- function(now, weeks, shift, what, summary) {
  if (!nrow(shift)) return(now)
  rows <- weeks$rows
  at <- match(if (what == "page") rows$page else rows$pair, shift$unit)
  use <- which(!is.na(at))
  rows <- rows[use]
  later <- rows$week >= shift$week[at[use]]
  sums_of <- c("clicks", "impressions", "weighted", "expected")
  since <- add_ratios(sums_by(rows[later], "pair", sums_of))
  before <- sums_by(rows[!later], "pair", sums_of)
  at <- match(if (what == "page") now$page else seq_len(nrow(now)), shift$unit)
  maybe <- which(!is.na(at))
  of_maybe <- shift[at[maybe]]
  down <- of_maybe$ratio < 1
  set(now, maybe, c("chance_fell", "chance_rose", "by_title"),
    list(pmax(now$chance_fell[maybe], of_maybe$chance * down),
      pmax(now$chance_rose[maybe], of_maybe$chance * !down), of_maybe$by_title))
  touched <- maybe[of_maybe$likely]
  if (!length(touched)) return(now)
  # Pairs of a page that was not seen since, or too seldom for weeks, say nothing of today.
  own <- match(touched, since$pair)
  set(now, touched, c("clicks", "impressions", "position", "ctr", "expected"),
    lapply(since[own, c("clicks", "impressions", "position", "ctr", "expected")], function(x) {
      ifelse(is.na(x), 0, x)
    }))
  set(now, touched, "expected_ctr", now$expected[touched] / now$impressions[touched])
  old <- match(touched, before$pair)
  set(now, touched, c("clicks_before", "expected_before"),
    list(fcoalesce(before$clicks[old], 0), fcoalesce(before$expected[old], 0)))
  of_unit <- of_maybe[of_maybe$likely]
  day <- summary$recent$to - 7L * (weeks$weeks - of_unit$week + 1L) + 1L
  set(now, touched, c("since", "days", "shift", "before", "ratio", "ratio_sd"),
    list(day, days_since(summary, day), what, of_unit$before, of_unit$ratio, of_unit$ratio_sd))
  now[]
}

# Days of data from each day on.
days_since <- function(summary, day) {
  calendar <- as.integer(summary$recent$to - day) + 1L
  if (summary$recent$with_data == summary$recent$days) return(calendar)
  dates <- sort(summary$by_day$date)
  length(dates) - findInterval(as.integer(day) - 1L, as.integer(dates))
}

# A page or query is low today if its CTR fell by its own doing, or if it is low anyway, did not
# rise and did not fall for another reason. Where a change is likelier than not, `judged` rests on
# the days since; else on all days. Adds `fell`: whether a fall is likelier than not.
with_shifts <- function(judged, at) {
  low <- function(chance, fell) fell * at$by_title + (1 - fell) * chance
  still <- ifelse(at$shift == "", 1 - at$chance_rose, 1)
  by_page <- ifelse(at$shift == "pair", 0, at$chance_fell)
  set(judged, j = "fell", value = at$shift != "" & at$chance_fell > assumed("shift_chance"))
  set(judged, j = "low", value = low(judged$low * still, at$chance_fell))
  set(judged, j = "page_low", value = low(judged$page_low * still, by_page))
  doubt <- (1 - judged$by_topic) * (1 - assumed("low_doubt"))
  set(judged, j = "confidence", value = at$chance_fell * at$by_title * doubt +
    (1 - at$chance_fell) * judged$confidence * still)
  judged
}

# Levels of pairs that fell: what they had before, each held to the curve by its own clicks, and the
# same times what is left of it.
shifted_levels <- function(levels, at, judged) {
  fallen <- which(judged$fell)
  if (!length(fallen)) return(levels)
  own <- at[fallen]
  shape <- assumed("shift_odd_shape")
  usual <- (shape * ifelse(own$shift == "page", own$before, 1) + own$clicks_before) /
    (shape + own$expected_before)
  usual_var <- 1 / (shape + own$clicks_before)
  levels$usual[fallen] <- usual
  levels$today[fallen] <- usual * own$ratio
  levels$usual_var[fallen] <- usual_var
  levels$today_var[fallen] <- usual_var + own$ratio_sd^2
  levels$shared[fallen] <- usual_var
  levels
}

# Pages and queries that were below the curve and are as expected since a day.
improved_excluded <- function(summary, now, rows) {
  improved <- rows[(now$ratio[rows] > 1 & now$before[rows] < assumed("low_below")) %in% TRUE]
  rose <- now[improved]
  if (!nrow(rose)) return(NULL)
  first <- which(!duplicated(rose$page))
  largest <- utils::head(first[order(-rose$impressions[first])], 5)
  shown <- rose[largest]
  new_excluded("low_ctr", "ctr_repaired",
    unname(split(rose$query, rose$page)[as.character(shown$page)]),
    path = summary$pages$page[shown$page],
    since = shown$since, before = shown$before)
}

# The arithmetic of lines whose page or query fell.
shifted_derivation <- function(at, levels, judged, done) {
  own <- which(judged$fell)
  at <- at[own]
  levels <- lapply(levels, `[`, own)
  tell <- function(code, ...) new_facts("derivation", code, own, ...)
  shape <- assumed("shift_odd_shape")
  c(tell("shift_seen", unit = fifelse(at$shift == "page", "page", "query"), level = at$before,
    first_day = as.IDate(at$since), ratio = at$ratio),
    tell("shift_chance", confidence = at$chance_fell),
    tell("shift_before", shape = shape, prior = ifelse(at$shift == "page", at$before, 1),
      clicks = at$clicks_before, expected = at$expected_before, usual = levels$usual),
    tell("shift_today", usual = levels$usual, ratio = at$ratio, level = levels$today),
    tell("shift_confidence", confidence = judged$confidence[own]),
    tell("shift_done", expected = at$expected, usual = levels$usual, level = levels$today,
      days = at$days, if_done = done[own]))
}

# Did a unit's level change? A unit is a page or a query: counts of weeks around level x what is
# expected. Its level is as usual (near the curve) or odd. One level throughout is weighed against a
# change in one of the weeks, from usual to odd or back, by marginal likelihoods of counts whose
# level is gamma. How many units change, the units themselves tell.

# Units (codes, one a row of the weeks) that may have changed: data.table(unit, week (first of the
# last level), chance, likely, before, ratio, ratio_sd). share: of units that change, beforehand;
# among: which are looked at.
shifted_units <- function(weeks, code, share, among = code, known = NULL) {
  none <- data.table(unit = integer(), week = integer(), chance = numeric(), before = numeric(),
    ratio = numeric(), ratio_sd = numeric(), likely = logical())
  own <- which(code %in% among)
  unit_codes <- unique(code[own])
  if (!length(unit_codes)) return(none)
  at <- cbind(match(code[own], unit_codes), weeks$rows$week[own])
  spread_out <- function(x) {
    cell <- (at[, 2] - 1L) * length(unit_codes) + at[, 1]
    matrix(sum_codes(x, cell, length(unit_codes) * weeks$weeks), length(unit_codes))
  }
  clicks <- spread_out(weeks$rows$clicks[own])
  expected <- spread_out(weeks$rows$expected[own])
  keep <- rowSums(expected) >= assumed("shift_clicks")
  if (!any(keep)) return(none)
  clicks <- clicks[keep, , drop = FALSE]
  expected <- expected[keep, , drop = FALSE]
  # A known change is likelier to show than another, in its week.
  weight <- matrix(0, nrow(clicks), weeks$weeks - 1L)
  place <- cbind(match(known$unit, unit_codes[keep]), known$week - 1L)
  place <- place[!is.na(place[, 1]), , drop = FALSE]
  weight[place] <- log(assumed("shift_known") * ncol(weight) / share)
  first <- one_shift(clicks, expected, 0, share, weight)
  wander <- week_wander(clicks, expected, first$chance < 0.5)
  shift <- cbind(unit = unit_codes[keep], last_shift(clicks, expected, wander, share, weight))
  shift[shift$chance > assumed("shift_named") & abs(log(shift$ratio)) >= assumed("shift_least")]
}

# How far a unit's level wanders from week to week beside chance: variance of its factor, by
# moments; single weeks that are far off count as three standard deviations.
week_wander <- function(clicks, expected, steady) {
  usual <- expected * (rowSums(clicks) + 0.5) / (rowSums(expected) + 0.5)
  use <- which(steady & usual >= 1)
  if (length(use) < 20) return(0)
  beyond <- pmin((clicks[use] - usual[use])^2, 9 * usual[use]) - usual[use]
  max(0, sum(beyond) / sum(usual[use]^2))
}

# The last change of each unit (a row; weeks in columns), whether or not it is `likely`.
last_shift <- function(clicks, expected, wander, share, weight = 0) {
  found <- one_shift(clicks, expected, wander, share, weight)
  again <- which(found$likely)
  for (turn in 1:2) {
    if (!length(again)) break
    inside <- outer(found$week[again], seq_len(ncol(clicks)), `<=`)
    later <- one_shift(clicks[again, , drop = FALSE] * inside,
      expected[again, , drop = FALSE] * inside, wander, share)
    more <- later$likely
    set(found, again[more], names(found), later[more])
    again <- again[more]
  }
  found
}

# One change or none. weight: what is to be added to the log odds of each week. Counts of weeks that
# wander say less than their size: they are divided by how much more they vary.
one_shift <- function(clicks, expected, wander, share, weight = 0) {
  level <- (rowSums(clicks) + half_count) / (rowSums(expected) + half_count)
  less <- 1 + wander * expected * level
  clicks <- clicks / less
  expected <- expected / less
  cuts <- seq_len(ncol(clicks) - 1L)
  up_to <- function(x) {
    for (week in cuts[-1]) x[, week] <- x[, week] + x[, week - 1L]
    x[, cuts, drop = FALSE]
  }
  before <- list(clicks = up_to(clicks), expected = up_to(expected))
  totals <- list(clicks = rowSums(clicks), expected = rowSums(expected))
  since <-
    list(clicks = totals$clicks - before$clicks,
      expected = pmax(totals$expected - before$expected, 0))
  usual <- function(part) level_likely(part, assumed("shift_usual_shape"), 1)
  odd <- function(part) level_likely(part, assumed("shift_odd_shape"), assumed("shift_odd_level"))
  throughout <- log_either(usual(totals), odd(totals), assumed("shift_odd_share"))
  change <-
    log_either(usual(before) + odd(since), odd(before) + usual(since), 0.5) - throughout
  # Both sides must have something to compare.
  change[before$expected <= 1e-9 | since$expected <= 1e-9] <- -Inf
  beside <- function(change) rowMeans(exp(pmin(change, 600)))
  share <- learn_share(beside(change), share)
  change <- change + weight
  chance <- chance_of(beside(change), share)
  best <- cbind(seq_along(chance), max.col(change, "first"))
  level_of <- function(part) (part$clicks[best] + half_count) / (part$expected[best] + half_count)
  data.table(week = best[, 2] + 1L, chance, before = level_of(before),
    ratio = level_of(since) / level_of(before),
    ratio_sd = sqrt(rate_noise(before$clicks[best]) + rate_noise(since$clicks[best])),
    likely = chance > assumed("shift_chance"))
}

# Chance of a change from how much likelier it makes what was seen.
chance_of <- function(beside, share) {
  1 / (1 + (1 - share) / share / beside)
}

# The share of units that change: taken to be `share`, as if of twenty units, and learnt from them.
learn_share <- function(beside, share) {
  share_now <- share
  for (turn in 1:20) {
    share_now <- (sum(chance_of(beside, share_now)) + 20 * share) / (length(beside) + 20)
  }
  share_now
}

# Log marginal likelihood of counts whose level is gamma with this mean and shape (constants that
# all splits share left out).
level_likely <- function(part, shape, mean) {
  each_factor_likelihood(part$clicks, part$expected * mean, 1 / shape) + part$clicks * log(mean)
}

# Log of a likelihood that is one with `share`, else the other.
log_either <- function(one, other, share) {
  top <- pmax(one, other)
  top + log((1 - share) * exp(one - top) + share * exp(other - top))
}
