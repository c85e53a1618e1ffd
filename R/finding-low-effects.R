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

# What no model of clicks knows: a topic seen on one page only looks like its snippet. On simulated sites one in twenty
# of what seemed certain was such.
unmodelled <- 0.05

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
  # A topic that may be behind it takes its share of the certainty.
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
