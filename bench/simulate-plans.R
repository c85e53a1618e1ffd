# Simulation study of plans: on whole made-up sites the tasks of the list are done; each works or
# not by its chance, and where it works it brings what it truly brings, which is nothing where a
# finding is not real. What the forecast said is added, against what is added.
#   R_LIBS=.build/library Rscript bench/simulate-plans.R [SEEDS] [KINDS]
source("bench/simulate-helpers.R")
kinds <- if (length(given) > 1) kinds else c("plain", "small", "brand-heavy", "many features")
setDTthreads(1)

# True clicks per 30 days that a line of the list brings if it works.
true_gain <- function(site, line, curve) {
  if (line$kind == "low_ctr") {
    own <- site$low$gain[site$low$query == line$query & site$low$page == line$page]
    return(if (length(own)) own else 0)
  }
  q <- site$queries[match(line$query, site$queries$query)]
  target <- inktide:::next_step(line$position)
  wider <- if (q$home > 10.5 && target <= 10) 2 else 1
  each <- pmin(0.95, q$factor * q$feature * q$kept * if (q$is_brand) 2 else 1)
  rate <- function(centre) {
    mean(curve[pmin(100, pmax(1, round(centre + qnorm(ppoints(60)) * (0.2 + 0.08 * centre))))])
  }
  line$impressions * site$made$month * each * (wider * rate(target) - rate(line$position))
}

one <- function(kind, seed) {
  site <- make_site(kind, seed)
  curve <- true_curve(seed)
  found <- tide_find(
    tide_summary(as_data(site$rows), brand = if (isTRUE(site$brand)) "fernmoor"),
    kind = c("low_ctr", "striking_distance"))
  set.seed(seed)
  # A flat history: what is studied is what a plan adds.
  month <- as.IDate(seq(as.Date("2023-01-01"), by = "month", length.out = 39))
  clicks <- sum(site$rows$clicks) / uniqueN(site$rows$date) * inktide:::days_in_month(month)
  history <- tide_history(data.table(month, clicks = clicks * exp(rnorm(39, 0, 0.03)))[1:36])
  lines <- found$findings
  worth <- vapply(seq_len(nrow(lines)), function(i) true_gain(site, lines[i], curve), 0)
  rbindlist(lapply(c(10, 40, Inf), function(top) {
    many <- min(top, uniqueN(lines$task))
    plan <- tide_plan(found, do = if (is.finite(top)) many else "all", from = "2026-01-01")
    said <- tide_forecast(history, months = 3, plan = plan, ramp = 1)$months[3]
    tasks <- lines$task[match(plan$lines$id, lines$id)]
    # A task works or not, as one.
    works <- runif(length(tasks)) < lines$chance[match(tasks, lines$task)]
    came <- sum(worth[lines$task %in% tasks[works]]) *
      inktide:::days_in_month(said$month) / 30
    average <- sum(worth * lines$chance * (lines$task %in% tasks)) *
      inktide:::days_in_month(said$month) / 30
    data.table(kind = paste0(kind, ", ", if (is.finite(top)) top else "all"), seed, lines = many,
      said = said$added, came, average, inside = came >= said$added_low & came <= said$added_high,
      below = came < said$added_low)
  }))
}

rows <- rbindlist(parallel::mclapply(seq_len(length(kinds) * length(seeds)), function(i) {
  one(kinds[(i - 1) %/% length(seeds) + 1], seeds[(i - 1) %% length(seeds) + 1])
}, mc.cores = parallel::detectCores()))
options(width = 110)
print(rows[, .(lines = mean(lines), said = mean(said), came = mean(came),
  ratio = sum(average) / sum(said), inside = mean(inside), below = mean(below)), by = "kind"],
  digits = 3)
