# Simulation study of what moved: false alarms where nothing changes but season and noise, planted
# changes of 30 %, and whether the right cause carries a known change.
#   R_LIBS=.build/library Rscript bench/simulate-moves.R [SEEDS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/read-rows.R")
seeds <- seq_len(c(as.integer(commandArgs(TRUE)), 20)[1])
curve <- 0.02 + 0.26 * exp(-0.5 * (0:19))

# Two windows of `days`; demand of each query wavers from day to day, with a season over all.
site <- function(seed, change, days = 28) {
  set.seed(seed)
  n <- 400
  q <- data.table(home = sample(1:12, n, TRUE), weekly = exp(rnorm(n, log(20), 0.8)),
    factor = exp(rnorm(n, -0.03, 0.25)))
  d <- CJ(id = seq_len(n), day = seq_len(2 * days))
  later <- d$day > days
  id <- d$id
  changed <- change(q)
  position <- pmin(20, pmax(1,
    ifelse(later, changed$home[id], q$home[id]) + sample(-1:1, nrow(d), TRUE) * (q$home[id] > 1)))
  # Twenty clicks a week on average, whatever the position.
  demand <- q$weekly[id] / 7 / curve[q$home[id]] * (1 + 0.3 * sin(d$day / 20)) *
    rgamma(nrow(d), 15, 15) * ifelse(later, changed$demand[id], 1)
  # Page two is seen by half.
  impressions <- rpois(nrow(d), demand * ifelse(position > 10.5, 0.5, 1))
  clicks <- rbinom(nrow(d), impressions,
    pmin(0.95, curve[position] * q$factor[id] * ifelse(later, changed$snippet[id], 1)))
  rows <- data.table(date = as.IDate("2026-03-01") + d$day, query = sprintf("query %d", id),
    page = sprintf("https://www.fernmoor.example/p%d/", id %/% 4), clicks = clicks,
    impressions = impressions, position = position)
  rows[impressions > 0]
}
none <- function(q) data.table(home = q$home, demand = 1, snippet = rep(1, nrow(q)))
planted <- function(q) {
  out <- none(q)
  out[1:40, "demand" := 0.7]
  out[41:80, "snippet" := 0.7]
  out
}
one <- function(seed) {
  quiet <- tide_compare(as_data(site(seed, none)))$moves
  moved <- tide_compare(as_data(site(seed, planted)))$moves
  clicks <- moved$clicks_before / 4
  hit <- moved$name %in% sprintf("query %d", 1:80)
  busy <- clicks >= 20
  habit <- head(moved$name, sum(moved$significant))
  cause <- function(change, part, of) {
    lines <- tide_compare(as_data(site(seed, change)))$moves
    lines <- lines[lines$name %in% sprintf("query %d", of) & lines$clicks_before >= 75]
    mean(abs(lines[[part]]) >= 0.9 * abs(lines$change) - 3)
  }
  set <- function(column, value) function(q) {
    out <- none(q)
    out[1:40, (column) := value]
    out
  }
  slip <- function(q) {
    out <- none(q)
    out[1:40, "home" := pmin(19, home + 5)]
    out
  }
  data.table(seed = seed, alarms = mean(quiet$significant), any_alarm = any(quiet$significant),
    found = mean(moved$significant[hit & busy]), false = mean(!hit[moved$significant]),
    habit_false = mean(!habit %in% sprintf("query %d", 1:80)),
    demand = cause(set("demand", 0.4), "by_demand", 1:40),
    snippet = cause(set("snippet", 0.4), "by_ctr", 1:40),
    position = cause(slip, "by_position", 1:40),
    exact = max(abs(rowSums(moved[, inktide:::part_names, with = FALSE]) - moved$change)))
}
# Twenty clicks a week are few in four weeks: what longer windows find.
by_length <- function(days) {
  rbindlist(parallel::mclapply(seeds, function(seed) {
    quiet <- tide_compare(as_data(site(seed, none, days)), days = days)$moves
    moved <- tide_compare(as_data(site(seed, planted, days)), days = days)$moves
    number <- as.integer(sub("query ", "", moved$name))
    busy <- moved$clicks_before * 7 / days >= 20
    data.table(days = days, alarms = mean(quiet$significant),
      found = mean(moved$significant[number <= 80 & busy]),
      searches = mean(moved$significant[number <= 40 & busy]),
      ctr = mean(moved$significant[number > 40 & number <= 80 & busy]),
      false = mean(number[moved$significant] > 80))
  }, mc.cores = parallel::detectCores()))
}
results <- rbindlist(parallel::mclapply(seeds, one, mc.cores = parallel::detectCores()))
print(results[, lapply(.SD, function(x) signif(mean(x, na.rm = TRUE), 2)),
  .SDcols = setdiff(names(results), "seed")])
print(rbindlist(lapply(c(28, 56, 91),
  function(days) by_length(days)[, lapply(.SD, function(x) signif(mean(x, na.rm = TRUE), 2))])))

# Where nothing changes, but days vary, each like the one before by `alike` (first-order
# autoregression): queries by 0.3 of their own (log scale), and all together by 0.2.
varying <- function(seed, days, alike, n = 300) {
  set.seed(seed)
  course <- function(sd) {
    start <- rnorm(1, sd = sd)
    stats::filter(rnorm(2 * days, sd = sd * sqrt(1 - alike^2)), alike, "recursive", init = start)
  }
  q <- data.table(home = sample(1:12, n, TRUE), weekly = exp(rnorm(n, log(20), 0.8)))
  d <- CJ(id = seq_len(n), day = seq_len(2 * days))
  weekdays <- log(c(1.1, 1.15, 1.1, 1.05, 1, 0.7, 0.8))
  demand <- unlist(lapply(seq_len(n), function(i) course(0.3))) + course(0.2)[d$day] +
    weekdays[d$day %% 7 + 1]
  impressions <- rpois(nrow(d), q$weekly[d$id] / 7 / curve[q$home[d$id]] * exp(demand))
  rows <- data.table(date = as.IDate("2026-03-01") + d$day, query = sprintf("query %d", d$id),
    page = sprintf("https://www.fernmoor.example/f%d/p%d/", d$id %% 6, d$id),
    clicks = rbinom(nrow(d), impressions, curve[q$home[d$id]]), impressions = impressions,
    position = q$home[d$id])
  rows[impressions > 0]
}
steady <- CJ(alike = c(0, 0.5, 0.7, 0.9), days = c(7, 14, 28))
print(rbindlist(lapply(seq_len(nrow(steady)), function(i) {
  called <- rbindlist(parallel::mclapply(seeds, function(seed) {
    data <- as_data(varying(seed, steady$days[i], steady$alike[i]))
    marked <- function(by) tide_compare(data, by = by, days = steady$days[i])$moves$significant
    data.table(queries = mean(marked("query")), any_folder = any(marked("folder")),
      site = marked("site"))
  }, mc.cores = parallel::detectCores()))
  cbind(steady[i], called[, lapply(.SD, mean)])
})))
