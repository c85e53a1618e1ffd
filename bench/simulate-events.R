# Simulation study of events and change points: coverage of the stated 90 % and false alarms where
# pages drift and nothing happens, and how much of what is planted is found.
#   R_LIBS=.build/library Rscript bench/simulate-events.R [SEEDS]
suppressPackageStartupMessages({
  library(data.table)
  library(inktide)
})
source("bench/read-rows.R")
seeds <- seq_len(c(as.integer(commandArgs(TRUE)), 40)[1])
curve <- 0.02 + 0.26 * exp(-0.5 * (0:19))

# together: how far demand of the first pages drifts together (log, a day).
# Pages whose position drifts slowly (AR of 0.97) and whose demand wavers from day to day and with a
# season of their own; the first `m` change on day 57.
site <- function(seed, days = 112, clicks = 1, slip = 0, demand = 1, drift = 0.03, a_day = 10,
    n = 50, m = 3, together = 0) {
  set.seed(seed)
  d <- CJ(page = seq_len(n), day = seq_len(days))
  later <- d$page <= m & d$day > 56
  wander <- unlist(lapply(seq_len(n),
    function(i) as.vector(filter(rnorm(days, 0, drift), 0.97, "recursive"))))
  waver <-
    unlist(lapply(seq_len(n), function(i) as.vector(filter(rnorm(days, 0, 0.1), 0.5, "recursive"))))
  home <- sample(1:8, n, TRUE)
  position <- pmin(20, pmax(1, home[d$page] * exp(wander) + later * slip))
  rate <- approx(1:20, curve, position)$y * exp(rnorm(n, 0, 0.2))[d$page]
  base <- a_day * exp(rnorm(n, 0, 0.7)) / curve[home]
  # Demand of the first pages drifts together, as that of a folder does.
  shared <- as.vector(filter(rnorm(days, 0, together), 0.97, "recursive"))
  waver <- waver + (d$page <= m) * shared[d$day]
  impressions <- rpois(nrow(d), base[d$page] * exp(waver) *
    (1 + 0.3 * sin(d$day / 30 + rnorm(n, 0, 0.5)[d$page])) * ifelse(later, demand, 1))
  shown <- sample(-1:1, nrow(d), TRUE) * 0.3
  rows <- data.table(date = as.IDate("2026-01-01") + d$day, query = sprintf("query %d", d$page),
    page = sprintf("https://www.fernmoor.example/p%d/", d$page),
    clicks = rbinom(nrow(d), impressions, pmin(0.9, rate * ifelse(later, clicks, 1))),
    impressions = impressions, position = pmax(1, position + shown))
  as_data(rows[impressions > 0])
}
file <- tempfile(fileext = ".csv")
events <- lapply(c(`3` = 3, `40` = 40), function(m) {
  writeLines(c("date,event,pages",
    sprintf("2026-02-27,Rewritten,%s", paste0("/p", seq_len(m), "/", collapse = " "))), file)
  tide_events(file)
})
writeLines(c("date,event", "2026-02-27,Update"), file)
update <- tide_events(file)
one <- function(seed, m = 3, ...) {
  data <- site(seed, m = m, ...)
  fit <- tide_curve(tide_summary(data))
  shifts <- tide_event_effects(data, events[[as.character(m)]], fit)
  whole <- tide_event_effects(data, update, fit)
  changes <- tide_change_points(data, curve = fit)
  planted <- c(clicks = list(...)$clicks, demand = list(...)$demand, position = list(...)$slip)
  hit <- changes$level == "page" &
    changes$name %in% sprintf("https://www.fernmoor.example/p%d/", seq_len(m)) &
    abs(as.integer(changes$date - as.IDate("2026-02-27"))) <= 7 & length(planted) > 0
  clear <- function(s, measure) s$verdict[s$measure == measure] %in% c("rose", "fell")
  data.table(alarm = mean(shifts$verdict %in% c("rose", "fell")), clicks = clear(shifts, "clicks"),
    demand = clear(shifts, "demand"), position = clear(shifts, "position"),
    through = clear(shifts, "ctr"), site_alarm = mean(whole$verdict %in% c("rose", "fell")),
    changes = nrow(changes), false = sum(!hit), found = length(unique(changes$name[hit])) / m)
}
kinds <- list(nothing = list(), `nothing, drifts twice as far` = list(drift = 0.06),
  `nothing, 2 clicks a day` = list(a_day = 2), `nothing, 6 months` = list(days = 182),
  `nothing, 16 months` = list(days = 480),
  `nothing, pages drift together` = list(days = 182, together = 0.05),
  `CTR x 1.3` = list(clicks = 1.3), `demand x 0.7` = list(demand = 0.7),
  `CTR x 1.15 on 40 pages of 100` = list(clicks = 1.15, n = 100, m = 40),
  `nothing on 40 pages of 100` = list(n = 100, m = 40),
  `two places down` = list(slip = 2), `CTR x 1.5, 2 clicks a day` = list(clicks = 1.5, a_day = 2))
for (kind in names(kinds)) {
  results <- rbindlist(parallel::mclapply(seeds,
    function(seed) do.call(one, c(list(seed), kinds[[kind]])), mc.cores = parallel::detectCores()))
  cat(sprintf("| %s | %s |\n", kind,
    paste(signif(unlist(results[, lapply(.SD, mean)]), 2), collapse = " | ")))
}
