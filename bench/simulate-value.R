# Simulation study of conversion rates: pages of three folders whose clicks are of different
# intents, rates that differ from page to page, a year of sessions told and one held out. Error:
# squared miss of the held-out rate, in sessions, beside that of the page's own raw rate (1), and
# the mean miss of a query's log rate.
#   R_LIBS=.build/library Rscript bench/simulate-value.R [SEEDS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
setDTthreads(1)
given <- commandArgs(TRUE)
seeds <- seq_len(if (length(given)) as.integer(given[1]) else 100)

one_site <- function(seed, effect, pages, size) {
  set.seed(seed)
  group <- sample(c("/a/", "/b/", "/c/"), pages, TRUE)
  base <- c(`/a/` = 0.005, `/b/` = 0.01, `/c/` = 0.02)[group]
  lean <- c(`/a/` = -1, `/b/` = 0, `/c/` = 1)[group]
  draw <- exp(cbind(commercial = rnorm(pages, lean, 1.5), informational = rnorm(pages, -lean, 1.5),
    other = rnorm(pages)))
  mix <- draw / rowSums(draw)
  factor <- exp(effect * c(commercial = 1, informational = -1, other = 0))
  truth <- pmin(0.5, base * as.vector(mix %*% factor) * exp(rnorm(pages, 0, 0.4)))
  sessions <- round(exp(rnorm(pages, log(size), 1))) + 1
  had <- rbinom(pages, sessions, truth)
  later <- rbinom(pages, sessions, truth)
  if (!sum(had)) return(NULL)
  loss <- function(rate) sum((rate - later / sessions)^2 * sessions)
  factors <- inktide:::intent_factors(sessions, had, group, mix)
  plain <- inktide:::page_rates(sessions, had, group)$rate
  expected <- as.vector(mix %*% factors)
  by_intent <- inktide:::page_rates(sessions, had, group, expected)$rate
  raw <- loss(had / sessions)
  true_query <- outer(truth / as.vector(mix %*% factor), factor)
  off <- function(rate) weighted.mean(abs(log(rate / true_query)), mix * sessions)
  data.table(effect, pages, size, site = loss(rep(sum(had) / sum(sessions), pages)) / raw,
    folder = loss(plain) / raw, intent = loss(by_intent) / raw, query_page = off(matrix(plain,
      pages, 3)), query_intent = off(outer(by_intent / expected, factors)))
}

grid <- CJ(seed = seeds, effect = c(0, 0.3, 0.8), pages = c(60, 400), size = c(100, 1000))
rows <- rbindlist(parallel::mclapply(seq_len(nrow(grid)),
  function(i) one_site(grid$seed[i], grid$effect[i], grid$pages[i], grid$size[i]),
  mc.cores = parallel::detectCores()))
options(width = 120)
print(rows[, lapply(.SD, mean), by = c("effect", "pages", "size")], digits = 3)
