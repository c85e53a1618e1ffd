# From rows of two windows to lines of a level: what each query x page changed by and why, and sums
# of that.

move_levels <- c("query", "page", "folder", "topic", "pair", "site")
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
  for (side in 1:2) set(pairs, j = paste0(figures, "_", side),
    value = lapply(sums, `[`, seq_len(many) + many * (side - 1L)))
  setkeyv(pairs, c("query", "page"))
}

# One factor on the curve for both windows, held to the curve by the usual spread of its fit.
pair_factor <- function(pairs, fit) {
  position <- (pairs$weighted_1 + pairs$weighted_2) / (pairs$impressions_1 + pairs$impressions_2)
  own_factor(pairs$clicks_1 + pairs$clicks_2, pairs$expected_1 + pairs$expected_2,
    spread_of(fit, position))
}

# The parts of each pair's change of clicks, for 30 days: data.table of `part_names`.
pair_changes <- function(pairs, shown, fit) {
  scale <- 30 / shown
  before <- lapply(pairs[, c("clicks_1", "expected_1", "demand_1")], `*`, scale[1])
  after <- lapply(pairs[, c("clicks_2", "expected_2", "demand_2")], `*`, scale[2])
  factor <- pair_factor(pairs, fit)
  parts <- change_parts(before$clicks_1, after$clicks_2, before$expected_1, after$expected_2,
    before$demand_1,
    after$demand_2, factor)
  tests <- change_tests(pairs, shown, 0.9)
  # What the whole site's click-through, up or down, makes of each pair.
  common <- factor * (before$expected_1 + after$expected_2) * tanh(tests$common_clicked / 2)
  share_luck(parts, tests, common)
}

# The name each pair goes by on a level.
level_names <- function(level, pairs, at, rules) {
  switch(level,
    query = at$queries$names[pairs$query],
    page = at$pages$names[pairs$page],
    folder = page_group(at$pages$names, rules$page_groups)[pairs$page],
    topic = fcoalesce(head_terms(at$queries$keys,
    leading_of(pairs, length(at$queries$keys)))[pairs$query],
      "(no topic)"),
    pair = paste(at$queries$names[pairs$query], at$pages$names[pairs$page], sep = " | "),
    site = rep("the site", nrow(pairs)))
}

# Each query's leading page over both windows.
leading_of <- function(pairs, queries, code = pairs$query) {
  leading_pages(data.table(query = code, page = pairs$page,
    clicks = pairs$clicks_1 + pairs$clicks_2,
    impressions = pairs$impressions_1 + pairs$impressions_2), queries)
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
  setDT(c(list(name = names), lapply(pairs[, sums, with = FALSE], sum_codes, code = code,
    size = length(names))))
}

# Each line of a named_sums() tested, the largest change first.
move_lines <- function(own, shown, fdr) {
  tests <- change_tests(own, shown, 0.9)
  scale <- 30 / shown
  change <- own$clicks_2 * scale[2] - own$clicks_1 * scale[1]
  out <- data.table(name = own$name, clicks_before = own$clicks_1 * scale[1],
    clicks_after = own$clicks_2 * scale[2],
    change = change,
    own[, part_names, with = FALSE], tests[, c("ratio", "ratio_low", "ratio_high", "q")],
    real = (tests$q <= fdr) %in% TRUE & abs(change) >= worth_telling,
    status = fifelse(own$impressions_1 == 0, "new",
    fifelse(own$impressions_2 == 0, "lost", "continuing")),
    impressions_before = own$impressions_1 * scale[1],
    impressions_after = own$impressions_2 * scale[2],
    position_before = fifelse(own$impressions_1 > 0, own$weighted_1 / own$impressions_1, NA_real_),
    position_after = fifelse(own$impressions_2 > 0, own$weighted_2 / own$impressions_2, NA_real_))
  # Of equals the first in the alphabet of queries.
  out[order(-abs(change))]
}

# What is shown first: what moved beyond noise, then the largest changes.
leading_moves <- function(moves, most) utils::head(moves[order(-moves$real, -abs(moves$change))],
  most)
