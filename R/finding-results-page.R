# What the results page takes: features (an answer box, ads, pictures) that go with fewer clicks at
# equal position, measured on the queries whose results pages somebody looked at.

# By feature the log ratio of clicks at equal position, of queries that have it to all others: a
# weighted regression of the queries' log factors with a normal prior on each feature (ridge; Hoerl,
# Kennard 1970, Technometrics 12, 55-67). In: judged pairs, results pages. Out: data.table(feature,
# queries, ratio, ratio_low, ratio_high (90 %), used: whether it takes clicks beyond chance); NULL
# where too few are known.
feature_effects <- function(summary, pairs, results) {
  sums <- sums_by(pairs[pairs$judged], "query", c("clicks", "expected"))
  sums <- sums[sums$expected >= assumed("feature_expected")]
  asked <- summary$queries$key[sums$query]
  shown <- results$features[results$features$key %in% asked]
  counts <- shown[, .(queries = .N), by = "feature"]
  counts <- counts[counts$queries >= assumed("feature_queries")]
  if (!nrow(counts) || nrow(sums) < 20) return(NULL)
  x <- vapply(counts$feature, function(one) {
    as.numeric(asked %in% shown$key[shown$feature == one])
  }, numeric(nrow(sums)))
  y <- log_factor(sums$clicks, sums$expected)
  noise <- factor_noise(sums$clicks, sums$expected)
  plain <- rowSums(x) == 0
  between <- max(0.02, robust_between_variance(y[plain] - stats::median(y[plain]), noise[plain]))
  weight <- 1 / (noise + between)
  design <- cbind(1, x)
  prior <- diag(c(0, rep(1 / assumed("feature_sd")^2, ncol(x))))
  fit <- linear_posterior(design, y, weight, prior)
  effect <- fit$mean[-1]
  reach <- stats::qnorm(0.95) * sqrt(diag(fit$cover))[-1]
  data.table(counts, ratio = exp(effect), ratio_low = exp(effect - reach),
    ratio_high = exp(effect + reach), used = effect + reach < 0)
}

# Pairs whose expected clicks have what their results page takes; `taken`: the ratio of each.
with_results_pages <- function(pairs, summary, curve, results) {
  if (is.null(results)) return(list(pairs = pairs, effects = NULL))
  effect_of <- feature_effects(summary, pairs, results)
  used <- effect_of[effect_of$used]
  if (!NROW(used)) return(list(pairs = pairs, effects = effect_of))
  shown <- results$features[results$features$feature %in% used$feature]
  log_of <- tapply(log(used$ratio[match(shown$feature, used$feature)]), shown$key, sum)
  taken <- exp(fcoalesce(as.vector(log_of[summary$queries$key[pairs$query]]), 0))
  set(pairs, j = "taken", value = taken)
  for (column in c("expected", "evident_expected")) {
    set(pairs, j = column, value = pairs[[column]] * taken)
  }
  set(pairs, j = "expected_ctr", value = pairs$expected / pairs$impressions)
  set_factors(pairs, curve)
  list(pairs = pairs, effects = effect_of)
}

# What the results page shows; where most titles share a format that the page's own does not have, a
# second step.
add_results_pages <- function(looked, summary, results, pairs) {
  found <- looked$found
  if (is.null(results) || !nrow(found)) return(looked)
  asked <- query_key(found$query)
  shown <- results_page_words(results, asked)
  taken <- fcoalesce(pairs$taken[match(match(found$query, summary$queries$query), pairs$query)], 1)
  shared <- shared_formats(results$rows)
  at <- match(asked, shared$key)
  own <- own_format(found, summary, results)
  lacks <- which(kind_is(found$kind, "format") &
    !is.na(at) & 2 * shared$alike[at] > shared$results[at] & shared$alike[at] >= 3 &
    shared$format[at] != "other" & !is.na(own) & own != shared$format[at])
  looked$facts <- c(looked$facts,
    new_facts("points_to", ifelse(nzchar(shown), "results_page", ""), found$line, shown = shown),
    new_facts("points_to", ifelse(taken < 0.995, "clicks_taken", ""), found$line,
      gone = 1 - taken),
    new_facts("step", "share_format", found$line[lacks], alike = shared$alike[at[lacks]],
      results = shared$results[at[lacks]], titles = shared$format[at[lacks]]))
  looked
}

# The format of each finding's own title: as the results page shows it, or as facts have it; NA
# where it is not known.
own_format <- function(found, summary, results) {
  rows <- results$rows[nzchar(results$rows$title)]
  at <- match(paste(query_key(found$query), page_key(found$page)),
    paste(rows$key, page_key(rows$address)))
  title <- summary$pages[["title"]]
  known <- if (!is.null(title)) title_format(title[match(found$page, summary$pages$page)])
  known[is.na(title[match(found$page, summary$pages$page)])] <- NA
  if (is.null(title)) rows$format[at] else fcoalesce(rows$format[at], known)
}
