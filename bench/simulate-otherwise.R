# Sites made otherwise than those of simulate-opportunities.R, so that nothing is fitted to one way
# of making them: rows stand at positions with one decimal, not at averages of places; the curve is
# smooth; queries differ by a gamma or a log-normal factor; pages take turns by 7, 10 or 14 days out
# of step with the weeks, one below the other or, `level`, both where neither stood alone; no topic
# is held back. weak, alone: shares of weak pages and of weak queries of other pages. `scan`: nobody
# obeys a curve: searchers read from the top, give up at each place with a chance of their query's
# own, and click the first result that they like; so queries differ in level and in slope, and what
# is left for a position hangs on how good the results above are.
suppressPackageStartupMessages(library(data.table))

otherwise_kinds <- list(`otherwise, alike` = list(spread = 0.15),
  `otherwise` = list(spread = 0.2, kept = c(0.25, 0.55), demand_sd = 1.8),
  `otherwise, gamma` = list(spread = 0.3, gamma = TRUE), `otherwise, apart` = list(spread = 0.5),
  `otherwise, few` = list(spread = 0.25, weak = 0, kept = c(0.2, 0.5), level = TRUE),
  `otherwise, close` = list(spread = 0.1, demand_sd = 1.8),
  `otherwise, close, few` = list(spread = 0.1, demand_sd = 1.8, weak = 0.01),
  `otherwise, scanned` = list(spread = 0.15, scan = TRUE))

simulate_otherwise <- function(kind, seed, n = 3000, days = 91) {
  how <- utils::modifyList(
    list(kept = c(0.3, 0.6), demand_sd = 1.3, gamma = FALSE, weak = 0.06, level = FALSE),
    otherwise_kinds[[kind]])
  set.seed(seed * 17 + match(kind, names(otherwise_kinds)))
  top <- runif(1, 0.2, 0.35)
  fall <- runif(1, 0.9, 1.3)
  curve <- function(position) top * position^-fall * ifelse(position > 10.5, 0.75, 1)
  variance <- exp(how$spread^2) - 1
  q <- data.table(id = seq_len(n), page = sample(n %/% 6, n, TRUE),
    home = exp(runif(n, 0, log(25))), demand = 1.5 * exp(rnorm(n, 0, how$demand_sd)),
    factor = if (how$gamma) {
      rgamma(n, 1 / variance, 1 / variance)
    } else {
      exp(rnorm(n, -how$spread^2 / 2, how$spread))
    })
  q[, c("query", "kept", "low", "case") := list(sprintf("%s %s %d",
    sample(c("sow", "grow", "buy", "store"), n, TRUE),
    sample(c("red", "tall", "early", "old"), n, TRUE), id),
    1, "", "one page")]
  # Weak pages, then weak queries of other pages.
  weak <- sample(unique(q$page), round(how$weak * uniqueN(q$page)))
  q[page %in% weak, c("kept", "low") :=
    list(runif(length(weak), how$kept[1], how$kept[2])[match(page, weak)], "page")]
  alone <- sample(which(q$low == ""), round(0.02 * n))
  q[alone, c("kept", "low") := list(runif(length(alone), how$kept[1], how$kept[2]), "query")]
  cases <- sample(which(q$low == "" & q$home > 2 & q$home < 14))
  k <- 20
  for (case in c("swap", "split", "far second", "blip")) {
    at <- head(cases, k)
    cases <- cases[-seq_len(k)]
    set(q, at, c("case", "demand"), list(case, pmax(q$demand[at], 4)))
  }
  set(q, which(q$case == "split"), "home", runif(k, 9, 15))
  d <- CJ(id = q$id, day = seq_len(days))
  at <- d$id
  case <- q$case[at]
  turn <- c(7, 10, 14)[1 + at %% 3]
  away <- case == "swap" & ((d$day + at) %/% turn) %% 2 == 1
  drift <- pmax(1, q$home[at] * exp(0.06 * sin(d$day / 12 + at) + rnorm(length(at), 0, 0.05)))
  own <- sprintf("https://www.fernmoor.example/p/%d/", q$page)
  other <- sprintf("https://www.fernmoor.example/other/%d/", q$id)
  shows <- function(use, page, position, share) data.table(id = at[use], day = d$day[use],
    page = page[at[use]], position = round(position[use], 1), share = share)
  shown <- rbind(shows(!away, own, drift + ifelse(how$level & case == "swap", 5, 0), 1),
    shows(away, other, drift + 5, 1), shows(case == "split", other, drift + 1, 0.9),
    shows(case == "far second", other, drift + 35, 1),
    shows(case == "blip" & d$day %in% 40:41, other, pmax(1, drift - 1), 0.7))
  shown[, "impressions" := rpois(.N, q$demand[id] * share * ifelse(position > 10.5, 0.6, 1))]
  shown <- shown[shown$impressions > 0]
  shown[, "usual" := pmin(0.9, (if (is.null(how$scan)) {
    curve(position)
  } else {
    # How many are still reading: those above were liked, or the searcher gave up.
    0.3 * exp(-(position - 1) * rgamma(n, 25, 100)[id]) * ifelse(position > 10.5, 0.6, 1)
  }) * q$factor[id])]
  shown[, "clicks" := rbinom(.N, impressions, usual * q$kept[id])]
  month <- 30 / 90
  recent <- shown[shown$day > days - 90]
  low <- recent[, .(gain = month * sum(impressions * usual * (1 - q$kept[id]))),
    by = c("id", "page")][gain > 0]
  swaps <- recent[q$case[recent$id] == "swap",
    .(gain = month * (sum(impressions) *
      mean(curve(pmax(1, q$home[id[1]] * exp(0.06 * sin(1:60))))) * q$factor[id[1]] - sum(clicks))),
    by = "id"]
  known <- recent[, .(clicks = sum(clicks), expected = sum(impressions * usual) / q$factor[id[1]],
    query = q$query[id[1]]),
    by = c("id", "page")]
  list(known = known, made = list(spread = how$spread, gamma = how$gamma, page_spread = 0,
    kept = how$kept, kept_alone = how$kept, weak = how$weak, alone = 0.02, month = month),
    rows = shown[, .(date = as.IDate("2026-01-01") + day, query = q$query[id], page, clicks,
      impressions, position)],
    queries = q, curve = curve, low = data.table(query = q$query[low$id], low[, c("page", "gain")]),
    swaps = data.table(query = q$query[swaps$id], gain = swaps$gain), brand = FALSE)
}
