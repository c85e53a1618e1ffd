# Simulation study of the smaller kinds: rising and falling queries beside those that are only
# searched more or less, clicks from page two, and ideas for pages. 1,500 queries, 91 days; what
# changes does so 28 days before the end.
#   R_LIBS=.build/library Rscript bench/simulate-kinds.R [SEEDS]
source("bench/simulate-helpers.R")

one <- function(seed) {
  set.seed(seed)
  curve <- approxfun(c(1:10, 11, 80),
    c(0.29, 0.155, 0.105, 0.075, 0.056, 0.043, 0.034, 0.028, 0.023, 0.02, 0.009, 0.001), rule = 2)
  n <- 1500
  q <- data.table(id = seq_len(n), home = exp(runif(n, log(1.5), log(30))),
    demand = pmin(60, 1 + exp(rnorm(n, 1, 1.2))), factor = exp(rnorm(n, -0.03, 0.25)),
    case = "nothing")
  near <- sample(which(q$home < 9))
  cases <-
    c("slips by 5", "climbs by 4", "snippet x 0.5", "snippet x 2", "searches x 0.5", "searches x 2")
  set(q, near[1:180], "case", rep(cases, each = 30))
  set(q, which(q$case == "slips by 5"), "home", runif(30, 2, 5))
  set(q, which(q$case == "climbs by 4"), "home", runif(30, 7, 12))
  far <- head(sample(which(q$home > 11 & q$home < 20)), 20)
  set(q, far, c("case", "factor"), list("clicked from page two", 4))
  set(q, which(q$case != "nothing"), "demand", pmax(6, q$demand[q$case != "nothing"]))
  q[, "query" := sprintf("%s %s %s %d", sample(c("red", "early", "dwarf", "giant"), n, TRUE),
    sample(c("bean", "pea", "kale", "leek", "beet", "squash"), n, TRUE),
    sample(c("care", "seed", "spacing", "pests", "soil", "harvest"), n, TRUE), id)]
  topics <- c("moon sowing calendar", "seed swap event", "hydroponic bucket", "worm compost bin",
    "bee hotel")
  ideas <- data.table(id = n + 1:40, home = runif(40, 52, 70), demand = 4, factor = 1,
    case = "no page answers", query = paste(rep(topics, each = 8),
      sample(c("guide", "best", "dates", "plans", "kit"), 40, TRUE), letters[1:8]))
  q <- rbind(q, ideas, use.names = TRUE)
  q[, "page" := sprintf("https://www.fernmoor.example/p/%d/", sample(300, .N, TRUE))]
  d <- CJ(id = q$id, day = 1:91)
  case <- q$case[d$id]
  changed <- function(which, by, usual) ifelse(d$day > 63 & case == which, by, usual)
  place <- q$home[d$id] + changed("slips by 5", 5, 0) + changed("climbs by 4", -4, 0)
  d[, "position" := round(pmax(1, place + rnorm(.N, 0, 0.3 + 0.05 * place)), 1)]
  d[, "impressions" := rpois(.N, q$demand[id] * changed("searches x 0.5", 0.5, 1) *
    changed("searches x 2", 2, 1) * ifelse(position > 10.5, 0.6, 1))]
  d[, "clicks" := rbinom(.N, impressions,
    pmin(0.9, curve(position) * q$factor[id] * changed("snippet x 0.5", 0.5, 1) *
      changed("snippet x 2", 2, 1)))]
  summary <- tide_summary(as_data(d[impressions > 0,
    .(date = as.IDate("2026-01-01") + day, query = q$query[id], page = q$page[id], clicks,
      impressions, position)]))
  listed <- lapply(stats::setNames(nm = c("falling", "rising", "tail_demand", "new_page")),
    function(kind) tidy(tide_find(summary, kind = kind)))
  share <- function(kind) vapply(unique(q$case),
    function(case) mean(q$query[q$case == case] %in% listed[[kind]]$query), 0)
  data.table(seed = seed, case = unique(q$case), falling = share("falling"),
    rising = share("rising"), tail_demand = share("tail_demand"), ideas = nrow(listed$new_page))
}
results <- rbindlist(parallel::mclapply(seeds, one, mc.cores = parallel::detectCores()))
print(results[, lapply(.SD, function(x) signif(mean(x), 2)), by = "case",
  .SDcols = c("falling", "rising", "tail_demand", "ideas")])
