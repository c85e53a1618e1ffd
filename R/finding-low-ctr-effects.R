# Why CTR falls short: the results page of a topic, the page's title and description, or the match
# of one query.
#
# Queries differ around the curve for reasons that nobody can fix. So the spread of the log factors
# is taken apart into a usual, a low and a high part (a two-groups mixture, Efron 2010), one level
# after the other: first topics, whose queries fall short on every page that ranks for them; then
# pages, whose title and description all their queries share; then the pairs themselves, once the
# effects of topic and page are out.

# A low pair's log factor today is its usual part plus what it lost, seen with noise. Normal
# posteriors of today's level and of the usual part (means, variances, and what they share).
low_levels <- function(z, noise, groups) {
  usual <- groups$sd[1]^2
  total <- low_variance(groups)
  seen <- total + noise
  today_var <- total * noise / seen
  # The low ones' mean is known from few.
  of_mean <- (usual / seen)^2 * groups$sd[2]^2 / (groups$seen[2] + 1)
  list(today = groups$mean[2] + total / seen * (z - groups$mean[2]), today_var = today_var,
    usual = groups$mean[1] + usual / seen * (z - groups$mean[2]),
    usual_var = usual * (1 - usual / seen) + of_mean, shared = usual / total * today_var)
}

# Of low pairs' log factors; shortfalls themselves are taken to differ by 0.15 at the least.
low_variance <- function(groups) max(groups$sd[2]^2, groups$sd[1]^2 + 0.15^2)

# In: clicks, expected clicks, page and words (a word_table()) of the pairs, and which of them are
# `single` queries. Out: `judged`, a row per pair (page_posteriors(), what topics take from it, and
# `confidence`, what is left); the groups of all pairs, of pages and of pairs within their page;
# expected clicks with the topic's effect; and the topics. include_topics: what a topic's results
# page may take is no excuse, only a doubt.
fit_low_ctr <- function(clicks, expected, page, words, single = rep(TRUE, length(clicks)),
    include_topics = FALSE) {
  known <- expected >= 3 & single
  z <- log_factor(clicks, expected)
  level_texts <- fit_levels(clicks, expected, page, known)
  # Twice: what topics explain had made the usual spread look wide and low pages frequent.
  for (turn in 1:2) {
    weight <- 1 / (factor_noise(clicks, expected) + level_texts$pairs$sd[1]^2)
    topics <- weak_topics(z, weight, page, words, level_texts$pages)
    if (include_topics || !any(topics$low > 0.2)) break
    level_texts <- fit_levels(clicks, expected * exp(topics$low * topics$likely), page, known)
  }
  if (!include_topics) expected <- expected * exp(topics$effect)
  judged <- page_posteriors(clicks, expected, page, level_texts$pairs, level_texts$pages)
  # A topic that may be behind it takes its share of the certainty: by what its other pages say or,
  # where it is on one page only, by how often results pages take clicks and pages are weak.
  topic_part <- topics$part / (topics$part + level_texts$pages$weight[["low"]])
  by_topic <- if (include_topics) topics$low else ifelse(topics$low > 0.5, 0, topics$low)
  excused <- if (include_topics) 0 else by_topic
  set(judged, j = "by_topic", value = by_topic)
  set(judged, j = "unseen_topic", value = ifelse(topics$alone, judged$page_low * topic_part, 0))
  set(judged, j = "confidence", value = pmax(0,
    judged$low * (1 - excused) * (1 - assumed("low_doubt")) -
      judged$unseen_topic))
  c(level_texts, list(judged = judged, expected = expected,
    topics = if (include_topics) topics$found[0] else topics$found))
}

# Groups of all pairs (whatever the reason), of pages, and of pairs within their page. The pages
# that say most are enough for the fit, and of those the pairs that say most: by the clicks expected
# of them, since choosing by the clicks they have would leave out low ones.
fit_levels <- function(clicks, expected, page, known, most = 6000L) {
  best <- utils::head(which(known)[order(-expected[known])], 2000)
  groups <- fit_two_groups(clicks_over_factors(clicks[best], expected[best]))
  at <- by_pages(page)
  # One page, or none known: what all queries share is the site's level.
  if (length(at$page) == 1) {
    return(list(all = groups, pages = no_page_effects(),
      pairs = fit_query_groups(clicks_over_factors(clicks[best], expected[best]), near = groups)))
  }
  page_order <- order(-rowsum(1 / (1 / (expected + 0.5) + groups$sd[1]^2), page,
    reorder = FALSE)[match(
      at$page, unique(page))])
  page_order <- sort(page_order[cumsum(at$pairs[page_order]) <= most | seq_along(page_order) <= 20])
  rows <- at$order[unlist(Map(seq, at$first[page_order], length.out = at$pairs[page_order]))]
  page_of <- rep(seq_along(page_order), at$pairs[page_order])
  use <- which(known[rows])
  use <- utils::head(use[order(-expected[rows[use]])], 1500)
  pairs <- groups
  for (turn in 1:2) {
    own <- Reduce(`+`, pair_likelihoods(clicks[rows], expected[rows], pairs))
    likelihood <- page_likelihoods(log(own), page_of)
    pages <- fit_pages(likelihood, at$pairs[page_order])
    # What the page's other pairs say of it, so that nothing counts twice.
    others <- Reduce(`+`, page_shares(likelihood, pages))[page_of, , drop = FALSE] / own
    pairs <- fit_query_groups(
      clicks_net_of_pages(clicks[rows[use]], expected[rows[use]], others[use, , drop = FALSE]),
      near = pairs)
  }
  # The site's level is the pairs', pages have what is theirs beside it.
  pairs$mean <- pairs$mean + pages$mean[1]
  pages$mean <- pages$mean - pages$mean[1]
  list(all = groups, pages = pages, pairs = pairs)
}

# How likely these clicks are under each log factor of the pair itself, beside its page's effect,
# which is known as a posterior only: taking its mean for the truth would make pairs look alike,
# since the mean follows them.
clicks_net_of_pages <- function(clicks, expected, posterior) {
  given <- clicks_over_factors(clicks, expected, both_grid)
  posterior <- posterior / rowSums(posterior)
  steps <- round((effect_grid - effect_grid[1]) / diff(factor_grid[1:2]))
  Reduce(`+`, lapply(seq_along(steps), function(k) {
    posterior[, k] * given[, steps[k] + seq_along(factor_grid), drop = FALSE]
  }))
}

# Low CTR: topics that their results pages hold back.

# Topics: words whose queries fall short on page after page. Each page's mean is either what pages
# show by themselves (their mixture) or the topic's own loss, of about a half, give or take.
# Out: per pair the probability and the effect of its likeliest topic, and whether its page has a
# topic of its own (`alone`), of which this cannot be judged; `part`, the share of words that are
# held; `found`, the topics with better than even odds.
weak_topics <- function(z, weight, page, words, page_groups) {
  out <- list(
    low = numeric(length(z)),
    effect = numeric(length(z)),
    likely = numeric(length(z)),
    alone = logical(length(z)),
    part = topic_share(0, 0),
    found = data.table(word = character(), held = list(), pages = integer(), share = numeric(),
      likely = numeric()))
  if (!nrow(words)) return(out)
  texts <- as_levels(words$word)
  long <- data.table(pair = words$query, word = as.integer(texts), page = page[words$query],
    weight = weight[words$query], weighted = (weight * z)[words$query])
  by_page <- sums_by(long, c("word", "page"), c("weight", "weighted"), count = "pairs")
  sizes <- sums_by(by_page, "word", c("pairs", "weight", "weighted"), count = "pages")
  # What stands in half of all queries is no topic.
  sizes <- sizes[sizes$pairs <= assumed("topic_largest") * length(z)]
  judged <- sizes$pages >= 2 & sizes$pairs >= assumed("topic_pairs")
  among <- function(words) replace(logical(nlevels(texts)), words, TRUE)[by_page$word]
  out$alone <- page %in% page_topics(by_page[among(sizes$word[!judged])], page)
  low_words <- sizes$word[judged & sizes$weighted < -0.1 * sizes$weight]
  topics <- test_topics(by_page[among(low_words)], page_groups, sum(judged))
  if (is.null(topics)) return(out)
  out$part <- topics$part[1]
  # Each pair has the likeliest of its words; of equals, the one on fewer pairs.
  long[, "at" := match(long$word, topics$word)]
  long <- long[!is.na(long$at)]
  long[, c("low", "size") := list(topics$low[long$at], topics$pairs[long$at])]
  setorderv(long, c("pair", "low", "size", "word"), c(1L, -1L, 1L, 1L))
  best <- long[!duplicated(long$pair)]
  of_topics <- best[best$low > 0.5]
  out$low[best$pair] <- best$low
  out$likely[best$pair] <- topics$effect[best$at]
  out$effect[of_topics$pair] <- topics$effect[of_topics$at]
  if (nrow(of_topics)) {
    set(of_topics, j = "share", value = exp(topics$effect[of_topics$at]))
    found <- unique(of_topics$word)
    out$found <- data.table(word = levels(texts)[found],
      held = unname(split(of_topics$pair, factor(of_topics$word, found))),
      pages = distinct_by(of_topics, "word", "page"),
      share = of_topics$share[match(found, of_topics$word)],
      likely = of_topics$low[match(found, of_topics$word)])
    out$found <- out$found[order(-lengths(out$found$held), out$found$word)]
  }
  out
}

# Pages at least half of whose pairs, and two of them, share a word that other pages do not show.
page_topics <- function(by_page, page) {
  by_page$page[by_page$pairs >= pmax(2, 0.5 * tabulate(page)[by_page$page])]
}

# The share of words that their results page holds back; one in twenty, worth twenty words, keeps
# few from deciding.
topic_share <- function(held, words) (held + 1) / (words + 20)

# In: per word and page what its pairs show. Out: per word `low`, how likely its results page holds
# it back, `effect`, by how much, and the `part` of all `words` that are; NULL where there is none.
# usual: what such topics lose.
test_topics <- function(by_page, page_groups, words) {
  if (!nrow(by_page)) return(NULL)
  by_page[, "mean" := weighted / weight]
  prior <- stats::dnorm(topic_grid, -assumed("topic_effect"), assumed("topic_effect_sd"))
  prior <- prior / sum(prior)
  likelihood <- topic_likelihoods(by_page, page_groups, prior)
  topics <- sums_by(by_page, "word", "pairs")
  log_total <- likelihood$held
  effect <- likelihood$effect
  # One page that is weak by itself makes no topic: the others must say so without it.
  largest <- by_page[order(by_page$word, by_page$weighted)]
  rest <- topic_likelihoods(largest[duplicated(largest$word)], page_groups, prior)
  agree <- (rest$held - rest$alone)[match(topics$word, rest$word)] > log(assumed("topic_rest"))
  # How many words are so, the words themselves tell.
  part <- topic_share(0, 0)
  for (turn in 1:20) {
    low <- agree / (1 + exp(pmin(likelihood$alone - log_total + log((1 - part) / part), 700)))
    part <- topic_share(sum(low[effect < -assumed("topic_least_effect")]), words)
  }
  topics[, c("low", "effect", "part") :=
    list(ifelse(effect < -assumed("topic_least_effect"), low, 0), effect, part)]
  topics[]
}

# What a results page takes from its topic's queries, the log of it, is summed over these values.
topic_grid <- seq(-1.8, -0.1, by = 0.1)

# Per word the log-likelihood that its pages are as pages are (`alone`), that they are so beside a
# loss of the topic (`held`, over the prior of what topics lose), and that loss (`effect`).
topic_likelihoods <- function(by_page, groups, prior) {
  make_density <- function(effect) {
    parts <- vapply(1:3, function(k) {
      groups$weight[k] * stats::dnorm(by_page$mean - effect, groups$mean[k],
        sqrt(groups$sd[k]^2 + 1 / by_page$weight))
    }, numeric(nrow(by_page)))
    dim(parts) <- c(nrow(by_page), 3)
    log(rowSums(parts) + 1e-300)
  }
  logs <- vapply(c(0, topic_grid), make_density, numeric(nrow(by_page)))
  dim(logs) <- c(nrow(by_page), length(topic_grid) + 1L)
  sums <- rowsum(logs, by_page$word, reorder = FALSE)
  word <- as.integer(rownames(sums))
  sums <- unname(sums)
  best <- do.call(pmax, as.data.frame(sums[, -1, drop = FALSE]))
  shares <- exp(sums[, -1, drop = FALSE] - best) * rep(prior, each = nrow(sums))
  list(word = word, alone = sums[, 1], held = best + log(rowSums(shares)),
    effect = drop(shares %*% topic_grid) / rowSums(shares))
}
