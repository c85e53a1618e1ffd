# Low CTR: what a page's clicks say of the effect that all its queries share.

# How likely a pair's clicks are, by kind (usual, low, high) and by its page's effect: a list of
# three matrices of a row per pair and a column per effect, weight x likelihood.
pair_likelihoods <- function(clicks, expected, groups) {
  cases <- case_likelihoods(clicks, expected, groups)
  lapply(cases$likelihoods, function(own) own[cases$of, , drop = FALSE])
}

# The same of each case there is, and which case each pair is `of`: expected clicks to within a
# hundredth, many pairs are one. kinds: which of them are wanted.
case_likelihoods <- function(clicks, expected, groups, kinds = 1:3) {
  stride <- round(log(expected) / 0.02)
  case <- clicks * 1e4 + stride
  first <- which(!duplicated(case))
  given <- clicks_over_factors(clicks[first], exp(stride[first] * 0.02), both_grid)
  priors <- lapply(effect_grid, function(effect) group_priors(groups, both_grid - effect))
  list(of = match(case, case[first]), likelihoods = lapply(kinds, function(k) {
    given %*% vapply(priors, function(own) own[, k], both_grid) + 1e-300
  }))
}

# Pairs in the order of their pages, and where pages begin.
by_pages <- function(page) {
  in_order <- order(page)
  first <- which(!duplicated(page[in_order]))
  list(order = in_order, first = first, page = page[in_order][first],
    pairs = diff(c(first, length(page) + 1L)))
}

# Per page the log-likelihood of each effect, from that of its pairs.
page_likelihoods <- function(pairs, page) unname(rowsum(pairs, page, reorder = FALSE))

# The groups of pages, from what their pairs say of each effect; pages of one or two pairs do not
# count.
fit_pages <- function(likelihood, pairs, least = 3) {
  fit_two_groups(highest_one(likelihood[pairs >= least, , drop = FALSE]), effect_grid,
    usual_sd = 0.12, least_sd = 0.08)
}

# Groups of pages that do not differ.
no_page_effects <- function() {
  list(weight = c(usual = 1, low = 0, high = 0), mean = c(0, -0.8, 0.8), sd = c(0.01, 0.4, 0.4),
    gamma = 0)
}

# Posterior shares of each page over kind (usual, low, high) and effect: a list of three matrices.
page_shares <- function(likelihood, groups) {
  prior <- group_priors(groups, effect_grid)
  likelihood <- highest_one(likelihood)
  joint <- lapply(1:3, function(k) likelihood * rep(prior[, k], each = nrow(likelihood)))
  total <- Reduce(`+`, lapply(joint, rowSums))
  lapply(joint, `/`, total)
}

# Out: a row per pair, `low`, the chance that its page or itself is low, `page_low`, that its page
# is, and `pair_low`, that it is low itself if its page is not. Some pages at a time, so that memory
# stays small. What is clicked far more than usual, and nobody fixed, shows how heavy the tails of
# the usual are: as much is taken to be natural below.
page_posteriors <- function(clicks, expected, page, pairs, pages, at_once = 20000L) {
  at <- by_pages(page)
  low <- page_low <- numeric(length(clicks))
  cases <- case_likelihoods(clicks, expected, pairs)
  mirror <- mirror_high_part(pairs)
  mirrored <- if (mirror$weight[2] > 0) {
    case_likelihoods(clicks, expected, mirror, kinds = 2L)$likelihoods[[1]]
  } else {
    0
  }
  likelihood <- Reduce(`+`, cases$likelihoods)
  usual <- (likelihood - cases$likelihoods[[2]] + pmin(cases$likelihoods[[2]], mirrored)) /
    likelihood
  likelihood <- log(likelihood)
  for (own in split(seq_along(at$first), (cumsum(at$pairs) - 1L) %/% at_once)) {
    rows <- at$order[seq(at$first[own[1]], length.out = sum(at$pairs[own]))]
    case_of <- cases$of[rows]
    shares <- page_shares(page_likelihoods(likelihood[case_of, , drop = FALSE], page[rows]), pages)
    page_of <- rep(seq_along(own), at$pairs[own])
    low[rows] <-
      1 - rowSums((shares[[1]] + shares[[3]])[page_of, , drop = FALSE] *
        usual[case_of, , drop = FALSE])
    page_low[rows] <- rowSums(shares[[2]])[page_of]
  }
  pair_low <- pmax(0, (low - page_low) / pmax(1 - page_low, 1e-9))
  # A pair that is clicked as often as usual is never low, whatever the tails do.
  data.table(low = ifelse(clicks < expected * exp(pairs$mean[1]), low, 0), page_low = page_low,
    pair_low = pair_low)
}

# The groups with the high one reflected at the usual one in place of the low one, as far as it is
# surely there: two standard errors less than it seems.
mirror_high_part <- function(groups) {
  seen <- groups$seen[3]
  groups$weight[2] <- groups$weight[3] * max(0, seen - 2 * sqrt(seen)) / (seen + 1)
  groups$mean[2] <- 2 * groups$mean[1] - groups$mean[3]
  groups$sd[2] <- groups$sd[3]
  groups
}
