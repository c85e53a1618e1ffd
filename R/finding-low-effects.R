# Why CTR falls short: the results page of a topic, the page's title and description, or the match of one query.
#
# Queries differ around the curve for reasons that nobody can mend. So the spread of the log factors is taken apart into a
# usual, a low and a high part (a two-groups mixture, Efron 2010, fitted by EM), one level after the other: first topics,
# whose queries fall short on every page that ranks for them; then pages, whose title and description all their queries
# share; then the pairs themselves, once the effects of topic and page are out.

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

# In: clicks, expected clicks, page and words (a list of texts) of the pairs. Out: each pair's probability of a low page or a
# low query, that of a low page alone, the groups of all pairs, expected clicks with the topic's effect, and the topics.
judge_low <- function(clicks, expected, page, words) {
  z <- log((clicks + 0.5) / (expected + 0.5))
  noise <- log_noise(clicks, expected)
  known <- expected >= 3
  groups <- fit_two_groups(z[known], noise[known])
  weight <- 1 / (noise + groups$sd[1]^2)
  pages <- page_means(z, weight, page)
  page_groups <- fit_two_groups(pages$mean[pages$pairs >= 3], 1 / pages$weight[pages$pairs >= 3], usual_sd = 0.12)

  topics <- held_topics(z, weight, page, words, page_groups)
  if (any(topics$low > 0.5)) {
    # Once more without what the topics explain, which had made the usual spread look wide.
    expected <- expected * exp(topics$effect)
    z <- log((clicks + 0.5) / (expected + 0.5))
    groups <- fit_two_groups(z[known], noise[known])
    weight <- 1 / (noise + groups$sd[1]^2)
    pages <- page_means(z, weight, page)
    page_groups <- fit_two_groups(pages$mean[pages$pairs >= 3], 1 / pages$weight[pages$pairs >= 3], usual_sd = 0.12)
  }
  several <- pages$pairs >= 3
  parts <- group_parts(pages$mean, 1 / pages$weight, page_groups)
  page_low <- ifelse(several, parts$low, 0)
  page_effect <- ifelse(several, parts$mean, 0)
  of <- match(page, pages$page)

  rest <- fit_two_groups((z - page_effect[of])[known], noise[known])
  pair_low <- low_probability(clicks, expected * exp(page_effect[of]), rest)
  # A topic that may be behind it takes its share of the certainty, and so does what no model of clicks knows: a topic seen
  # on one page only looks like its snippet. On simulated sites one in twenty of what seemed certain was such.
  confidence <- (1 - (1 - page_low[of]) * (1 - pair_low)) * ifelse(topics$low > 0.5, 1, 1 - topics$low) * (1 - unmodelled)
  list(confidence = confidence, page_low = page_low[of], groups = groups, expected = expected, topics = topics$found)
}

unmodelled <- 0.05

# A page's mean is that of its pairs, each weighing by its own noise and the usual spread of pairs.
page_means <- function(z, weight, page) {
  out <- data.table(page = page, weight = weight, weighted = weight * z)[, .(weight = sum(weight), weighted = sum(weighted), pairs = .N), by = "page"]
  out[, "mean" := weighted / weight]
  out[]
}

# Topics: words whose queries fall short on page after page. Each page's mean is either what pages show by themselves (their
# mixture) or the topic's own shortfall, of about a half, give or take. Out: per pair the probability and the effect of its likeliest topic; `found`, the topics with better than even odds.
held_topics <- function(z, weight, page, words, page_groups, usual = c(mean = -0.7, sd = 0.35)) {
  pairs <- length(z)
  texts <- as_levels(unlist(words))
  long <- data.table(pair = rep(seq_len(pairs), lengths(words)), word = as.integer(texts))
  long <- unique(long[!long$word %in% match(c(function_only, ""), levels(texts))])
  none <- list(low = numeric(pairs), effect = numeric(pairs), found = data.table(word = character(), queries = integer(), pages = integer(), share = numeric()))
  if (!nrow(long)) return(none)
  long[, c("page", "weight", "weighted") := list(page[long$pair], weight[long$pair], (weight * z)[long$pair])]
  by_page <- long[, .(weight = sum(weight), weighted = sum(weighted), pairs = .N), by = c("word", "page")]
  by_page[, "mean" := weighted / weight]
  sizes <- by_page[, .(pages = .N, pairs = sum(pairs)), by = "word"]
  wanted <- sizes$word[sizes$pages >= 2 & sizes$pairs >= 4 & sizes$pairs <= 0.5 * pairs]
  by_page <- by_page[by_page$word %in% wanted]
  if (!nrow(by_page)) return(none)
  alone <- vapply(1:3, function(k) page_groups$weight[k] * stats::dnorm(by_page$mean, page_groups$mean[k], sqrt(page_groups$sd[k]^2 + 1 / by_page$weight)), numeric(nrow(by_page)))
  dim(alone) <- c(nrow(by_page), 3)
  variance <- page_groups$sd[1]^2 + 1 / by_page$weight
  off <- by_page$mean - usual[["mean"]]
  by_page[, c("alone", "near", "inverse", "pull") := list(log(rowSums(alone) + 1e-300), stats::dnorm(off, 0, sqrt(variance), log = TRUE), 1 / variance, off / variance)]
  topics <- by_page[, .(alone = sum(alone), near = sum(near), inverse = sum(inverse), pull = sum(pull), pages = .N, pairs = sum(pairs)), by = "word"]
  prior <- usual[["sd"]]^2
  shared <- topics$near - 0.5 * log(1 + prior * topics$inverse) + 0.5 * topics$pull^2 * prior / (1 + prior * topics$inverse)
  effect <- usual[["mean"]] + prior * topics$pull / (1 + prior * topics$inverse)
  # How many words are so, the words themselves tell; one in twenty, worth twenty words, keeps few from deciding.
  part <- 0.05
  for (round in 1:20) {
    low <- 1 / (1 + exp(pmin(topics$alone - shared + log((1 - part) / part), 700)))
    part <- (sum(low[effect < -0.2]) + 1) / (length(low) + 20)
  }
  topics[, c("low", "effect") := list(ifelse(effect < -0.2, low, 0), pmin(effect, 0))]
  # Each pair has the likeliest of its words; of equals, the one on fewer pairs.
  long[, "at" := match(long$word, topics$word)]
  long <- long[!is.na(long$at)]
  long[, c("low", "size") := list(topics$low[long$at], topics$pairs[long$at])]
  setorderv(long, c("pair", "low", "size", "word"), c(1L, -1L, 1L, 1L))
  best <- long[!duplicated(long$pair)]
  held <- best[best$low > 0.5]
  out <- none
  out$low[best$pair] <- best$low
  out$effect[held$pair] <- topics$effect[held$at]
  if (nrow(held)) {
    out$found <- held[, .(queries = .N, pages = length(unique(page)), share = exp(topics$effect[at[1]])), by = "word"]
    set(out$found, j = "word", value = levels(texts)[out$found$word])
    setorderv(out$found, c("queries", "word"), c(-1L, 1L))
  }
  out
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
