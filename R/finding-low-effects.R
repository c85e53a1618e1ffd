# Why CTR falls short: the results page of a topic, the page's title and description, or the match of one query.
#
# Queries differ around the curve for reasons that nobody can mend. So the spread of the log factors is taken apart into
# a usual, a low and a high part (a two-groups mixture, Efron 2010, fitted by EM), one level after the other: first
# topics, whose queries fall short on every page that ranks for them; then pages, whose title and description all their
# queries share; then the pairs themselves, once the effects of topic and page are out.

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
    usual = groups$mean[1] + usual / seen * (z - groups$mean[2]), usual_var = usual * (1 - usual / seen),
    shared = usual / total * today_var)
}

# In: clicks, expected clicks, page and words (a word_table()) of the pairs. Out: each pair's probability of a low page
# or a low query, that of a low page alone, the groups of all pairs, expected clicks with the topic's effect, and the
# topics.
judge_low <- function(clicks, expected, page, words) {
  known <- expected >= 3
  z <- log((clicks + 0.5) / (expected + 0.5))
  levels <- fit_levels(clicks, expected, page, known)
  # Twice: what topics explain had made the usual spread look wide and low pages frequent.
  for (round in 1:2) {
    weight <- 1 / (log_noise(clicks, expected) + levels$pairs$sd[1]^2)
    topics <- held_topics(z, weight, page, words, levels$pages)
    if (!any(topics$low > 0.2)) break
    levels <- fit_levels(clicks, expected * exp(topics$low * topics$likely), page, known)
  }
  expected <- expected * exp(topics$effect)
  judged <- page_posteriors(clicks, expected, page, levels$pairs, levels$pages)
  # A topic that may be behind it takes its share of the certainty, and so does what no model of clicks knows: a topic
  # seen on one page only looks like its snippet. On simulated sites one in twenty of what seemed certain was such.
  confidence <- judged$low * ifelse(topics$low > 0.5, 1, 1 - topics$low) * (1 - unmodelled)
  list(confidence = confidence, page_low = judged$page_low, groups = levels$all, expected = expected,
    topics = topics$found)
}

# Groups of all pairs (whatever the reason), of pages, and of pairs within their page. The pages that say most are
# enough for the fit.
fit_levels <- function(clicks, expected, page, known, most = 6000L) {
  z <- log((clicks + 0.5) / (expected + 0.5))
  noise <- log_noise(clicks, expected)
  all <- fit_two_groups(z[known], noise[known])
  at <- by_pages(page)
  said <- order(-rowsum(1 / (noise + all$sd[1]^2), page, reorder = FALSE)[match(at$page, unique(page))])
  said <- sort(said[cumsum(at$pairs[said]) <= most | seq_along(said) <= 20])
  rows <- at$order[unlist(Map(seq, at$first[said], length.out = at$pairs[said]))]
  of <- rep(seq_along(said), at$pairs[said])
  pairs <- all
  for (round in 1:2) {
    likelihood <- page_likelihoods(pair_likelihoods(clicks[rows], expected[rows], pairs), of)
    pages <- fit_pages(likelihood, at$pairs[said])
    use <- which(known[rows])
    pairs <- fit_within_pages(z[rows[use]], noise[rows[use]], Reduce(`+`, page_shares(likelihood, pages)), of[use],
      pairs)
  }
  # The site's level is the pairs', pages have what is theirs beside it.
  pairs$mean <- pairs$mean + pages$mean[1]
  pages$mean <- pages$mean - pages$mean[1]
  list(all = all, pages = pages, pairs = pairs)
}

# The groups of pairs beside their page's effect, which is known as a posterior only (EM over both): taking its mean for
# the truth would make pairs look alike, since the mean follows them.
fit_within_pages <- function(z, noise, posterior, of, groups, most = 1500L) {
  best <- utils::head(order(noise), most)
  noise <- noise[best]
  share <- posterior[of[best], , drop = FALSE]
  beside <- outer(z[best], effect_grid, `-`)
  for (round in 1:15) {
    logs <- lapply(1:3, function(k) log(groups$weight[k]) - 0.5 * log(groups$sd[k]^2 +
      noise) - 0.5 * (beside - groups$mean[k])^2 / (groups$sd[k]^2 + noise))
    top <- do.call(pmax, logs)
    part <- lapply(logs, function(own) exp(own - top))
    total <- Reduce(`+`, part)
    part <- lapply(part, function(own) share * own / total)
    latent <- lapply(1:3, function(k) shrink_to(beside, noise, groups$mean[k], groups$sd[k]))
    groups <- next_groups(groups, part, latent, c(0.25, 0.4, 0.4))
  }
  groups
}

# A page's effect, the log of the factor that all its queries share, is summed over these values.
effect_grid <- seq(-2.4, 1.2, by = 0.15)

# How likely a pair's clicks are, by kind (usual, low, high) and by its page's effect: a list of three matrices of a row
# per pair and a column per effect, weight x likelihood. A few hundred queries cannot tell whether their factors are
# gamma or log-normal distributed, and the lower tails of the two differ by more than anything else here: each counts
# half.
pair_likelihoods <- function(clicks, expected, groups) {
  # Expected clicks to within a hundredth: many pairs are one case then.
  step <- round(log(expected) / 0.02)
  expected <- exp(step * 0.02)
  case <- clicks * 1e4 + step
  first <- which(!duplicated(case))
  of <- match(case, case[first])
  Map(function(gamma, lognormal) ((gamma + lognormal) / 2 + 1e-300)[of, , drop = FALSE],
    gamma_likelihoods(clicks[first], expected[first], groups),
    lognormal_likelihoods(clicks[first], expected[first], groups))
}

# Gamma factors of the groups' means and variances: clicks are negative binomial.
gamma_likelihoods <- function(clicks, expected, groups) {
  lapply(1:3, function(k) {
    size <- 1 / (exp(groups$sd[k]^2) - 1)
    log_mean <- log(expected) + groups$mean[k] + groups$sd[k]^2 / 2
    constant <- log(groups$weight[k]) + lgamma(clicks + size) - lgamma(size) +
      clicks * (log_mean - log(size)) - lgamma(clicks + 1)
    exp(constant + outer(clicks, effect_grid) - (clicks + size) * log1p(outer(exp(log_mean) / size, exp(effect_grid))))
  })
}

# Log-normal factors: of many clicks the log is normal; few clicks are summed over values of the log factor.
lognormal_likelihoods <- function(clicks, expected, groups, many = 20, factors = seq(-5, 2.2, by = 0.1)) {
  few <- which(clicks < many)
  rest <- which(clicks >= many)
  given <- exp(outer(clicks[few], factors) - outer(expected[few], exp(factors)) +
    clicks[few] * log(expected[few]) - lgamma(clicks[few] + 1))
  beside <- outer(log(clicks[rest] / expected[rest]), effect_grid, `-`)
  lapply(1:3, function(k) {
    density <- vapply(effect_grid, function(effect) stats::dnorm(factors, groups$mean[k] + effect, groups$sd[k]),
      factors)
    out <- matrix(0, length(clicks), length(effect_grid))
    out[few, ] <- given %*% (density / rep(colSums(density), each = length(factors)))
    out[rest, ] <- stats::dnorm(beside, groups$mean[k], sqrt(groups$sd[k]^2 + 1 / clicks[rest])) / clicks[rest]
    groups$weight[k] * out
  })
}

# Pairs in the order of their pages, and where pages begin.
by_pages <- function(page) {
  order <- order(page)
  first <- which(!duplicated(page[order]))
  list(order = order, first = first, page = page[order][first], pairs = diff(c(first, length(page) + 1L)))
}

# Per page the log-likelihood of each effect.
page_likelihoods <- function(likelihoods, page) unname(rowsum(log(Reduce(`+`, likelihoods)), page, reorder = FALSE))

# The groups of pages, from what their pairs say of each effect (EM over the grid); pages of one or two pairs do not
# count.
fit_pages <- function(likelihood, pairs, least = 3) {
  several <- which(pairs >= least)
  groups <- list(weight = c(usual = 0.9, low = 0.05, high = 0.05), mean = c(0, -0.8, 0.8), sd = c(0.12, 0.4, 0.4))
  if (!length(several)) return(groups)
  likelihood <- likelihood[several, , drop = FALSE]
  at <- list(mean = rep(effect_grid, each = length(several)), variance = 0)
  for (round in 1:40) {
    before <- c(groups$mean, groups$sd)
    groups <- next_groups(groups, page_shares(likelihood, groups), list(at, at, at), c(0.12, 0.4, 0.4))
    groups$sd[1] <- max(groups$sd[1], 0.08)
    if (max(abs(c(groups$mean, groups$sd) - before)) < 1e-3) break
  }
  groups
}

# Posterior shares of each page over kind (usual, low, high) and effect: a list of three matrices.
page_shares <- function(likelihood, groups) {
  prior <- lapply(1:3, function(k) { density <- stats::dnorm(effect_grid, groups$mean[k],
    groups$sd[k]); groups$weight[k] * density / sum(density) })
  likelihood <- exp(likelihood - do.call(pmax, as.data.frame(likelihood)))
  joint <- lapply(prior, function(own) likelihood * rep(own, each = nrow(likelihood)))
  total <- Reduce(`+`, lapply(joint, rowSums))
  lapply(joint, `/`, total)
}

# Each pair's chance that its page or itself is low, and that of its page; some pages at a time, so that memory stays
# small.
page_posteriors <- function(clicks, expected, page, pairs, pages, at_once = 20000L) {
  at <- by_pages(page)
  low <- page_low <- numeric(length(clicks))
  for (own in split(seq_along(at$first), (cumsum(at$pairs) - 1L) %/% at_once)) {
    rows <- at$order[seq(at$first[own[1]], length.out = sum(at$pairs[own]))]
    likelihoods <- pair_likelihoods(clicks[rows], expected[rows], pairs)
    shares <- page_shares(page_likelihoods(likelihoods, page[rows]), pages)
    of <- rep(seq_along(own), at$pairs[own])
    usual <- (likelihoods[[1]] + likelihoods[[3]]) / Reduce(`+`, likelihoods)
    fine <- rowSums((shares[[1]] + shares[[3]])[of, , drop = FALSE] * usual)
    # A pair that is clicked as often as usual is never low, whatever the tails do.
    low[rows] <- ifelse(clicks[rows] < expected[rows] * exp(pairs$mean[1]), 1 - fine, 0)
    page_low[rows] <- rowSums(shares[[2]])[of]
  }
  list(low = low, page_low = page_low)
}

unmodelled <- 0.05

# Topics: words whose queries fall short on page after page. Each page's mean is either what pages show by themselves
# (their mixture) or the topic's own shortfall, of about a half, give or take. Out: per pair the probability and the
# effect of its likeliest topic; `found`, the topics with better than even odds.
held_topics <- function(z, weight, page, words, page_groups, usual = c(mean = -0.7, sd = 0.35)) {
  pairs <- length(z)
  texts <- as_levels(words$word)
  long <- data.table(pair = words$query, word = as.integer(texts))
  none <- list(low = numeric(pairs), effect = numeric(pairs), likely = numeric(pairs),
    found = data.table(word = character(), queries = integer(), pages = integer(), share = numeric()))
  if (!nrow(long)) return(none)
  long[, c("page", "weight", "weighted") := list(page[long$pair], weight[long$pair], (weight * z)[long$pair])]
  by_page <- long[, .(weight = sum(weight), weighted = sum(weighted), pairs = .N), by = c("word", "page")]
  by_page[, "mean" := weighted / weight]
  sizes <- by_page[, .(pages = .N, pairs = sum(pairs), mean = sum(weighted) / sum(weight)), by = "word"]
  common <- sizes$pages >= 2 & sizes$pairs >= 4 & sizes$pairs <= 0.5 * pairs
  # Words that fall short by no tenth are no topics that are held back.
  wanted <- sizes$word[common & sizes$mean < -0.1]
  by_page <- by_page[by_page$word %in% wanted]
  if (!nrow(by_page)) return(none)
  likelihood <- topic_likelihoods(by_page, page_groups)
  topics <- by_page[, .(pages = .N, pairs = sum(pairs)), by = "word"]
  prior <- stats::dnorm(topic_grid, usual[["mean"]], usual[["sd"]])
  shares <- exp(likelihood$held - likelihood$best) * rep(prior / sum(prior), each = nrow(topics))
  effect <- drop(shares %*% topic_grid) / rowSums(shares)
  topics[, c("alone", "shared") := list(likelihood$alone, likelihood$best + log(rowSums(shares)))]
  # How many words are so, the words themselves tell; one in twenty, worth twenty words, keeps few from deciding.
  part <- 0.05
  for (round in 1:20) {
    low <- 1 / (1 + exp(pmin(topics$alone - topics$shared + log((1 - part) / part), 700)))
    part <- (sum(low[effect < -0.2]) + 1) / (sum(common) + 20)
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
  out$likely[best$pair] <- topics$effect[best$at]
  if (nrow(held)) {
    out$found <- held[, .(queries = .N, pages = length(unique(page)), share = exp(topics$effect[at[1]])), by = "word"]
    set(out$found, j = "word", value = levels(texts)[out$found$word])
    setorderv(out$found, c("queries", "word"), c(-1L, 1L))
  }
  out
}

# What a results page takes from its topic's queries, the log of it, is summed over these values.
topic_grid <- seq(-1.8, -0.1, by = 0.1)

# Per word the log-likelihood that its pages are as pages are (`alone`) and that they are so beside each shortfall of
# the topic (`held`, a column a value of the grid; `best`, the largest of each row).
topic_likelihoods <- function(by_page, groups) {
  density <- function(effect) {
    parts <- vapply(1:3, function(k) groups$weight[k] * stats::dnorm(by_page$mean - effect, groups$mean[k],
      sqrt(groups$sd[k]^2 + 1 / by_page$weight)), numeric(nrow(by_page)))
    dim(parts) <- c(nrow(by_page), 3)
    log(rowSums(parts) + 1e-300)
  }
  sums <- unname(rowsum(cbind(density(0), vapply(topic_grid, density, numeric(nrow(by_page)))), by_page$word,
    reorder = FALSE))
  held <- sums[, -1, drop = FALSE]
  list(alone = sums[, 1], held = held, best = do.call(pmax, as.data.frame(held)))
}

# In: log factors and the variance of their noise. Out: weights, means and standard deviations of the usual, low
# and high part. Priors worth a handful of observations keep small sites sane.
fit_two_groups <- function(z, noise, usual_sd = 0.25, most = 2000L) {
  if (length(z) > most) {
    best <- order(noise)[seq_len(most)]
    z <- z[best]
    noise <- noise[best]
  }
  prior_sd <- c(usual_sd, 0.4, 0.4)
  groups <- list(weight = c(usual = 0.9, low = 0.05, high = 0.05), mean = c(0, -0.8, 0.8), sd = prior_sd)
  for (round in 1:100) {
    before <- c(groups$mean, groups$sd)
    part <- part_shares(z, noise, groups$weight, groups$mean, groups$sd)
    latent <- lapply(1:3, function(k) shrink_to(z, noise, groups$mean[k], groups$sd[k]))
    groups <- next_groups(groups, lapply(1:3, function(k) part[, k]), latent, prior_sd)
    if (max(abs(c(groups$mean, groups$sd) - before)) < 1e-4) break
  }
  groups
}

# One step of the fit: from each group's share of everything, and the latent effects, to weights, means and standard
# deviations.
next_groups <- function(groups, part, latent, prior_sd) {
  size <- vapply(part, sum, 0)
  groups$weight <- stats::setNames((size + c(18, 1, 1)) / (sum(size) + 20), names(groups$weight))
  for (k in 1:3) {
    anchor <- c(0, groups$mean[1] - 0.8, groups$mean[1] + 0.8)[k]
    groups$mean[k] <- (sum(part[[k]] * latent[[k]]$mean) + 5 * anchor) / (size[k] + 5)
    groups$sd[k] <- sqrt((sum(part[[k]] * ((latent[[k]]$mean - groups$mean[k])^2 + latent[[k]]$variance)) +
      5 * prior_sd[k]^2) / (size[k] + 5))
  }
  groups$mean[2] <- min(groups$mean[2], groups$mean[1] - 0.4)
  groups$mean[3] <- max(groups$mean[3], groups$mean[1] + 0.4)
  groups$sd[2:3] <- pmax(groups$sd[2:3], groups$sd[1])
  groups
}

part_shares <- function(z, noise, weight, mean, sd) {
  density <- vapply(1:3, function(k) log(weight[k]) + stats::dnorm(z, mean[k], sqrt(sd[k]^2 + noise), log = TRUE),
    numeric(length(z)))
  dim(density) <- c(length(z), 3)
  density <- exp(density - do.call(pmax, lapply(1:3, function(k) density[, k])))
  density / rowSums(density)
}

# Posterior of a normal effect seen with noise.
shrink_to <- function(z, noise, mean, sd) {
  keep <- sd^2 / (sd^2 + noise)
  list(mean = mean + keep * (z - mean), variance = sd^2 * (1 - keep))
}
