# Why clicks changed: an exact share-out of the change among demand, position, CTR, and new and lost
# queries.

# Clicks of a pair are its own factor x demand x (clicks the curve expects for each search), plus
# what it has beyond that. With one factor for both windows (of both together, held to the curve)
# the first is a product whose change is shared out by the Shapley value (Shorrocks 2013): the mean
# over both orders in which demand and position may have moved. The rest is CTR at equal position.
# It adds up exactly, whatever the figures, zeros included; so do sums over pairs; and it changes
# its sign alone where the windows are exchanged. A factor for each window would make the luck of
# one click on next to no expected ones look like a large movement, taken back by another. Pairs
# shown in one window only are new or lost. In: clicks, expected and demand of each side, already
# for equally many days, and the factor. Out: data.table of `part_names`.
change_parts <- function(clicks_1, clicks_2, expected_1, expected_2, demand_1, demand_2, factor) {
  both <- demand_1 > 0 & demand_2 > 0
  each_1 <- fifelse(both, expected_1 / demand_1, 0)
  each_2 <- fifelse(both, expected_2 / demand_2, 0)
  demand <- factor * (demand_2 - demand_1) * (each_1 + each_2) / 2
  position <- factor * (each_2 - each_1) * (demand_1 + demand_2) / 2
  data.table(by_demand = fifelse(both, demand, 0), by_position = fifelse(both, position, 0),
    by_ctr = fifelse(both, clicks_2 - clicks_1 - factor * (expected_2 - expected_1), 0),
    by_new_lost = fifelse(both, 0, clicks_2 - clicks_1))
}

# Where what a pair is shown for moved beyond noise and how it is clicked did not, the noise of
# clicks is luck, and goes along with demand and position in proportion to what they did (in the
# direction of the change); the CTR that moved on the whole site stays. Elsewhere the luck of clicks
# is part of CTR. Sums stay what they are. Where one cause is clear, it takes
# more than one chance in ten to name a second: of ten pairs one has so much by luck.
share_luck <- function(parts, tests, common, clear = 0.01, second = 0.02) {
  change <- parts$by_demand + parts$by_position
  chosen_at <-
    which(tests$p_visible < clear & tests$p_clicked > second & parts$by_new_lost == 0 & change != 0)
  if (!length(chosen_at)) return(parts)
  own <- parts[chosen_at]
  along <-
    lapply(c("by_demand", "by_position"),
      function(name) pmax(0, own[[name]] * sign(change[chosen_at])))
  whole <- along[[1]] + along[[2]]
  luck <- own$by_ctr - common[chosen_at]
  set(parts, chosen_at, "by_demand", own$by_demand + luck * along[[1]] / whole)
  set(parts, chosen_at, "by_position", own$by_position + luck * along[[2]] / whole)
  set(parts, chosen_at, "by_ctr", common[chosen_at])
  parts
}

# From rows of two windows to lines of a level: what each query x page changed by and why, and sums
# of that.

change_levels <- c("query", "page", "folder", "topic", "pair", "site")

part_names <- c("by_demand", "by_position", "by_ctr", "by_new_lost")

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

# The parts of each pair's change of clicks, each side times its `scale`: data.table of
# `part_names`.
pair_changes <- function(pairs, days, scale, fit) {
  before <- lapply(pairs[, c("clicks_1", "expected_1", "demand_1")], `*`, scale[1])
  after <- lapply(pairs[, c("clicks_2", "expected_2", "demand_2")], `*`, scale[2])
  ratio_of <- pair_factor(pairs, fit)
  parts <- change_parts(before$clicks_1, after$clicks_2, before$expected_1, after$expected_2,
    before$demand_1, after$demand_2, ratio_of)
  tests <- change_tests(pairs, days, 0.9)
  # What the whole site's CTR, up or down, makes of each pair.
  common <- ratio_of * (before$expected_1 + after$expected_2) * tanh(tests$common_clicked / 2)
  share_luck(parts, tests, common)
}

# The name each pair goes by on a level.
level_names <- function(level, pairs, at, rules) {
  if (level == "pair") {
    return(paste(at$queries$names[pairs$query], at$pages$names[pairs$page], sep = " | "))
  }
  both <- data.table(pairs[, c("query", "page")], clicks = pairs$clicks_1 + pairs$clicks_2,
    impressions = pairs$impressions_1 + pairs$impressions_2)
  label <- row_labels(level, list(rows = both, queries = at$queries, pages = at$pages), rules)
  label$names[label$code]
}

# Each query's leading page over both windows.
leading_pairs <- function(pairs, queries, code = pairs$query) {
  leading_pages(data.table(query = code, page = pairs$page,
    clicks = pairs$clicks_1 + pairs$clicks_2,
    impressions = pairs$impressions_1 + pairs$impressions_2),
    queries)
}

# Lines of fewer clicks in both windows are not tested.
least_clicks <- 10

# Clicks in 30 days: where less demand and better positions make up for one another, or little is at
# stake, nothing is said.
worth_telling <- 2

# Lines or pairs summed by their name: `name` and the sums of both windows.
named_sums <- function(pairs, name) {
  sums <- c(outer(c("clicks_", "expected_", "demand_", "impressions_", "weighted_"), 1:2, paste0),
    part_names)
  line_names <- unique(name)
  code <- match(name, line_names)
  setDT(c(list(name = line_names),
    lapply(pairs[, sums, with = FALSE], sum_codes, code = code, size = length(line_names))))
}

# Pairs summed by a name each and tested, the largest change first. basis: list(pairs, rows, `pair`
# of each row, days, scale, ends of the windows or NULL for segments, common, fdr).
lines_of <- function(basis, name) {
  sums <- named_sums(basis$pairs, name)
  if (is.null(basis$ends)) {
    # Others tell how far a line differs by itself; of the site there are none.
    alone <- nrow(sums) == 1
    return(move_lines(sums, basis, if (alone) variance_of_segments(basis$rows)))
  }
  one_line <- match(name, sums$name)[basis$pair]
  use <- which((sums$clicks_1 + sums$clicks_2 >= least_clicks)[one_line])
  rows <- basis$rows[use]
  set(rows, j = "line", value = one_line[use])
  move_lines(sums, basis, if (nrow(rows)) window_variance(rows, nrow(sums), basis$ends))
}

# Impressions, position and CTR of lines of queries, each query counted once a day. seen: what
# seen_once() gives of the basis' rows.
seen_once_lines <- function(lines, basis, name, seen) {
  line_names <- unique(name)
  code <- match(name, line_names)[basis$pair]
  at <- match(lines$name, line_names)
  for (side in 1:2) {
    use <- which(basis$rows$side == side)
    sum_of <- function(of) sum_codes(of[use], code[use], length(line_names))[at]
    shown <- sum_of(seen$impressions)
    clicks <- lines[[c("clicks_before", "clicks_after")[side]]]
    impressions <- shown * basis$scale[side]
    ending <- c("before", "after")[side]
    set(lines, j = paste0(c("impressions_", "ctr_", "position_"), ending), value = list(impressions,
      fifelse(shown > 0, clicks / impressions, NA_real_),
      fifelse(shown > 0, sum_of(seen$weighted) / shown, NA_real_)))
  }
  lines
}

# Each line of a named_sums() tested, the largest change first. Of the site there is no other to be
# held against.
move_lines <- function(own, basis, between = NULL) {
  common <- if (nrow(own) > 1) basis$common else list(demand = 0, visible = 0, clicked = 0)
  tests <- change_tests(own, basis$days, 0.9, common = common, between = between)
  scaling <- basis$scale
  change <- own$clicks_2 * scaling[2] - own$clicks_1 * scaling[1]
  a_month <- abs(change) * 30 / (scaling * basis$days)[1]
  out <- data.table(
    name = own$name,
    clicks_before = own$clicks_1 * scaling[1],
    clicks_after = own$clicks_2 * scaling[2],
    change = change,
    own[, part_names, with = FALSE],
    tests[, c("ratio", "ratio_low", "ratio_high", "q")],
    # No line is significant whose own interval holds no change.
    significant = (tests$q <= basis$fdr) %in% TRUE & a_month >= worth_telling &
      !(tests$ratio_low <= 1 & tests$ratio_high >= 1) %in% TRUE,
    status = fifelse(own$impressions_1 == 0, "new",
      fifelse(own$impressions_2 == 0, "lost", "continuing")),
    impressions_before = own$impressions_1 * scaling[1],
    impressions_after = own$impressions_2 * scaling[2],
    ctr_before = fifelse(own$impressions_1 > 0, own$clicks_1 / own$impressions_1, NA_real_),
    ctr_after = fifelse(own$impressions_2 > 0, own$clicks_2 / own$impressions_2, NA_real_),
    position_before = fifelse(own$impressions_1 > 0, own$weighted_1 / own$impressions_1, NA_real_),
    position_after = fifelse(own$impressions_2 > 0, own$weighted_2 / own$impressions_2, NA_real_))
  # Of equals the first in the alphabet.
  set(out, j = "size", value = abs(out$change))
  setorderv(out, c("size", "name"), c(-1L, 1L))
  out[, !"size"]
}
