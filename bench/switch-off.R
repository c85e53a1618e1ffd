# What each larger piece of machinery earns: it is switched off, one at a time, and the list is made
# anew on the same sites. Rows are differences from the whole: precision of low CTR, missed clicks
# found, promised to true clicks, order (NDCG at 100), F1 of contests, intervals that hold.
#   R_LIBS=.build/library Rscript bench/switch-off.R [SEEDS] [KIND/...]
source("bench/simulate-helpers.R")
package <- asNamespace("inktide")

only_usual_and_low <- function(given, at = package$factor_grid, usual_sd = 0.25, least_sd = 0,
    gamma = 0, near = NULL) {
  package$fit_groups(given, at, usual_sd, least_sd, gamma, high = FALSE, near = near)
}
switches <- list(
  whole = list(),
  `gamma or log-normal` = list(fit_query_groups = function(given, near = NULL) {
    package$fit_two_groups(given, near = near)
  }),
  `mirrored high part` = list(mirror_high_part = function(groups) {
    groups$weight[2] <- 0
    groups
  }),
  `high part` = list(fit_two_groups = only_usual_and_low),
  topics = list(test_topics = function(...) NULL),
  `small queries as evidence` = list(page_rests = function(pairs, pages) {
    pairs[0, c("page", "clicks", "expected")]
  }),
  `effects of pages` = list(fit_pages = function(...) package$no_page_effects()),
  `level shifts` = list(expected_weeks = function(...) NULL),
  `wrong page leads` = list(passed_by_chance = function(pages, fit_first, ...) {
    0 * pages$clicks_first
  }),
  `settled contests` = list(swapping_goes_on = function(of, dates) rep(1, nrow(of))))

with_switch <- function(replaced, work) {
  if (!length(replaced)) return(work)
  before <- mget(names(replaced), envir = package)
  put <- function(functions) {
    for (name in names(functions)) {
      own <- functions[[name]]
      unlockBinding(name, package)
      assign(name, own, envir = package)
    }
  }
  put(replaced)
  on.exit(put(before))
  force(work)
}

figures <- function(site, summary, curve) {
  found <- as.data.table(tidy(tide_find(summary, curve, kind = c("low_ctr", "cannibalized"))))
  low <- found$kind == "low_ctr"
  key <- function(query, page) paste(query, page)
  worth <- fcoalesce(
    site$low$gain[match(key(found$query, found$page), key(site$low$query, site$low$page))], 0)
  case <- site$queries$case[match(found$query, site$queries$query)]
  harmful <- c("swap", "split")
  right <- mean(case[!low] %in% harmful)
  recall <- mean(site$queries[case %in% harmful]$query %in% found$query[!low])
  promise <- found$if_done * found$confidence
  gained <- low & worth > 0
  data.table(right = mean(worth[low] > 0), found = sum(worth[low]) / sum(site$low$gain),
    promised = sum(promise[low]) / sum(worth[low]),
    ndcg = ndcg(worth[low][order(-promise[low])], site$low$gain),
    contests = 2 * right * recall / (right + recall),
    held = mean((found$if_done_low <= worth & worth <= found$if_done_high)[gained]))
}

one <- function(kind, seed) {
  site <- make_site(kind, seed)
  summary <- tide_summary(as_data(site$rows), brand = if (site$brand) "fernmoor")
  curve <- tide_curve(summary)
  rbindlist(lapply(names(switches), function(name) {
    data.table(kind, off = name, with_switch(switches[[name]], figures(site, summary, curve)))
  }))
}
# Nothing planted: queries that differ by gamma, log-normal and heavy-tailed factors; how many lines
# are listed.
tails <- list(`log-normal` = function(n) exp(rnorm(n, 0, 0.3)), gamma = function(n) rgamma(n, 4, 4),
  `t with 3` = function(n) exp(0.25 * rt(n, 3)),
  `one in eight far off` = function(n) {
    exp(rnorm(n, 0, 0.3) + ifelse(runif(n) < 0.12, rnorm(n, 0, 0.9), 0))
  })
false_lines <- function(factors, seed) {
  set.seed(seed)
  expected <- exp(rnorm(1500, 3.3, 1))
  clicks <- rpois(1500, expected * factors(1500))
  judged <- package$fit_low_ctr(clicks, expected, (seq_len(1500) - 1) %/% 6,
    data.table(query = integer(), word = character()))$judged
  likely <- judged$confidence[clicks < 0.8 * expected & judged$confidence > 0.5]
  length(package$within_fdr(likely, 0.1))
}
of_low_ctr <- c("whole", "gamma or log-normal", "mirrored high part", "high part",
  "effects of pages")
cat("Lines on sites with nothing planted\n")
print(t(vapply(of_low_ctr, function(name) {
  vapply(tails, function(factors) mean(unlist(parallel::mclapply(seeds, function(seed) {
    with_switch(switches[[name]], false_lines(factors, seed))
  }, mc.cores = parallel::detectCores()))), 0)
}, numeric(length(tails)))), digits = 2)

results <- rbindlist(parallel::mclapply(seq_len(length(kinds) * length(seeds)), function(i) {
  one(kinds[(i - 1) %/% length(seeds) + 1], seeds[(i - 1) %% length(seeds) + 1])
}, mc.cores = parallel::detectCores()))
columns <- setdiff(names(results), c("kind", "off"))
by_kind <- results[, lapply(.SD, mean, na.rm = TRUE), by = c("kind", "off"), .SDcols = columns]
print(by_kind[by_kind$off == "whole"][,
  lapply(.SD, function(x) if (is.numeric(x)) round(x, 2) else x)])
whole <- by_kind[by_kind$off == "whole"][match(by_kind$kind, kind)]
for (column in columns) set(by_kind, j = column, value = by_kind[[column]] - whole[[column]])
off <- by_kind[by_kind$off != "whole"]
cat("\nMean over the kinds, less the whole\n")
print(off[, lapply(.SD, function(x) round(mean(x), 3)), by = "off", .SDcols = columns])
cat("\nThe kind it matters most to\n")
print(off[, lapply(.SD, function(x) round(x[which.max(abs(x))], 2)), by = "off", .SDcols = columns])
