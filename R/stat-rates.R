# A query's own factor on the curve: clicks are Poisson around expected x factor, and factors differ
# from query to query as a gamma distribution of mean 1 and variance `spread`. So clicks are
# negative binomial, and the posterior of a factor is gamma again (Efron, Morris 1975, for the
# shrinking; Gelman and others, Bayesian Data Analysis, for the pair).

# In: clicks, what the curve expects of them, the spread at their positions. Out: the posterior's
# shape and rate.
factor_posterior <- function(clicks, expected, spread) {
  list(shape = 1 / spread + clicks, rate = 1 / spread + expected)
}

# Its mean: clicks to expected ones, held to 1 by as many of both as 1 / spread.
mean_factor <- function(clicks, expected, spread) {
  posterior <- factor_posterior(clicks, expected, spread)
  posterior$shape / posterior$rate
}

# Log likelihood of each count whose factors differ so (negative binomial), constants left out.
each_factor_likelihood <- function(clicks, expected, spread) {
  shape <- 1 / spread
  lgamma(clicks + shape) - lgamma(shape) + shape * log(shape) -
    (clicks + shape) * log(shape + expected)
}

# The same of all of them together.
factor_likelihood <- function(clicks, expected, spread) {
  sum(each_factor_likelihood(clicks, expected, spread))
}

# Did a rate change? Counts on a log scale, and how far chance alone moves them.

# Half a count is added before the log: it takes off most of the bias of few counts, and none is no
# longer nothing (Haldane 1956, Annals of Human Genetics 20, 309-311; Anscombe 1956, Biometrika 43,
# 461-464).
half_count <- 0.5

# Log of counts to what they are measured by: days, or sums that are known.
log_rate <- function(count, base = 1) log((count + half_count) / base)

# How far that lies above the log of the mean that counts vary around, on average (Poisson): below
# two it matters.
log_rate_bias <- function(mean) {
  counts <- 0:80
  if (mean < 20) sum(stats::dpois(counts, mean) * log_rate(counts)) - log(mean) else 0
}

# The variance that chance gives it.
rate_noise <- function(count) 1 / (count + half_count)

# Log of clicks to expected clicks. Both have half a click, so that a pair of which little is
# expected and nothing was seen is not far from the curve.
log_factor <- function(clicks, expected) log((clicks + half_count) / (expected + half_count))

# The variance that chance gives it: of few clicks what is expected tells more than what was seen.
factor_noise <- function(clicks, expected) 1 / (pmax(clicks, expected * 0.3) + half_count)

# Log ratio of two counts, each measured by its base, and its variance by chance.
log_change <- function(before, after, base_before = 1, base_after = 1) {
  list(change = log_rate(after, base_after) - log_rate(before, base_before),
    noise = rate_noise(before) + rate_noise(after))
}

# The variance by chance of the log ratio of two counts of one rate, by both together, of which a
# share is expected on the second side: binomial, so that chance that moved a ratio far does not
# make it pass for an uncertain one.
shared_noise <- function(both, share) 1 / (both * share * (1 - share))
