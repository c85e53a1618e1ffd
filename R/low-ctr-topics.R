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
    found = data.table(word = character(), queries = integer(), pages = integer(),
      share = numeric()))
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
  held <- best[best$low > 0.5]
  out$low[best$pair] <- best$low
  out$likely[best$pair] <- topics$effect[best$at]
  out$effect[held$pair] <- topics$effect[held$at]
  if (nrow(held)) {
    set(held, j = "share", value = exp(topics$effect[held$at]))
    found <- held[, .N, by = "word"]
    out$found <- data.table(word = levels(texts)[found$word], queries = found$N,
      pages = distinct_by(held, "word", "page"), share = held$share[match(found$word, held$word)])
    setorderv(out$found, c("queries", "word"), c(-1L, 1L))
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
  usual <- c(mean = -assumed("topic_effect"), sd = assumed("topic_effect_sd"))
  if (!nrow(by_page)) return(NULL)
  by_page[, "mean" := weighted / weight]
  likelihood <- topic_likelihoods(by_page, page_groups)
  topics <- sums_by(by_page, "word", "pairs")
  prior <- stats::dnorm(topic_grid, usual[["mean"]], usual[["sd"]])
  shares <- exp(likelihood$held - likelihood$best) * rep(prior / sum(prior), each = nrow(topics))
  effect <- drop(shares %*% topic_grid) / rowSums(shares)
  held <- likelihood$best + log(rowSums(shares))
  # How many words are so, the words themselves tell.
  part <- topic_share(0, 0)
  for (round in 1:20) {
    low <- 1 / (1 + exp(pmin(likelihood$alone - held + log((1 - part) / part), 700)))
    part <- topic_share(sum(low[effect < -assumed("topic_least_effect")]), words)
  }
  topics[, c("low", "effect", "part") :=
    list(ifelse(effect < -assumed("topic_least_effect"), low, 0), effect, part)]
  topics[]
}

# What a results page takes from its topic's queries, the log of it, is summed over these values.
topic_grid <- seq(-1.8, -0.1, by = 0.1)

# Per word the log-likelihood that its pages are as pages are (`alone`) and that they are so beside
# each loss of the topic (`held`, a column a value of the grid; `best`, the largest of each
# row).
topic_likelihoods <- function(by_page, groups) {
  density <- function(effect) {
    parts <- vapply(1:3, function(k) {
      groups$weight[k] * stats::dnorm(by_page$mean - effect, groups$mean[k],
        sqrt(groups$sd[k]^2 + 1 / by_page$weight))
    }, numeric(nrow(by_page)))
    dim(parts) <- c(nrow(by_page), 3)
    log(rowSums(parts) + 1e-300)
  }
  sums <- unname(rowsum(cbind(density(0), vapply(topic_grid, density, numeric(nrow(by_page)))),
    by_page$word, reorder = FALSE))
  held <- sums[, -1, drop = FALSE]
  list(alone = sums[, 1], held = held, best = do.call(pmax, as.data.frame(held)))
}
