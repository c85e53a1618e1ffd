# What intents do to the rate of conversions: estimated from pages of one group whose clicks are of
# different intents.

# A row a page, a column an intent: shares of its clicks, those of the site where it has none.
intent_mix <- function(summary, rules) {
  pairs <- summary$pairs
  intent <- query_intent(summary$queries$key, rules$intent)[pairs$query]
  names <- unique(c(names(rules$intent), "other"))
  clicks <- vapply(names, function(name) {
    sum_codes(ifelse(intent == name, pairs$clicks, 0), pairs$page, nrow(summary$pages))
  }, numeric(nrow(summary$pages)))
  clicks <- matrix(clicks, ncol = length(names), dimnames = list(NULL, names))
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
  for (round in seq_len(rounds)) {
    each <- as.vector(mix %*% factors)
    rate <- (of_group / pmax(1e-9, sum_codes(sessions * each, code, groups)))[code]
    parts <- conversions * mix * rep(factors, each = nrow(mix)) / each
    factors <- (worth + colSums(parts)) / (worth + colSums(sessions * rate * mix))
  }
  factors
}
