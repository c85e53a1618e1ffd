# What can be reached on the sites of simulate-findings.R: the list of someone who knows the true
# curve, how far queries and pages differ, how many are weak and how weak, and which topics are held
# back, beside ours.
#   R_LIBS=.build/library Rscript bench/simulate-reachable.R [SEEDS] [KIND/...]
source("bench/simulate-helpers.R")

# Chance of a weak page or query, and expected missed clicks, of each pair, by summing over
# everything that is unknown.
know_all <- function(known, made) {
  at <- qnorm(ppoints(60, 0.5), 0, 1)
  at <- c(-4, -3.4, -2.9, at, 2.9, 3.4, 4)
  weight <- dnorm(at) * diff(c(-4.5, (head(at, -1) + tail(at, -1)) / 2, 4.5))
  variance <- exp(made$spread^2) - 1
  factors <- if (made$gamma) {
    qgamma(pnorm(at), 1 / variance, 1 / variance)
  } else {
    exp(made$spread * at - made$spread^2 / 2)
  }
  page_effects <- if (made$page_spread) exp(made$page_spread * qnorm(ppoints(7))) else 1
  steps <- function(ends) seq(ends[1], ends[2], length.out = 8)
  # Likelihood of the clicks at a level beside the query's own factor, and the same times that
  # factor.
  seen <- function(level) {
    by_factor <- vapply(factors, function(own) dpois(known$clicks, known$expected * level * own),
      numeric(nrow(known)))
    list(likelihood = drop(by_factor %*% weight),
      with_factor = drop(by_factor %*% (weight * factors)))
  }
  page <- as.integer(factor(known$page))
  states <- unlist(lapply(page_effects, function(effect) {
    usual <- seen(effect)
    alone <- lapply(steps(made$kept_alone),
      function(kept) c(seen(effect * kept), missed = effect * (1 - kept)))
    low <- made$alone * Reduce(`+`, lapply(alone, `[[`, "likelihood")) / 8
    missed <-
      made$alone * Reduce(`+`, lapply(alone, function(own) own$with_factor * own$missed)) / 8
    all <- (1 - made$alone) * usual$likelihood + low + 1e-300
    fine <- list(prior = 1 - made$weak, all = all, low = low / all, missed = missed / all)
    weak <- lapply(steps(made$kept), function(kept) {
      own <- seen(effect * kept)
      list(prior = made$weak / 8, all = own$likelihood + 1e-300, low = 1,
        missed = own$with_factor * effect * (1 - kept) / (own$likelihood + 1e-300))
    })
    c(list(fine), weak)
  }),
    recursive = FALSE)
  logs <- vapply(states, function(state) rowsum(log(state$all), page)[, 1] + log(state$prior),
    numeric(max(page)))
  shares <- exp(logs - apply(logs, 1, max))
  shares <- (shares / rowSums(shares))[page, , drop = FALSE]
  told <- function(name) rowSums(shares *
    vapply(states, function(state) rep_len(state[[name]], nrow(known)), numeric(nrow(known))))
  data.table(known, low = told("low"), gain = told("missed") * known$expected * made$month)
}

one <- function(kind, seed) {
  site <- make_site(kind, seed)
  worth_of <- function(rows) fcoalesce(
    site$low$gain[match(paste(rows$query, rows$page), paste(site$low$query, site$low$page))], 0)
  best <- know_all(site$known[!startsWith(query, "fernmoor")], site$made)[order(-gain)]
  likely <- best[clicks < 0.8 * expected & low > 0.5 & gain >= 0.5]
  kept <- likely[inktide:::within_fdr(likely$low, 0.1)]
  summary <- tide_summary(as_data(site$rows), brand = if (site$brand) "fernmoor")
  ours <- as.data.table(tidy(tide_find(summary, min_gain = 0, kind = "low_ctr")))
  data.table(kind = kind, ndcg = ndcg(worth_of(ours), site$low$gain),
    ndcg_by_gain = ndcg(worth_of(ours[order(-gain)]), site$low$gain),
    reachable = ndcg(worth_of(best), site$low$gain),
    within_fdr = ndcg(worth_of(kept), site$low$gain),
    found = sum(worth_of(ours)) / sum(site$low$gain),
    reachable_found = sum(worth_of(kept)) / sum(site$low$gain), right = mean(worth_of(ours) > 0),
    reachable_right = mean(worth_of(kept) > 0))
}
means_by_kind(one)
