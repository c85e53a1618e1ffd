# How far units differ by themselves, beyond the noise that each is seen with. Three estimators,
# each where its kind of data calls for it.

# Of many units of which some truly moved: the variance at which the middle half of the standardised
# values is as wide as that of a normal, so that what moved does not widen it. Some thousands,
# evenly spaced, tell it to within a few percent.
robust_between_variance <- function(x, noise, most = 5000L) {
  if (length(x) > most) {
    some <- as.integer(seq(1, length(x), length.out = most))
    x <- x[some]
    noise <- noise[some]
  }
  width <- function(v) stats::median(abs(x) / sqrt(noise + v)) - stats::qnorm(0.75)
  if (width(0) <= 0) return(0)
  stats::uniroot(width, c(0, 25), extendInt = "downX")$root
}

# Of some units of which none is singled out: their common value and their variance, by weighted
# moments, the one given the other.
meta_mean <- function(x, noise) {
  between <- 0.05
  for (turn in 1:5) {
    weight <- 1 / (noise + between)
    common <- sum(weight * x) / sum(weight)
    between <- max(0, sum(weight^2 * ((x - common)^2 - noise)) / sum(weight^2))
  }
  list(common = common, between = between, variance = 1 / sum(1 / (noise + between)))
}

# Of a handful of units: by moments (DerSimonian, Laird 1986, Controlled Clinical Trials 7,
# 177-188), with a belief worth one unit in a difference of a tenth, which keeps two of them from
# looking alike or apart by luck.
dl_between_variance <- function(x, noise, belief = 0.1) {
  weight <- 1 / noise
  middle <- sum(weight * x) / sum(weight)
  surplus <- sum(weight * (x - middle)^2) - (length(x) - 1)
  scaling <- sum(weight) - sum(weight^2) / sum(weight)
  moment <- if (scaling > 0) max(0, surplus / scaling) else 0
  (moment * max(length(x) - 1, 0) + belief^2) / max(length(x), 1)
}

# Of rates: how many trials the mean is worth beside a unit's own (the sum of a beta distribution's
# parameters), by moments. The mean is one for all, or one each.
beta_weight <- function(trials, hits, mean, least = 20, most = 2000) {
  if (length(trials) < 5) return(200)
  chance <- mean * (1 - mean) / trials
  between <- sum(trials * ((hits / trials - mean)^2 - chance)) / sum(trials)
  if (between <= 0) return(most)
  min(most, max(least, sum(trials * mean * (1 - mean)) / sum(trials) / between - 1))
}

# Two-sided p-values of log ratios beside the common one: list(p, between, common).
test_against_common <- function(z, noise) {
  common <- if (length(z)) weighted_median(z, 1 / (noise + 0.02)) else 0
  between <- if (length(z) >= 20) robust_between_variance(z - common, noise) else 0.02
  list(p = 2 * stats::pnorm(-abs(z - common) / sqrt(noise + between)), between = between,
    common = common)
}

weighted_median <- function(x, weight) {
  in_order <- order(x)
  x[in_order][which(cumsum(weight[in_order]) >= sum(weight) / 2)[1]]
}

# Posterior of a normal effect seen with noise.
shrink_to <- function(z, noise, mean, sd) {
  keep <- sd^2 / (sd^2 + noise)
  list(mean = mean + keep * (z - mean), variance = sd^2 * (1 - keep))
}
