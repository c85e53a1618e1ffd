# The two-groups mixture: a usual, a low and a high part of effects that are seen with noise (Efron 2010), fitted by EM.

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
  groups$high_seen <- size[3]
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
