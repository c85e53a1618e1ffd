# Low CTR: what a page's clicks say of the effect that all its queries share.

# A page's effect, the log of the factor that all its queries share, is summed over these values.
effect_grid <- seq(-2.4, 1.2, by = 0.15)

# How likely a pair's clicks are, by kind (usual, low, high) and by its page's effect: a list of three matrices of a row
# per pair and a column per effect, weight x likelihood. A few hundred queries cannot tell whether their factors are
# gamma or log-normal distributed, and the lower tails of the two differ by more than anything else here: each counts
# half. kinds: which of them are wanted.
pair_likelihoods <- function(clicks, expected, groups, kinds = 1:3) {
  # Expected clicks to within a hundredth: many pairs are one case then.
  step <- round(log(expected) / 0.02)
  expected <- exp(step * 0.02)
  case <- clicks * 1e4 + step
  first <- which(!duplicated(case))
  of <- match(case, case[first])
  Map(function(gamma, lognormal) ((gamma + lognormal) / 2 + 1e-300)[of, , drop = FALSE],
    gamma_likelihoods(clicks[first], expected[first], groups, kinds),
    lognormal_likelihoods(clicks[first], expected[first], groups, kinds))
}

# Gamma factors of the groups' means and variances: clicks are negative binomial.
gamma_likelihoods <- function(clicks, expected, groups, kinds = 1:3) {
  lapply(kinds, function(k) {
    size <- 1 / (exp(groups$sd[k]^2) - 1)
    log_mean <- log(expected) + groups$mean[k] + groups$sd[k]^2 / 2
    constant <- log(groups$weight[k]) + lgamma(clicks + size) - lgamma(size) +
      clicks * (log_mean - log(size)) - lgamma(clicks + 1)
    exp(constant + outer(clicks, effect_grid) - (clicks + size) * log1p(outer(exp(log_mean) / size, exp(effect_grid))))
  })
}

# Log-normal factors: of many clicks the log is normal; few clicks are summed over values of the log factor.
lognormal_likelihoods <- function(clicks, expected, groups, kinds = 1:3, many = 20,
  factors = seq(-5, 2.2, by = 0.1)) {
  few <- which(clicks < many)
  rest <- which(clicks >= many)
  given <- exp(outer(clicks[few], factors) - outer(expected[few], exp(factors)) +
    clicks[few] * log(expected[few]) - lgamma(clicks[few] + 1))
  beside <- outer(log(clicks[rest] / expected[rest]), effect_grid, `-`)
  lapply(kinds, function(k) {
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
# small. What is clicked far more than usual, and nobody mended, shows how heavy the tails of the usual are: as much is
# taken to be natural below.
page_posteriors <- function(clicks, expected, page, pairs, pages, at_once = 20000L) {
  at <- by_pages(page)
  low <- page_low <- numeric(length(clicks))
  mirror <- mirror_of_high(pairs)
  for (own in split(seq_along(at$first), (cumsum(at$pairs) - 1L) %/% at_once)) {
    rows <- at$order[seq(at$first[own[1]], length.out = sum(at$pairs[own]))]
    likelihoods <- pair_likelihoods(clicks[rows], expected[rows], pairs)
    shares <- page_shares(page_likelihoods(likelihoods, page[rows]), pages)
    of <- rep(seq_along(own), at$pairs[own])
    mirrored <- if (mirror$weight[2] > 0) pair_likelihoods(clicks[rows], expected[rows], mirror, kinds = 2L)[[1]] else 0
    usual <- (likelihoods[[1]] + likelihoods[[3]] + pmin(likelihoods[[2]], mirrored)) / Reduce(`+`, likelihoods)
    fine <- rowSums((shares[[1]] + shares[[3]])[of, , drop = FALSE] * usual)
    # A pair that is clicked as often as usual is never low, whatever the tails do.
    low[rows] <- ifelse(clicks[rows] < expected[rows] * exp(pairs$mean[1]), 1 - fine, 0)
    page_low[rows] <- rowSums(shares[[2]])[of]
  }
  list(low = low, page_low = page_low)
}

# The groups with the high one reflected at the usual one in place of the low one, as far as it is surely there: two
# standard errors less than it seems.
mirror_of_high <- function(groups) {
  seen <- groups$high_seen
  groups$weight[2] <- groups$weight[3] * max(0, seen - 2 * sqrt(seen)) / (seen + 1)
  groups$mean[2] <- 2 * groups$mean[1] - groups$mean[3]
  groups$sd[2] <- groups$sd[3]
  groups
}
