# A query's own factor on the curve: clicks are Poisson around expected x factor, and factors differ
# from query to query as a gamma distribution of mean 1 and variance `spread`. So clicks are
# negative binomial, and the posterior of a factor is gamma again (Efron, Morris 1975, for the
# shrinking; Gelman and others, Bayesian Data Analysis, for the pair).

# In: clicks, what the curve expects of them, the spread at their positions. Out: the posterior's
# shape and rate.
factor_posterior <- function(clicks, expected, spread) list(shape = 1 / spread + clicks,
  rate = 1 / spread + expected)

# Its mean: clicks to expected ones, held to 1 by as many of both as 1 / spread.
own_factor <- function(clicks, expected, spread) {
  of <- factor_posterior(clicks, expected, spread)
  of$shape / of$rate
}

# Log likelihood of clicks whose factors differ so (negative binomial), constants left out.
factor_likelihood <- function(clicks, expected, spread) {
  shape <- 1 / spread
  sum(lgamma(clicks + shape) - lgamma(shape) + shape * log(shape) -
    (clicks + shape) * log(shape + expected))
}
