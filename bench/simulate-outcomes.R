# Simulation study of outcomes: lists are worked off, and either nothing comes of it or clicks of
# all that was done change by one factor; what is said of it four weeks later, by kind of finding,
# and what chance it teaches. `otherwise`: sites of simulate-otherwise.R. `wavers`: 1,500 queries of
# 200 pages whose demand wavers together from day to day (each day like the one before by 0.7) and
# whose positions drift.
#   R_LIBS=.build/library Rscript bench/simulate-outcomes.R [SEEDS]
source("bench/simulate-helpers.R")

work_begins <- 91L
days <- work_begins + 28L

waver <- function(n, likeness, sd) {
  as.numeric(stats::filter(rnorm(n, 0, sd * sqrt(1 - likeness^2)), likeness, "recursive",
    init = rnorm(1, 0, sd)))
}

wavering_site <- function(seed) {
  set.seed(seed)
  n <- 1500
  top <- runif(1, 0.2, 0.35)
  fall <- runif(1, 0.9, 1.3)
  q <- data.table(page = sample(200, n, TRUE), home = exp(runif(n, 0, log(25))),
    demand = 1.5 * exp(rnorm(n, 0, 1.4)), factor = exp(rnorm(n, -0.02, 0.2)))
  q[page <= 14, "factor" := factor * runif(14, 0.3, 0.6)[page]]
  alone <- sample(which(q$page > 14), 30)
  set(q, alone, "factor", q$factor[alone] * runif(30, 0.3, 0.6))
  q[, "query" := sprintf("%s %s %d", sample(c("sow", "grow", "buy", "store"), n, TRUE),
    sample(c("red", "tall", "early", "old"), n, TRUE), seq_len(n))]
  demand <- sapply(seq_len(200), function(page) exp(waver(days, 0.7, 0.3)))
  site <- exp(waver(days, 0.9, 0.15)) * (1 + 0.2 * sin(2 * pi * seq_len(days) / 7))
  drift <- sapply(seq_len(n), function(id) waver(days, 0.97, 0.12))
  d <- CJ(id = seq_len(n), day = seq_len(days))
  d[, "impressions" := rpois(.N, q$demand[id] * demand[cbind(day, q$page[id])] * site[day])]
  place <- pmax(1, q$home[d$id] * exp(drift[cbind(d$day, d$id)] + rnorm(nrow(d), 0, 0.05)))
  ctr <- pmin(0.6, top * place^-fall * ifelse(place > 10.5, 0.75, 1) * q$factor[d$id])
  d[, c("clicks", "position", "ctr") := list(rbinom(.N, impressions, ctr), round(place, 1), ctr)]
  d[impressions > 0, .(date = as.IDate("2026-01-01") + day, query = q$query[id],
    page = sprintf("https://www.fernmoor.example/p/%d/", q$page[id]), clicks, impressions,
    position, ctr)]
}

# As many lines of each kind as are worked off.
most_done <- 60L
columns <- c("date", "query", "page", "clicks", "impressions", "position")

one <- function(seed, site, effect) {
  rows <- if (site == "wavers") wavering_site(seed) else {
    simulate_otherwise(site, seed, days = days)$rows
  }
  begins <- min(rows$date) + work_begins
  found <- tide_find(tide_summary(as_data(rows[date < begins, .SD, .SDcols = columns])))
  lines <- as.data.table(tidy(found))[, head(.SD, most_done), by = "kind"]
  store <- tide_store(tempfile("project"))
  tide_decide(store, found, unique(lines, by = "task")$id, "done", at = format(begins - 1))
  decisions <- tide_decisions(store)
  since <- which(rows$date >= begins & rows$query %in% decisions$query)
  if (effect != 1) {
    set(rows, since, "clicks",
      rbinom(length(since), rows$impressions[since], effect * rows$ctr[since]))
  }
  rows <- rows[, .SD, .SDcols = columns]
  judged <- as.data.table(tide_outcomes(as_data(rows), decisions, found$curve))
  judged[!is.na(ratio), .(seed, site, effect, kind, verdict, ratio, ratio_sd,
    held = ratio_low <= effect & ratio_high >= effect)]
}

cases <- rbind(CJ(site = c("otherwise", "otherwise, gamma"), effect = 1, seed = seeds),
  CJ(site = "wavers", effect = c(0.7, 1, 1.5), seed = seeds))
results <- rbindlist(parallel::mclapply(seq_len(nrow(cases)),
  function(i) one(cases$seed[i], cases$site[i], cases$effect[i]),
  mc.cores = parallel::detectCores()))
print(results[, .(tasks = .N, worked = mean(verdict == "worked"),
  worse = mean(verdict == "made it worse"), held = mean(held),
  `said / true` = exp(mean(log(ratio / effect)))),
  by = c("site", "effect", "kind")][tasks >= 10][order(kind, site, effect)], digits = 2)

# The chance that these steps teach where 0.50 is assumed, which counts as ten of them; by the count
# of verdicts, and as it is learnt.
learnt <- results[, .(steps = .N, `by verdicts` = (5 + sum(verdict == "worked")) / (10 + .N),
  learnt = inktide:::learnt_chance(inktide:::tried_steps(.SD)$likelier, 0.5, 10)),
  by = c("seed", "site", "effect", "kind"), .SDcols = c("verdict", "ratio", "ratio_sd")]
print(learnt[kind %in% c("low_ctr", "striking_distance"), lapply(.SD, mean),
  by = c("kind", "site", "effect"), .SDcols = c("steps", "by verdicts", "learnt")], digits = 2)
