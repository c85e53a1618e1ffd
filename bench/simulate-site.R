# Made-up sites of known truth for the simulation studies. Each impression has a whole place; a row
# averages its places. CTR by place is a table with kinks that no fitted family has; queries differ
# by a lognormal factor, demand is heavy-tailed.
suppressPackageStartupMessages(library(data.table))

site_kinds <- list(
  small = list(queries = 250, days = 60, demand = 0.4),
  large = list(queries = 6000, days = 91, demand = 0.2),
  `brand-heavy` = list(queries = 1500, days = 91, demand = 0.5, brand = 60),
  seasonal = list(queries = 1500, days = 200, demand = 0.4, season = 0.8),
  `capped export` = list(queries = 20000, days = 91, demand = 0.3, cap = 1000),
  `capped undated` = list(queries = 8000, days = 91, demand = 0.2, cap = 1000, undated = TRUE),
  `capped queries` = list(queries = 8000, days = 91, demand = 0.2, cap = 1000, undated = TRUE,
    no_pages = TRUE),
  `mixed devices` = list(queries = 1500, days = 91, demand = 0.5, devices = TRUE),
  `many features` = list(queries = 1500, days = 91, demand = 0.5, features = 0.3),
  undated = list(queries = 2500, days = 91, demand = 0.5, undated = TRUE),
  `between places` = list(queries = 1500, days = 91, demand = 0.5, between = TRUE),
  `private queries` = list(queries = 4000, days = 91, demand = 0.2, private = 30))

true_curve <- function(seed) {
  set.seed(1000 + seed)
  # Steps of random size that never rise, a cliff after the first page.
  falls <- c(runif(3, 0.3, 0.75), runif(6, 0.05, 0.35), runif(1, 0.4, 0.9), runif(89, 0.01, 0.08))
  runif(1, 0.18, 0.38) * exp(-cumsum(c(0, falls)))
}

simulate_site <- function(kind, seed) {
  how <- site_kinds[[kind]]
  curve <- true_curve(seed)
  set.seed(seed * 7 + match(kind, names(site_kinds)))
  n <- how$queries
  sd <- runif(1, 0.35, 0.6)
  factor <- exp(rnorm(n, -sd^2 / 2, sd))
  if (!is.null(how$features)) factor <- factor * ifelse(runif(n) < how$features, 0.5, 1)
  demand <- how$demand * exp(rnorm(n, 0, 1.7))
  home <- exp(runif(n, 0, log(30)))
  wander <- runif(n, 0.02, 0.25)
  # One day stands for all, where only the cap is of interest.
  at_once <- !is.null(how$cap) && is.null(how$undated)
  days <- if (at_once) 1 else how$days
  d <- CJ(q = seq_len(n), day = seq_len(days))
  season <- if (is.null(how$season)) 1 else 1 + how$season * sin(2 * pi * d$day / 365)
  volume <- demand[d$q] * if (at_once) how$days else 1
  d[, impressions := rpois(.N, volume * season * ifelse(home[q] > 10.5, 0.5, 1))]
  d <- d[impressions > 0]
  phone <- if (is.null(how$devices)) NULL else runif(nrow(d)) < 0.6
  drift <- exp(wander[d$q] * (0.6 * sin(d$day / 15 + d$q) + 0.4 * rnorm(nrow(d))))
  # One line an impression.
  each <- data.table(row = rep(seq_len(nrow(d)), d$impressions))
  centre <- (home[d$q] * drift)[each$row]
  each[, place := pmin(100, pmax(1, round(centre + rnorm(.N) * (0.2 + 0.12 * centre))))]
  # An export of smoothed positions: a whole row stands at one point between places.
  if (!is.null(how$between)) each[, place := pmin(100, pmax(1, centre))]
  ctr_at <- function(place) exp(approx(log(1:100), log(curve), log(place))$y)
  lift <- if (is.null(phone)) 1 else ifelse(phone, 0.8, 1.25)[each$row]
  brand <- if (is.null(how$brand)) rep(FALSE, n) else seq_len(n) <= how$brand
  each[, clicked := runif(.N) <
    pmin(0.95, ctr_at(place) * factor[d$q[row]] * lift * ifelse(brand[d$q[row]], 2.2, 1))]
  sums <- each[, .(clicks = sum(clicked), position = round(mean(place), 2)), by = "row"]
  d[, c("clicks", "position") := list(sums$clicks, sums$position)]
  if (!is.null(phone)) d[, device := ifelse(phone, "mobile", "desktop")]
  d[, query := ifelse(brand[q], sprintf("fernmoor %d", q), sprintf("query %d", q))]
  d[, page := sprintf("https://www.fernmoor.example/p%d/", q %/% 4)]
  d[, date := as.IDate("2026-01-01") + day]
  rows <- d[,
    c("date", "query", "page", if (!is.null(phone)) "device", "clicks", "impressions", "position"),
    with = FALSE]
  # Queries seen too rarely are left out, as exports do for the sake of privacy.
  if (!is.null(how$private)) {
    rows <- rows[rows[, .I[sum(impressions) >= how$private], by = "query"]$V1]
  }
  if (!is.null(how$undated) || !is.null(how$cap)) {
    rows <- rows[, .(clicks = sum(clicks),
      position = round(sum(position * impressions) / sum(impressions), 1),
      impressions = sum(impressions)),
      by = c("query", if (is.null(how$no_pages)) "page")]
  }
  if (!is.null(how$cap)) {
    setorderv(rows, c("clicks", "impressions"), c(-1L, -1L))
    rows <- head(rows, how$cap)
  }
  # What an average query of the site earns at each place.
  level <- mean(factor[!brand]) * if (is.null(phone)) 1 else mean(ifelse(phone, 0.8, 1.25))
  list(rows = rows, truth = curve * level, brand = any(brand))
}
