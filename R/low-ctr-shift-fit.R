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
  units <- unique(code[own])
  if (!length(units)) return(none)
  at <- cbind(match(code[own], units), weeks$rows$week[own])
  spread_out <- function(x) {
    cell <- (at[, 2] - 1L) * length(units) + at[, 1]
    matrix(sum_codes(x, cell, length(units) * weeks$weeks), length(units))
  }
  clicks <- spread_out(weeks$rows$clicks[own])
  expected <- spread_out(weeks$rows$expected[own])
  keep <- rowSums(expected) >= assumed("shift_clicks")
  if (!any(keep)) return(none)
  clicks <- clicks[keep, , drop = FALSE]
  expected <- expected[keep, , drop = FALSE]
  # A known change is likelier to show than another, in its week.
  weight <- matrix(0, nrow(clicks), weeks$weeks - 1L)
  place <- cbind(match(known$unit, units[keep]), known$week - 1L)
  place <- place[!is.na(place[, 1]), , drop = FALSE]
  weight[place] <- log(assumed("shift_known") * ncol(weight) / share)
  first <- one_shift(clicks, expected, 0, share, weight)
  wander <- week_wander(clicks, expected, first$chance < 0.5)
  shift <- cbind(unit = units[keep], last_shift(clicks, expected, wander, share, weight))
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
  for (round in 1:2) {
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
  head <- seq_len(ncol(clicks) - 1L)
  up_to <- function(x) {
    for (week in head[-1]) x[, week] <- x[, week] + x[, week - 1L]
    x[, head, drop = FALSE]
  }
  before <- list(clicks = up_to(clicks), expected = up_to(expected))
  all <- list(clicks = rowSums(clicks), expected = rowSums(expected))
  since <-
    list(clicks = all$clicks - before$clicks, expected = pmax(all$expected - before$expected, 0))
  usual <- function(part) level_likely(part, assumed("shift_usual_shape"), 1)
  odd <- function(part) level_likely(part, assumed("shift_odd_shape"), assumed("shift_odd_level"))
  throughout <- log_either(usual(all), odd(all), assumed("shift_odd_share"))
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
  of <- share
  for (round in 1:20) {
    of <- (sum(chance_of(beside, of)) + 20 * share) / (length(beside) + 20)
  }
  of
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
