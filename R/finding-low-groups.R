# The two-groups mixture: a usual, a low and a high part of effects that are seen with noise (Efron 2010), fitted by EM
# over a grid of effects, so that what is seen may have any likelihood.

# Logs of factors on what is expected.
factor_grid <- seq(-4.8, 2.4, by = 0.075)

# How likely these clicks are (Poisson) under each log factor: a row a pair, its largest value 1.
clicks_over_factors <- function(clicks, expected, at = factor_grid) {
  highest_one(outer(clicks, at) - outer(expected, exp(at)))
}

# The same of a measured log factor with normal noise.
measured_over_factors <- function(z, noise, at = factor_grid) highest_one(-0.5 * outer(z, at, `-`)^2 / noise)

highest_one <- function(logs) exp(logs - do.call(pmax, as.data.frame(logs)))

# In: for each pair how likely what is seen of it is under each effect of `at`, and the usual standard deviation to
# start from. Out: weights, means and standard deviations of the usual, low and high part, and how many are `seen` of
# each. Priors worth a handful of observations keep small sites sane. gamma: see effect_density().
fit_two_groups <- function(given, at = factor_grid, usual_sd = 0.25, least_sd = 0, gamma = 0) {
  without <- fit_groups(given, at, usual_sd, least_sd, gamma, high = FALSE)
  with <- fit_groups(given, at, usual_sd, least_sd, gamma, high = TRUE)
  # A high part that says no more than the tail of the usual one is left out (BIC): with it usual queries seem too much
  # alike, and natural lows too rare.
  if (with$likelihood - without$likelihood > 1.5 * log(max(2, nrow(given)))) with else without
}

# The same where it is open whether queries differ by log-normal or gamma factors, whose lower tails lie far apart: each
# counts by how well it explains what is seen (the two being as likely beforehand).
fit_query_groups <- function(given) {
  better <- fit_two_groups(given, gamma = 1)$likelihood - fit_two_groups(given)$likelihood
  fit_two_groups(given, gamma = stats::plogis(better))
}

fit_groups <- function(given, at = factor_grid, usual_sd = 0.25, least_sd = 0, gamma = 0, high = TRUE) {
  prior_sd <- c(usual_sd, 0.4, 0.4)
  prior_size <- c(18, 1, if (high) 1 else 0)
  groups <- list(weight = c(usual = 0.9, low = 0.05, high = 0.05) * (prior_size > 0), mean = c(0, -0.8, 0.8),
    sd = prior_sd, gamma = gamma)
  for (round in 1:100) {
    before <- c(groups$mean, groups$sd)
    prior <- group_priors(groups, at)
    total <- drop(given %*% rowSums(prior)) + 1e-300
    # Expected numbers of pairs by effect and group.
    groups <- next_groups(groups, prior * drop(crossprod(given, 1 / total)), at, prior_sd, prior_size)
    groups$sd[1] <- max(groups$sd[1], least_sd)
    if (max(abs(c(groups$mean, groups$sd) - before)) < 5e-4) break
  }
  groups$likelihood <- sum(log(total))
  groups
}

# Weight of each effect in each group: a column a group.
group_priors <- function(groups, at) vapply(1:3, function(k) group_prior(groups, k, at), at)

# What is low lies below what is usual, what is high above.
group_prior <- function(groups, k, at) {
  own <- effect_density(at, groups$mean[k], groups$sd[k], groups$gamma)
  if (k > 1) own[(at - groups$mean[1]) * c(-1, 1)[k - 1] < 0] <- 0
  groups$weight[k] * own / sum(own)
}

# Probabilities of the effects `at`, of this mean and standard deviation: normal, but for the share `gamma`, which is
# distributed as the log of a gamma variable (trigamma(size) is sd^2, to within a hundredth).
effect_density <- function(at, mean, sd, gamma) {
  normal <- stats::dnorm(at, mean, sd)
  if (gamma == 0) return(normal / sum(normal))
  size <- (1 + sqrt(1 + 2 * sd^2)) / (2 * sd^2)
  beside <- at - mean + digamma(size) - log(size)
  skewed <- exp(size * (beside - expm1(beside)))
  (1 - gamma) * normal / sum(normal) + gamma * skewed / sum(skewed)
}

# One step of the fit: from the numbers of pairs by effect and group to weights, means and standard deviations.
next_groups <- function(groups, numbers, at, prior_sd, prior_size) {
  size <- colSums(numbers)
  groups$weight <- stats::setNames((size + prior_size) / sum(size + prior_size), names(groups$weight))
  for (k in 1:3) {
    anchor <- c(0, groups$mean[1] - 0.8, groups$mean[1] + 0.8)[k]
    groups$mean[k] <- (sum(numbers[, k] * at) + 5 * anchor) / (size[k] + 5)
    groups$sd[k] <- sqrt((sum(numbers[, k] * (at - groups$mean[k])^2) + 5 * prior_sd[k]^2) / (size[k] + 5))
  }
  groups$seen <- size
  groups$mean[2] <- min(groups$mean[2], groups$mean[1] - 0.4)
  groups$mean[3] <- max(groups$mean[3], groups$mean[1] + 0.4)
  groups$sd[2:3] <- pmax(groups$sd[2:3], groups$sd[1])
  groups
}
