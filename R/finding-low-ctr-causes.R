# Why CTR at equal position fell for good: the page's own title and description, which all its
# queries share, or something that befalls queries (a results page that answers by itself, a season
# of dear ads) and that sisters on other pages show, too.

# In: weeks of expected_weeks(); groups of pairs (sister_groups()); units that fell: `page`, `week`
# of the change, whether it is `known` that somebody changed the page then. Out: the chance that it
# is the page's doing. Weighed by marginal likelihoods of each pair's change: all pairs of the page
# by one ratio and sisters by none, or pairs of a group here and elsewhere, half of them or all, by
# one ratio.
title_chances <- function(weeks, groups, units) {
  out <- rep(NA_real_, nrow(units))
  for (week in unique(units$week)) {
    changes <- lasting_changes(weeks$rows, week)
    set(changes, j = "row", value = seq_len(nrow(changes)))
    members <- groups[changes[, c("pair", "page", "row")], on = "pair", nomatch = NULL]
    likely <- change_likelihoods(changes)
    for (i in which(units$week == week)) {
      own <- which(changes$page == units$page[i])
      prior <- if (units$known[i]) assumed("fall_by_known") else assumed("fall_by_title")
      out[i] <- 1 / (1 + (1 - prior) / prior * others_beside_title(own, members, likely))
    }
  }
  out
}

# How much likelier than the page's own doing it makes what is seen that something befell queries:
# those of one of its groups, here and on sisters, or its own alone. Sisters may have fallen without
# being the reason: then by another ratio than the page.
others_beside_title <- function(own, members, likely) {
  sum_of <- function(some, rows) colSums(likely[[some]][rows, , drop = FALSE])
  title <- log_mean(sum_of("moved", own))
  alone <- sum_of("half", own)
  sisters <- sisters_of(own, members)
  if (!length(sisters)) return(exp(log_mean(c(alone, sum_of("moved", own))) - title))
  each <- lapply(sisters, function(sister) {
    beside <- vapply(c("half", "all"), function(some) {
      colSums(likely[[some]][sister, , drop = FALSE] - likely$steady[sister])
    }, numeric(length(fall_grid)))
    c(befell = log_mean(beside + cbind(sum_of("half", own), sum_of("all", own))),
      both = title + log_mean(beside))
  })
  each <- do.call(rbind, each)
  befell <- log_mean(c(log_mean(alone), each[, "befell"]))
  beyond <- assumed("sisters_fall")
  exp(min(befell - log_sum(c(log(1 - beyond) + title, log(beyond) + log_mean(each[, "both"]))), 50))
}

# Pairs on other pages, by each group that half of the page's pairs are of.
sisters_of <- function(own, members) {
  counts <- members[members$row %in% own, .(share = .N / length(own)), by = "group"]
  sisters <- members[members$group %in% counts$group[counts$share >= 0.5] & !members$row %in% own]
  pages <- sisters[, .(pages = uniqueN(page)), by = "group"]
  known <- pages$group[pages$pages >= data_limits$sister_pages]
  split(sisters$row, factor(sisters$group, known))
}

log_sum <- function(x) max(x) + log(sum(exp(x - max(x))))

log_mean <- function(x) max(x) + log(mean(exp(x - max(x))))

# Ratios by which CTR may have fallen, as logs.
fall_grid <- log(seq(0.2, 0.9, by = 0.05))

# Of each pair (a row) how likely its change is under each ratio: `moved` by it; in a group of which
# `half` or `all` are; `steady`, under none.
change_likelihoods <- function(changes) {
  density_at <- function(by, sd = 0) {
    stats::dnorm(changes$change, by, sqrt(changes$noise + sd^2))
  }
  moved <- matrix(vapply(fall_grid, density_at, numeric(nrow(changes))), nrow(changes))
  still <- density_at(0)
  odd <- density_at(0, 0.6)
  list(moved = log(0.98 * moved + 0.02 * odd + 1e-300),
    half = log(0.5 * moved + 0.48 * still + 0.02 * odd + 1e-300),
    all = log(0.95 * moved + 0.05 * odd + 1e-300), steady = log(0.95 * still + 0.05 * odd + 1e-300))
}

# The log of each pair's ratio since a week to that before, with its variance.
lasting_changes <- function(rows, week) {
  sums_of <- c("clicks", "expected")
  later <- rows$week >= week
  before <- sums_by(rows[!later], c("pair", "page"), sums_of)
  since <- sums_by(rows[later], c("pair", "page"), sums_of)
  both <- merge(before, since, by = c("pair", "page"), suffixes = c("_before", "_since"))
  both <- both[both$expected_before >= 1 & both$expected_since >= 1]
  data.table(both[, c("pair", "page")],
    change = log_factor(both$clicks_since, both$expected_since) -
      log_factor(both$clicks_before, both$expected_before),
    noise = factor_noise(both$clicks_since, both$expected_since) +
      factor_noise(both$clicks_before, both$expected_before) + assumed("fall_own_sd")^2)
}

# What pairs share with others: words of the query, its intent, and intent and folder together. Out:
# pair, group.
sister_groups <- function(summary, pairs, which) {
  key <- summary$queries$key[pairs$query[which]]
  words <- word_table(key, function_words)
  usual <- words[, .N, by = "word"]
  telling <- usual$word[usual$N >= 3 & usual$N <= assumed("topic_largest") * length(which)]
  words <- words[words$word %in% telling]
  intent <- query_intent(key)
  folder <- page_group(summary$pages$page[pairs$page[which]], NULL)
  rbind(data.table(pair = which[words$query], group = words$word),
    data.table(pair = which, group = paste("intent:", intent)),
    data.table(pair = which, group = paste("intent:", intent, "in", folder)))
}
