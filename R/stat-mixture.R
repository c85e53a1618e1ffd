# The two-groups mixture: a usual, a low and a high part of effects that are seen with noise (Efron
# 2010), fitted over a grid of effects, so that what is seen may have any likelihood.

# Logs of factors on what is expected.
factor_grid <- seq(-4.8, 2.4, by = 0.075)

# What several units share, the log of a factor of them all, is summed over these values.
effect_grid <- seq(-2.4, 1.2, by = 0.15)

# The log factor of a unit and what it shares together.
both_grid <- seq(factor_grid[1] + effect_grid[1], max(factor_grid) + max(effect_grid),
  by = diff(factor_grid[1:2]))

# How likely these clicks are (Poisson) under each log factor: a row a pair, its largest value 1.
clicks_over_factors <- function(clicks, expected, at = factor_grid) {
  .Call(counts_over_factors, as.numeric(clicks), as.numeric(expected), at)
}

# The same of a measured log factor with normal noise.
measured_over_factors <- function(z, noise, at = factor_grid) {
  highest_one(-0.5 * outer(z, at, `-`)^2 / noise)
}

highest_one <- function(logs) .Call(highest_one_of, logs)

# In: for each pair how likely what is seen of it is under each effect of `at`, and the usual
# standard deviation to start from. Out: weights, means and standard deviations of the usual, low
# and high part, and how many are `seen` of each. Priors worth a handful of observations keep small
# sites sane. gamma: the share of effects that are distributed as the log of a gamma variable. near:
# groups of nearly the same, to start from.
fit_two_groups <- function(given, at = factor_grid, usual_sd = 0.25, least_sd = 0, gamma = 0,
    near = NULL) {
  without <- fit_groups(given, at, usual_sd, least_sd, gamma, high = FALSE, near = near)
  if (!high_may_say_more(given, at, without)) return(without)
  beside <- fit_groups(given, at, usual_sd, least_sd, gamma, high = TRUE)
  # A high part that says no more than the tail of the usual one is left out (BIC): with it usual
  # queries seem too much alike, and natural lows too rare.
  if (beside$likelihood - without$likelihood > 1.5 * log(max(2, nrow(given)))) beside else without
}

# Whether some high part, put beside a fit without one, makes what is seen likelier by more than
# luck would: most fits need no more than that look.
high_may_say_more <- function(given, at, groups) {
  total <- mixture_density(given, groups, at)
  for (distance in c(0.4, 0.8, 1.2, 1.6)) {
    beyond <- list(mean = c(groups$mean[1] + distance, 0, 0), sd = rep(groups$sd[1], 3),
      weight = c(1, 0, 0), gamma = groups$gamma)
    own <- group_priors(beyond, at)[, 1]
    own[at < groups$mean[1]] <- 0
    ratio <- drop(given %*% (own / sum(own))) / total
    if (any(vapply(c(0.005, 0.02, 0.05, 0.1), function(weight) sum(log(1 + weight * (ratio - 1))),
        0) > 2)) {
      return(TRUE)
    }
  }
  FALSE
}

# The same where it is open whether queries differ by log-normal or gamma factors, whose lower tails
# lie far apart: each counts by how well it explains what is seen (the two being as likely
# beforehand).
fit_query_groups <- function(given, near = NULL) {
  skewed <- fit_two_groups(given, gamma = 1, near = near)
  normal <- fit_two_groups(given, near = near)
  better <- skewed$likelihood - normal$likelihood
  fit_two_groups(given, gamma = stats::plogis(better), near = if (better > 0) skewed else normal)
}

# What the groups of a mixture are like before anything is seen (logs of factors on the curve); the
# first four stand in src/mixture.c, too. They decide where little is seen; on sites of a few
# hundred pairs the data do.
mixture_prior <- list(
  least_distance = 0.4,  # nearer to the usual, a group would split the usual one in two
  usual_distance = 0.8,  # a page that is low earns half (exp(-0.8) = 0.45) on planted and own sites
  other_sd = 0.4,        # from a third lower to a half higher than that
  prior_pairs = 5,       # means and standard deviations: as if so many pairs had been seen
  sizes = c(usual = 18, low = 1, high = 1))  # weights: of twenty pairs one low and one high

# Largest posterior, by BFGS: steps of an EM come to a halt long before, since weights and tails
# explain each other.
fit_groups <- function(given, at = factor_grid, usual_sd = 0.25, least_sd = 0, gamma = 0,
    high = TRUE, near = NULL) {
  # Priors of standard deviations, and how many of each group are taken to have been seen before.
  spread_sd <- c(usual_sd, rep(mixture_prior$other_sd, 2))
  size <- unname(mixture_prior$sizes) * c(1, 1, high)
  mixture <- function(x, step = 0) {
    .Call(mixture_of, x, at, least_sd, gamma, as.integer(high), size, spread_sd, step)
  }
  last <- list()
  density_at <- function(x) {
    if (!identical(last$x, x)) {
      own <- mixture(x)
      last <<- list(x = x, density = drop(given %*% own[[1]]) + 1e-300, prior = own[[2]])
    }
    last
  }
  loss <- function(x) {
    own <- density_at(x)
    -sum(log(own$density)) - own$prior
  }
  # What is seen enters the slope by one number per effect.
  slope <- function(x) {
    each <- drop(crossprod(given, 1 / density_at(x)$density))
    slopes <- mixture(x, 1e-4)
    -drop(each %*% slopes[[1]]) - slopes[[2]]
  }
  # Where the search begins: one in twenty, at the usual distance.
  few <- c(log(0.05 / 0.95),
    log(mixture_prior$usual_distance - mixture_prior$least_distance), log(0.3))
  first_at <- c(
    if (is.null(near)) c(0, log(max(usual_sd - least_sd, 0.02)), few) else near$numbers[1:5],
    if (high) few)
  found <-
    stats::optim(first_at, loss, slope, method = "BFGS", control = list(maxit = 200, reltol = 1e-9))
  groups <- c(groups_from(found$par, least_sd, gamma, high), list(numbers = found$par))
  total <- mixture_density(given, groups, at)
  groups$likelihood <- sum(log(total))
  # How many pairs each group is expected to have.
  groups$seen <- colSums(group_priors(groups, at) * drop(crossprod(given, 1 / total)))
  groups
}

# Groups from numbers without bounds; what each stands for says src/mixture.c.
groups_from <- function(x, least_sd, gamma, high) {
  weight <- exp(c(usual = 0, low = x[3], high = if (high) x[6] else -Inf))
  spread_sd <- least_sd + exp(x[2])
  wider <- function(by) sqrt(spread_sd^2 + exp(2 * by))
  list(weight = weight / sum(weight),
    mean = x[1] + c(0, -mixture_prior$least_distance - exp(x[4]), if (high) {
      mixture_prior$least_distance + exp(x[7])
    } else {
      mixture_prior$usual_distance
    }),
    sd = c(spread_sd, wider(x[5]), if (high) wider(x[8]) else mixture_prior$other_sd),
    gamma = gamma)
}

mixture_density <- function(given, groups, at) {
  drop(given %*% rowSums(group_priors(groups, at))) + 1e-300
}

# Weight of each effect in each group: a column a group.
group_priors <- function(groups, at) {
  .Call(group_priors_of, as.numeric(groups$mean), as.numeric(groups$sd), as.numeric(groups$weight),
    as.numeric(groups$gamma), at)
}

# Chance that each belongs to the usual, low and high group.
group_shares <- function(z, noise, groups) {
  logs <- vapply(1:3, function(k) {
    log(groups$weight[k]) +
      stats::dnorm(z, groups$mean[k], sqrt(groups$sd[k]^2 + noise), log = TRUE)
  }, numeric(length(z)))
  shares <- highest_one(matrix(logs, length(z)))
  shares / rowSums(shares)
}
