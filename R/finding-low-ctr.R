# Low CTR: pairs clicked less than this site's curve says, by more than queries usually differ.
#
# Queries differ around the curve for reasons that nobody can mend. So the spread of the log factors is taken
# apart into a usual and a low part (a two-groups mixture, Efron 2010, fitted by EM): first between pages, whose
# title and description all their queries share, then between a page's pairs once the page's effect is out. A
# pair's confidence is the probability that its page or itself belongs to a low part. Listed are as many of the
# surest as keep the expected share of false ones (one minus confidence, averaged) within `fdr`, the Bayesian
# false-discovery rate.

find_low_ctr <- function(summary, curve, pairs, options) {
  candidates <- which(pairs$judged & pairs$expected >= 1)
  if (!length(candidates)) return(no_findings())
  at <- pairs[candidates]
  judged <- judge_low(at$clicks, at$expected, at$page)
  # A shortfall that is sure but small is nobody's working day.
  clear <- at$clicks < 0.8 * at$expected & at$tested
  listed <- surest_within(ifelse(clear, judged$confidence, 0), options$fdr)
  listed <- listed[clear[listed]]
  gain <- lapply(low_ctr_gain(at[listed], judged$groups), `*`, per_month(summary))
  worth <- which(gain$gain >= options$min_gain)
  if (!length(worth)) return(no_findings())
  listed <- listed[worth]
  gain <- lapply(gain, `[`, worth)
  siblings <- page_shortfalls(at$page, judged$confidence)[match(at$page[listed], page)]
  at <- at[listed]
  pair_findings("low_ctr", summary, pairs, candidates[listed], gain, judged$confidence[listed],
    low_ctr_action(summary, at, siblings), low_ctr_reason(summary, at, siblings))
}

# Clicks won over the window when the pair gets to where its usual spread alone would have it. Both that level and
# today's are posteriors, so what is luck in few clicks is not promised as gain.
low_ctr_gain <- function(at, groups) {
  level <- low_levels(log((at$clicks + 0.5) / (at$expected + 0.5)), log_noise(at$clicks, at$expected), groups)
  usual <- exp(level$usual + level$usual_var / 2)
  today <- exp(level$today + level$today_var / 2)
  variance <- usual^2 * (exp(level$usual_var + at$curve_se^2) - 1) + today^2 * (exp(level$today_var) - 1) -
    2 * usual * today * (exp(level$shared) - 1)
  gain_interval(at$expected * (usual - today), at$expected * sqrt(pmax(variance, 0)))
}

# Variance of the log of clicks / expected, by chance alone.
log_noise <- function(clicks, expected) 1 / (pmax(clicks, expected * 0.3) + 0.5)

# A low pair's log factor today is its usual part plus a shortfall, seen with noise. Normal posteriors of today's
# level and of the usual part (means, variances, and what they share).
low_levels <- function(z, noise, groups) {
  usual <- groups$sd[1]^2
  total <- max(groups$sd[2]^2, usual + 0.15^2)
  seen <- total + noise
  today_var <- total * noise / seen
  list(today = groups$mean[2] + total / seen * (z - groups$mean[2]), today_var = today_var,
    usual = groups$mean[1] + usual / seen * (z - groups$mean[2]), usual_var = usual * (1 - usual / seen), shared = usual / total * today_var)
}

# In: clicks, expected clicks and page of the pairs. Out: each pair's probability of a low page or a low query,
# and the groups of all pairs.
judge_low <- function(clicks, expected, page) {
  z <- log((clicks + 0.5) / (expected + 0.5))
  noise <- log_noise(clicks, expected)
  known <- expected >= 3
  groups <- fit_two_groups(z[known], noise[known])

  # A page's effect is the mean of its pairs, each weighing by its own noise and the usual spread of pairs.
  weight <- 1 / (noise + groups$sd[1]^2)
  sums <- data.table(page = page, weight = weight, weighted = weight * z)[
    , .(weight = sum(weight), mean = sum(weighted) / sum(weight), pairs = .N), by = "page"]
  several <- sums$pairs >= 3
  page_groups <- fit_two_groups(sums$mean[several], 1 / sums$weight[several], usual_sd = 0.12)
  page_parts <- group_parts(sums$mean, 1 / sums$weight, page_groups)
  page_low <- ifelse(several, page_parts$low, 0)
  page_effect <- ifelse(several, page_parts$mean, 0)
  of <- match(page, sums$page)

  rest <- fit_two_groups((z - page_effect[of])[known], noise[known])
  pair_low <- low_probability(clicks, expected * exp(page_effect[of]), rest)
  list(confidence = 1 - (1 - page_low[of]) * (1 - pair_low), groups = groups)
}

# In: log factors and the variance of their noise. Out: weights, means and standard deviations of the usual, low
# and high part. Priors worth a handful of observations keep small sites sane.
fit_two_groups <- function(z, noise, usual_sd = 0.25, most = 2000L) {
  if (length(z) > most) {
    best <- order(noise)[seq_len(most)]
    z <- z[best]
    noise <- noise[best]
  }
  weight <- c(usual = 0.9, low = 0.05, high = 0.05)
  mean <- c(0, -0.8, 0.8)
  sd <- prior_sd <- c(usual_sd, 0.4, 0.4)
  for (round in 1:100) {
    before <- c(mean, sd)
    part <- part_shares(z, noise, weight, mean, sd)
    size <- colSums(part)
    weight <- (size + c(18, 1, 1)) / (sum(size) + 20)
    for (k in 1:3) {
      latent <- shrink_to(z, noise, mean[k], sd[k])
      anchor <- c(0, mean[1] - 0.8, mean[1] + 0.8)[k]
      mean[k] <- (sum(part[, k] * latent$mean) + 5 * anchor) / (size[k] + 5)
      sd[k] <- sqrt((sum(part[, k] * ((latent$mean - mean[k])^2 + latent$variance)) + 5 * prior_sd[k]^2) / (size[k] + 5))
    }
    mean[2] <- min(mean[2], mean[1] - 0.4)
    mean[3] <- max(mean[3], mean[1] + 0.4)
    sd[2:3] <- pmax(sd[2:3], sd[1])
    if (max(abs(c(mean, sd) - before)) < 1e-4) break
  }
  list(weight = weight, mean = mean, sd = sd)
}

part_shares <- function(z, noise, weight, mean, sd) {
  density <- vapply(1:3, function(k) log(weight[k]) + stats::dnorm(z, mean[k], sqrt(sd[k]^2 + noise), log = TRUE), numeric(length(z)))
  dim(density) <- c(length(z), 3)
  density <- exp(density - do.call(pmax, lapply(1:3, function(k) density[, k])))
  density / rowSums(density)
}

# Posterior of a normal effect seen with noise.
shrink_to <- function(z, noise, mean, sd) {
  keep <- sd^2 / (sd^2 + noise)
  list(mean = mean + keep * (z - mean), variance = sd^2 * (1 - keep))
}

# Probability of the low part and posterior mean of the effect.
group_parts <- function(z, noise, groups) {
  part <- part_shares(z, noise, groups$weight, groups$mean, groups$sd)
  means <- vapply(1:3, function(k) shrink_to(z, noise, groups$mean[k], groups$sd[k])$mean, numeric(length(z)))
  dim(means) <- dim(part)
  list(low = part[, 2] * (z < groups$mean[1]), mean = rowSums(part * means))
}

# Posterior probability of the low part. Clicks given a log-normal factor are near negative binomial with the
# factor's mean and variance.
low_probability <- function(clicks, expected, groups) {
  density <- vapply(1:3, function(k) {
    variance <- exp(groups$sd[k]^2) - 1
    log(groups$weight[k]) + stats::dnbinom(clicks, size = 1 / variance, mu = expected * exp(groups$mean[k] + groups$sd[k]^2 / 2), log = TRUE)
  }, numeric(length(clicks)))
  dim(density) <- c(length(clicks), 3)
  # Below the low part's own mean nothing may look more usual again, whatever the tails do.
  low <- 1 / (1 + rowSums(exp(density[, c(1, 3), drop = FALSE] - density[, 2])))
  low * (clicks < expected * exp(groups$mean[1]))
}

# The largest set of the surest whose mean chance of being false stays within `fdr`.
surest_within <- function(confidence, fdr) {
  order <- order(-confidence)
  false_share <- cumsum(1 - confidence[order]) / seq_along(order)
  sort(order[seq_len(sum(cummax(false_share) <= fdr))])
}

# Per page: pairs tested, and those that fall short with more than even odds.
page_shortfalls <- function(page, confidence) {
  data.table(page = page, low = confidence > 0.5)[, .(tested = .N, low = sum(low)), by = "page"]
}

low_ctr_reason <- function(summary, at, siblings) {
  page_note <- ifelse(siblings$low >= 2 & siblings$low >= siblings$tested / 2,
    sprintf(" %d of the page's %d tested queries fall short, so the page's title and description are the likely cause.", siblings$low, siblings$tested),
    ifelse(siblings$tested > 1,
      sprintf(" The page's other queries mostly do as expected (%d of %d fall short), so the match with this query is the likely cause.", siblings$low, siblings$tested), ""))
  sprintf("Seen %s times %s at position %s and clicked %s: %s, where this site's queries earn %s there. That is %s missed, more than queries usually differ.%s",
    format_count(at$impressions), in_period(summary), format_position(at$position), format_plural(at$clicks, "time"),
    format_rate(at$ctr), format_rate(at$expected_ctr), format_plural(at$expected - at$clicks, "click"), page_note)
}

low_ctr_action <- function(summary, at, siblings) {
  query <- summary$queries$query[at$query]
  page <- format_path(summary$pages$page[at$page])
  page <- ifelse(nzchar(page), page, "the page that ranks")
  promise <- c(commercial = "name range, price or delivery in the description", informational = "promise the answer in the description",
    uncategorised = "say in the description what the page gives")[query_intent(query)]
  ifelse(siblings$low >= 2 & siblings$low >= siblings$tested / 2,
    sprintf("Rewrite title and description of %s for all its queries; lead with \"%s\" and %s.", page, query, promise),
    sprintf("Put \"%s\" at the front of the title of %s and %s; check that the first paragraph answers it.", query, page, promise))
}
