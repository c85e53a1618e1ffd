# Why clicks changed: an exact share-out of the change among demand, position, click-through and
# queries that came or went.

# Clicks of a pair are its own factor x demand x (clicks the curve expects for each search), plus
# what it has beyond that. With one factor for both windows (of both together, held to the curve)
# the first is a product whose change is shared out by the Shapley value (Shorrocks 2013): the mean
# over both orders in which demand and position may have moved. The rest is click-through at equal
# position. It adds up exactly, whatever the figures, zeros included; so do sums over pairs; and it
# changes its sign alone where the windows are exchanged. A factor for each window would make the
# luck of one click on next to no expected ones look like a large movement, taken back by another.
# Pairs shown in one window only are `mix`. In: clicks, expected and demand of each side, already
# for equally many days, and the factor. Out: data.table(demand, position, click_through, mix).
change_parts <- function(clicks_1, clicks_2, expected_1, expected_2, demand_1, demand_2, factor) {
  both <- demand_1 > 0 & demand_2 > 0
  each_1 <- fifelse(both, expected_1 / demand_1, 0)
  each_2 <- fifelse(both, expected_2 / demand_2, 0)
  demand <- factor * (demand_2 - demand_1) * (each_1 + each_2) / 2
  position <- factor * (each_2 - each_1) * (demand_1 + demand_2) / 2
  data.table(demand = fifelse(both, demand, 0), position = fifelse(both, position, 0),
    click_through = fifelse(both, clicks_2 - clicks_1 - factor * (expected_2 - expected_1), 0),
    mix = fifelse(both, 0, clicks_2 - clicks_1))
}

# Where what a pair is shown for moved beyond noise and how it is clicked did not, the wavering of
# clicks is luck, and goes along with demand and position in proportion to what they did (in the
# direction of the change); the click-through that moved on the whole site stays. Elsewhere the luck
# of clicks is part of click-through. Sums stay what they are. Where one cause is clear, it takes
# more than one chance in ten to name a second: of ten pairs one has so much by luck.
share_luck <- function(parts, tests, common, clear = 0.01, second = 0.02) {
  change <- parts$demand + parts$position
  which <- which(tests$p_visible < clear & tests$p_clicked > second & parts$mix == 0 & change != 0)
  if (!length(which)) return(parts)
  own <- parts[which]
  along <-
    lapply(c("demand", "position"), function(name) pmax(0, own[[name]] * sign(change[which])))
  whole <- along[[1]] + along[[2]]
  luck <- own$click_through - common[which]
  set(parts, which, "demand", own$demand + luck * along[[1]] / whole)
  set(parts, which, "position", own$position + luck * along[[2]] / whole)
  set(parts, which, "click_through", common[which])
  parts
}

# How sure a change is. Impressions say far more than clicks, and searches waver less than what
# positions make of them: so searches, what they and position make of it, and how it is clicked
# beside that are tested apart, each as a log ratio beside that of the whole site, with the variance
# of counts that waver more than by chance (from the middle half of all that have clicks enough, so
# that what truly moved does not widen it). The smaller p-value of what is shown (searches and what
# positions make of them, combined after Simes 1986) and of how it is clicked counts, times two;
# Benjamini and Hochberg (1995) over all that are tested. Out: data.table(ratio, ratio_low,
# ratio_high, p, q, p_visible: of searches and position together, p_clicked, common_clicked: the log
# ratio of the site).
change_tests <- function(sums, days, level, least = 10) {
  made <- log_change(sums$clicks_1, sums$clicks_2, days[1], days[2])
  clicks <- made$change
  click_noise <- made$noise
  tested <- which(sums$clicks_1 + sums$clicks_2 >= least)
  own <- sums[tested]
  seen <- log_change(own$expected_1, own$expected_2, days[1], days[2])$change
  searches <- log_change(own$demand_1, own$demand_2, days[1], days[2])$change
  seen_noise <- rate_noise(own$impressions_1) + rate_noise(own$impressions_2)
  visible <- test_against_common(seen, seen_noise)
  clicked <- test_against_common(clicks[tested] - seen, click_noise[tested])
  # Of two that say much the same, Simes's combination.
  searched <- test_against_common(searches, seen_noise)$p
  shown <- pmin(2 * pmin(searched, visible$p), pmax(searched, visible$p))
  p <- pmin(1, 2 * pmin(shown, clicked$p))
  reach <- stats::qnorm(1 - (1 - level) / 2) * sqrt(click_noise + visible$between + clicked$between)
  out <- data.table(ratio = exp(clicks), ratio_low = exp(clicks - reach),
    ratio_high = exp(clicks + reach), p = NA_real_, q = NA_real_, p_visible = NA_real_,
    p_clicked = NA_real_, common_clicked = clicked$common)
  set(out, tested, c("p", "q", "p_visible", "p_clicked"),
    list(p, stats::p.adjust(p, "BH"), visible$p, clicked$p))
  out
}

# From rows of two windows to lines of a level: what each query x page changed by and why, and sums
# of that.

change_levels <- c("query", "page", "folder", "topic", "pair", "site")

part_names <- c("demand", "position", "click_through", "mix")

# Sums of both windows (`_1` before, `_2` after) by query and page, zero where one window lacks the
# pair.
pair_sums <- function(rows) {
  found <- .Call(pair_codes, rows$query, rows$page)
  many <- length(found[[2]])
  pairs <- setDT(list(query = rows$query[found[[2]]], page = rows$page[found[[2]]]))
  code <- found[[1]] + many * (rows$side - 1L)
  figures <- c("clicks", "impressions", "weighted", "expected", "demand")
  sums <- lapply(stats::setNames(figures, figures),
    function(column) sum_codes(rows[[column]], code, 2L * many))
  for (side in 1:2) {
    set(pairs, j = paste0(figures, "_", side),
      value = lapply(sums, `[`, seq_len(many) + many * (side - 1L)))
  }
  setkeyv(pairs, c("query", "page"))
}

# One factor on the curve for both windows, held to the curve by the usual spread of its fit.
pair_factor <- function(pairs, fit) {
  position <- (pairs$weighted_1 + pairs$weighted_2) / (pairs$impressions_1 + pairs$impressions_2)
  mean_factor(pairs$clicks_1 + pairs$clicks_2, pairs$expected_1 + pairs$expected_2,
    fit_spread(fit, position))
}

# The parts of each pair's change of clicks, for 30 days: data.table of `part_names`.
pair_changes <- function(pairs, shown, fit) {
  scale <- 30 / shown
  before <- lapply(pairs[, c("clicks_1", "expected_1", "demand_1")], `*`, scale[1])
  after <- lapply(pairs[, c("clicks_2", "expected_2", "demand_2")], `*`, scale[2])
  factor <- pair_factor(pairs, fit)
  parts <- change_parts(before$clicks_1, after$clicks_2, before$expected_1, after$expected_2,
    before$demand_1, after$demand_2, factor)
  tests <- change_tests(pairs, shown, 0.9)
  # What the whole site's click-through, up or down, makes of each pair.
  common <- factor * (before$expected_1 + after$expected_2) * tanh(tests$common_clicked / 2)
  share_luck(parts, tests, common)
}

# The name each pair goes by on a level.
level_names <- function(level, pairs, at, rules) {
  switch(
    level,
    query = at$queries$names[pairs$query],
    page = at$pages$names[pairs$page],
    folder = page_group(at$pages$names, rules$page_groups)[pairs$page],
    topic = fcoalesce(
      head_terms(at$queries$keys, leading_pairs(pairs, length(at$queries$keys)))[pairs$query],
      "(no topic)"),
    pair = paste(at$queries$names[pairs$query], at$pages$names[pairs$page], sep = " | "),
    site = rep("the site", nrow(pairs)))
}

# Each query's leading page over both windows.
leading_pairs <- function(pairs, queries, code = pairs$query) {
  leading_pages(data.table(query = code, page = pairs$page,
    clicks = pairs$clicks_1 + pairs$clicks_2,
    impressions = pairs$impressions_1 + pairs$impressions_2),
    queries)
}

# Clicks a month: where fewer searches and better positions make up for one another, or little is at
# stake, nothing is told.
worth_telling <- 2

# Lines or pairs summed by their name: `name` and the sums of both windows.
named_sums <- function(pairs, name) {
  sums <- c(outer(c("clicks_", "expected_", "demand_", "impressions_", "weighted_"), 1:2, paste0),
    part_names)
  names <- unique(name)
  code <- match(name, names)
  setDT(c(list(name = names),
    lapply(pairs[, sums, with = FALSE], sum_codes, code = code, size = length(names))))
}

# Each line of a named_sums() tested, the largest change first.
move_lines <- function(own, shown, fdr) {
  tests <- change_tests(own, shown, 0.9)
  scale <- 30 / shown
  change <- own$clicks_2 * scale[2] - own$clicks_1 * scale[1]
  out <- data.table(
    name = own$name,
    clicks_before = own$clicks_1 * scale[1],
    clicks_after = own$clicks_2 * scale[2],
    change = change,
    own[, part_names, with = FALSE],
    tests[, c("ratio", "ratio_low", "ratio_high", "q")],
    real = (tests$q <= fdr) %in% TRUE & abs(change) >= worth_telling,
    status = fifelse(own$impressions_1 == 0, "new",
      fifelse(own$impressions_2 == 0, "lost", "continuing")),
    impressions_before = own$impressions_1 * scale[1],
    impressions_after = own$impressions_2 * scale[2],
    position_before = fifelse(own$impressions_1 > 0, own$weighted_1 / own$impressions_1, NA_real_),
    position_after = fifelse(own$impressions_2 > 0, own$weighted_2 / own$impressions_2, NA_real_))
  # Of equals the first in the alphabet of queries.
  setorderv(set(out, j = "size", value = abs(change)), "size", -1L)
  out[, !"size"]
}

# What is shown first: what moved beyond noise, then the largest changes.
leading_moves <- function(moves, most) {
  utils::head(moves[order(-moves$real, -abs(moves$change))], most)
}
