# What clicks are worth: conversions and money, where pages have facts of them. A page's own rate
# leans on that of its group (its first folder, or the groups of the settings), and a group's on the
# site's, by as much as few sessions tell.

# In: findings with `page` and `if_done`; out: `if_done_conversions` and `if_done_value` with low
# and high, per 30 days, or nothing added where no page has sessions and conversions.
add_worth <- function(found, summary, rules) {
  pages <- summary$pages
  rates <- page_worth(summary, rules)
  if (is.null(rates)) return(add_cost(found, summary))
  at <- match(found$page, pages$page)
  intent <- rates$by_intent(found$query, at)
  put <- function(name, rate, relative) {
    # Relative errors of clicks and rate, below and above, add up in squares.
    below <- sqrt(pmax(0, 1 - found$if_done_low / found$if_done)^2 + relative^2)
    above <- sqrt((found$if_done_high / found$if_done - 1)^2 + relative^2)
    worth <- found$if_done * rate
    set(found, j = paste0("if_done_", name, c("", "_low", "_high")),
      value = list(worth, pmax(0, worth * (1 - below)), worth * (1 + above)))
  }
  put("conversions", rates$rate[at] * intent, stats::qnorm(0.95) * rates$relative[at])
  if (!is.null(rates$each)) {
    put("value", rates$rate[at] * intent * rates$each[at],
      stats::qnorm(0.95) *
        sqrt(rates$relative[at]^2 + 1 / (5 + fcoalesce(as.numeric(pages$conversions[at]), 0))))
  }
  found[]
}

# Conversions per session of each page (`rate`, its `relative` error, whether it is `known` by
# itself), the value of one (`each`, NULL where none is known) and `by_intent(queries, pages)`:
# times the rate of its page that a query brings, by its intent. NULL where no page has conversions.
page_worth <- function(summary, rules) {
  pages <- summary$pages
  if (is.null(pages[["sessions"]]) || is.null(pages[["conversions"]])) return(NULL)
  sessions <- as.numeric(pages$sessions)
  conversions <- as.numeric(pages$conversions)
  group <- page_group(pages$page, rules$page_groups)
  mix <- intent_mix(summary, rules)
  factors <- intent_factors(sessions, conversions, group, mix)
  expected <- as.vector(mix %*% factors)
  rates <- page_rates(sessions, conversions, group, expected)
  if (is.null(rates)) return(NULL)
  known <- countable(sessions, conversions)
  each <- if (!is.null(pages[["value"]])) value_each(as.numeric(pages$value), conversions)
  by_intent <- function(queries, pages) {
    factors[match(query_intent(query_key(queries), rules$intent), names(factors))] / expected[pages]
  }
  c(rates, list(known = known, by_intent = by_intent, factors = factors),
    if (!is.null(each)) list(each = each))
}

# Pages whose sessions and conversions make a rate: more conversions than sessions make none.
countable <- function(sessions, conversions) {
  !is.na(sessions) & !is.na(conversions) & sessions > 0 & conversions <= sessions
}

# Where no conversions are known, what the clicks would cost as ads stands in for their value: it is
# a column of its own, and nothing is sorted by it.
add_cost <- function(found, summary) {
  cost <- summary$queries[["cost"]]
  if (is.null(cost) || !is.numeric(cost)) return(found)
  each <- cost[match(found$query, summary$queries$query)]
  set(found, j = "if_done_cost", value = found$if_done * each)
}

# Conversions per session of each page. Beta-binomial empirical Bayes: how many sessions a group's
# rate is worth follows from how far the pages' rates lie apart beyond chance, by moments. `times`:
# what a page's mix of intents makes of its group's rate. Out: list(rate, relative error), or NULL.
page_rates <- function(sessions, conversions, group, times = 1) {
  times <- rep_len(times, length(sessions))
  known <- countable(sessions, conversions)
  if (!any(known) || sum(conversions[known]) == 0) return(NULL)
  site <- sum(conversions[known]) / sum(sessions[known])
  sums <- sums_by(setDT(list(group = group[known], sessions = (sessions * times)[known],
    conversions = conversions[known])),
    "group", c("sessions", "conversions"))
  pooled <- (sums$conversions / sums$sessions)[match(group[known], sums$group)] * times[known]
  worth <- beta_weight(sessions[known], conversions[known], pmin(0.99, pooled))
  set(sums, j = "rate", value = (sums$conversions + worth * site) / (sums$sessions + worth))
  parent <- pmin(0.99, fcoalesce(sums$rate[match(group, sums$group)], site) * times)
  n <- ifelse(known, sessions, 0)
  rate <- (ifelse(known, conversions, 0) + worth * parent) / (n + worth)
  list(rate = rate, relative = sqrt((1 - rate) / (rate * (n + worth + 1))))
}

# Value of a conversion, each page's own held to the site's by five conversions.
value_each <- function(value, conversions) {
  known <- !is.na(value) & !is.na(conversions) & conversions > 0
  if (!any(known)) return(NULL)
  site <- sum(value[known]) / sum(conversions[known])
  (ifelse(known, value, 0) + 5 * site) / (ifelse(known, conversions, 0) + 5)
}

# No figure above what the demand allows: every search seen as often as page one may be, and clicked
# each time.
within_demand <- function(found, summary) {
  most <-
    pmax(0, assumed("page_one_views_most") * found$impressions - found$clicks) * per_month(summary)
  for (column in c("if_done", "if_done_low", "if_done_high")) {
    set(found, j = column, value = pmin(found[[column]], most))
  }
  found
}

# Hours of work by kind: ours, or as given.
kind_hours <- function(hours = NULL) {
  usual_hours <- vapply(finding_kinds(), `[[`, 0, "hours")
  replace(usual_hours, names(hours), unlist(hours))
}

check_hours <- function(hours) {
  if (is.null(hours)) return(invisible())
  known <- names(finding_kinds())
  if (is.null(names(hours)) || !all(names(hours) %in% known)) {
    abort_argument("hours", paste("named among", paste(known, collapse = ", ")), names(hours))
  }
  if (!is.numeric(unlist(hours)) || any(unlist(hours) <= 0)) {
    abort_argument("hours", "hours above 0", unlist(hours))
  }
}

worth_columns <- c(
  paste0("if_done_", rep(c("conversions", "value"), each = 3), c("", "_low", "_high")),
  "gain_conversions", "gain_value", "if_done_cost", "gain_cost")

# What intents do to the rate of conversions: estimated from pages of one group whose clicks are of
# different intents.

# A row a page, a column an intent: shares of its clicks, those of the site where it has none.
intent_mix <- function(summary, rules) {
  pairs <- summary$pairs
  intent <- query_intent(summary$queries$key, rules$intent)[pairs$query]
  name_texts <- unique(c(names(rules$intent), "other"))
  clicks <- vapply(name_texts, function(name) {
    sum_codes(ifelse(intent == name, pairs$clicks, 0), pairs$page, nrow(summary$pages))
  }, numeric(nrow(summary$pages)))
  clicks <- matrix(clicks, ncol = length(name_texts), dimnames = list(NULL, name_texts))
  site <- colSums(clicks)
  site <- if (any(site > 0)) site / sum(site) else 1 / length(site) + site
  # A few clicks are no mix: the site's counts as five.
  (clicks + 5 * rep(site, each = nrow(clicks))) / (rowSums(clicks) + 5)
}

# Times the rate of a group that each intent brings, 1 on average. Conversions of a page are a sum
# over its intents (Poisson); a gamma prior around 1 stands against few of them; by EM.
intent_factors <- function(sessions, conversions, group, mix, rounds = 50) {
  factors <- stats::setNames(rep(1, ncol(mix)), colnames(mix))
  known <- which(countable(sessions, conversions))
  if (!length(known) || !sum(conversions[known])) return(factors)
  worth <- assumed("intent_worth")
  sessions <- sessions[known]
  conversions <- conversions[known]
  mix <- mix[known, , drop = FALSE]
  code <- match(group[known], unique(group[known]))
  groups <- max(code)
  of_group <- sum_codes(conversions, code, groups)
  for (turn in seq_len(rounds)) {
    each <- as.vector(mix %*% factors)
    rate <- (of_group / pmax(1e-9, sum_codes(sessions * each, code, groups)))[code]
    parts <- conversions * mix * rep(factors, each = nrow(mix)) / each
    factors <- (worth + colSums(parts)) / (worth + colSums(sessions * rate * mix))
  }
  factors
}
