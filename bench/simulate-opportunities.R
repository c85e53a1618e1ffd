# Made-up sites whose opportunities are known: weak pages and weak queries, topics that the results
# page holds back, queries whose pages swap or split, and look-alikes that harm nobody. Places are
# whole, a row averages them; the curve is of no fitted family (true_curve() of simulate-site.R).
suppressPackageStartupMessages(library(data.table))

opportunity_kinds <- list(plain = list(queries = 3000, days = 91, demand = 1),
  small = list(queries = 600, days = 60, demand = 2),
  `brand-heavy` = list(queries = 2000, days = 91, demand = 1, brand = 80),
  seasonal = list(queries = 2000, days = 182, demand = 0.8, season = 0.7),
  `mixed devices` = list(queries = 2000, days = 91, demand = 1, devices = TRUE),
  `many features` = list(queries = 2000, days = 91, demand = 1, topics_held = 12))

simulate_opportunities <- function(kind, seed) {
  how <- opportunity_kinds[[kind]]
  curve <- true_curve(seed)
  set.seed(seed * 13 + match(kind, names(opportunity_kinds)))
  n <- how$queries
  sd <- runif(1, 0.2, 0.35)
  topics <- n %/% 15
  q <- data.table(topic = sample(topics, n, TRUE), half = sample(0:1, n, TRUE))
  q[, page :=
    sprintf("https://www.fernmoor.example/%s/item-%d/", c("shop", "guides")[1 + half], topic)]
  q[, query := sprintf("%s%s crop %d",
    sample(c("buy", "how to grow", "best", "dwarf", "early", "red"), n, TRUE),
    sample(c("", " green", " tall", " giant", " sweet", " old", " late", " white"), n, TRUE),
    topic)]
  q[, query := gsub(" +", " ", query)]
  q <- q[!duplicated(query)]
  n <- nrow(q)
  q[, demand := how$demand * exp(rnorm(n, 0, 1.5))]
  q[, home := exp(runif(n, 0, log(35)))]
  q[, wander := runif(n, 0.02, 0.15)]
  q[, factor := exp(rnorm(n, -sd^2 / 2, sd)) * exp(rnorm(topics * 2, 0, 0.1))[topic * 2 - half]]
  # What can be mended: pages with a weak snippet, queries that their page does not answer.
  weak <- sample(unique(q$page), round(0.06 * uniqueN(q$page)))
  q[, kept := ifelse(page %in% weak, runif(length(weak), 0.25, 0.55)[match(page, weak)], 1)]
  q[, low := ifelse(page %in% weak, "page", "")]
  alone <- sample(which(q$kept == 1), round(0.03 * n))
  q[alone, c("kept", "low") := list(runif(length(alone), 0.15, 0.4), "query")]
  # What cannot: topics whose results pages answer by themselves.
  held <- sample(topics, if (is.null(how$topics_held)) 3 else how$topics_held)
  q[, feature := ifelse(topic %in% held, 0.5, 1)]
  brand <- if (is.null(how$brand)) 0 else how$brand
  q[, is_brand := seq_len(n) <= brand]
  q[is_brand == TRUE, c("query", "home", "kept", "low", "feature", "demand") :=
    list(paste("fernmoor", query), runif(brand, 1, 1.5), 1, "", 1, demand * 8)]
  free <- sample(which(!q$is_brand & q$low == "" & q$feature == 1))
  q[, case := "one page"]
  take <- function(k, what, home = NULL, demand) {
    rows <- head(free, k)
    k <- length(rows)
    free <<- setdiff(free, rows)
    set(q, rows, "case", what)
    if (!is.null(home)) set(q, rows, "home", home(k))
    set(q, rows, "demand", pmax(demand * how$demand * 2, q$demand[rows]))
  }
  k <- max(5, n %/% 150)
  take(k, "swap", function(k) runif(k, 2.5, 9), demand = 8)
  take(k, "split", function(k) runif(k, 9, 16), demand = 4)
  take(2 * k, "far second", function(k) runif(k, 2, 9), demand = 2)
  take(k, "blip", function(k) runif(k, 2, 12), demand = 2)
  take(k, "both top", function(k) runif(k, 1, 1.5), demand = 2)
  take(k, "sections", function(k) runif(k, 1, 9), demand = 2)
  take(k, "languages", function(k) runif(k, 2, 9), demand = 2)
  q[is_brand == TRUE, "case" := "brand links"]

  days <- how$days
  d <- CJ(id = seq_len(n), day = seq_len(days))
  id <- d$id
  case <- q$case[id]
  centre <- q$home[id] * exp(q$wander[id] * (0.6 * sin(d$day / 15 + id) + 0.4 * rnorm(length(id))))
  stretch <- ((d$day - 1) %/% 7 + id) %/% (2 + id %% 3)
  away <- case == "swap" & stretch %% 2 == 1
  shows <- function(use, page, centre, share) {
    if (any(use)) {
      data.table(id = id[use], day = d$day[use], page = page[id[use]],
        centre = pmax(1, centre[use]), share = share)
    }
  }
  other <- sub("/(shop|guides)/", "/journal/", q$page)
  about <- rep("https://www.fernmoor.example/about/", n)
  shown <- rbind(shows(!away, q$page, centre, 1), shows(away, q$page, centre + 14, 0.15),
    shows(away, other, centre + 4, 1), shows(case == "swap" & !away, other, centre + 14, 0.15),
    shows(case == "split", other, centre * 1.1 + 0.5, 0.8),
    shows(case == "far second", other, centre + 42, 1),
    shows(case == "blip" & d$day %% 60 %in% 30:31, other, centre - 0.5, 0.6),
    shows(case == "both top", other, centre + 1, 0.9),
    shows(case == "sections", paste0(q$page, "#care"), centre, 0.4),
    shows(case == "languages", sub("example/", "example/de/", q$page), centre + 2, 0.3),
    shows(case == "brand links", about, centre + 1, 0.6))
  id <- shown$id
  season <- if (is.null(how$season)) 1 else 1 + how$season * sin(2 * pi * shown$day / 365)
  shown[, "impressions" :=
    rpois(nrow(shown), q$demand[id] * season * shown$share * ifelse(shown$centre > 10.5, 0.5, 1))]
  shown <- shown[shown$impressions > 0]
  phone <- if (!is.null(how$devices)) runif(nrow(shown)) < 0.6
  # One line an impression.
  row <- rep(seq_len(nrow(shown)), shown$impressions)
  at <- shown$id[row]
  blurred <- function(centre) pmin(100, pmax(1, round(centre)))
  place <- blurred(shown$centre[row] + rnorm(length(row)) * (0.2 + 0.08 * shown$centre[row]))
  lift <- if (is.null(phone)) 1 else ifelse(phone, 0.85, 1.2)[row]
  usual <-
    pmin(0.95, curve[place] * q$factor[at] * q$feature[at] * lift * ifelse(q$is_brand[at], 2, 1))
  clicked <- runif(length(row)) < usual * q$kept[at]
  shown[, c("clicks", "position", "usual", "missed") := list(
    as.vector(rowsum(as.numeric(clicked), row)),
    round(as.vector(rowsum(place, row)) / shown$impressions, 2), as.vector(rowsum(usual, row)),
    as.vector(rowsum(usual * (1 - q$kept[at]), row)))]
  if (!is.null(phone)) shown[, "device" := ifelse(phone, "mobile", "desktop")]

  month <- 30 / min(days, 90)
  recent <- shown[shown$day > days - 90]
  low <- recent[, .(gain = month * sum(missed)), by = c("id", "page")][gain > 0]
  # A swapping query with its better page always leading: all searches of the leading days at that
  # page's place.
  swaps <- recent[q$case[recent$id] == "swap",
    .(searches = sum(impressions[share == 1]), clicks = sum(clicks)), by = "id"]
  earned <- vapply(swaps$id, function(i) mean(curve[blurred(q$home[i] *
    exp(q$wander[i] * 0.6 * sin(1:60)) + qnorm(ppoints(60)) * (0.2 + 0.08 * q$home[i]))]),
    0)
  swaps[, "gain" := month * (swaps$searches * earned * q$factor[swaps$id] - swaps$clicks)]
  known <- recent[,
    .(clicks = sum(clicks), expected = sum(usual) / q$factor[id[1]], query = q$query[id[1]]),
    by = c("id", "page")]
  list(known = known, made = list(spread = sd, gamma = FALSE, page_spread = 0.1,
    kept = c(0.25, 0.55), kept_alone = c(0.15, 0.4), weak = 0.06, alone = 0.03, month = month),
    rows = data.table(date = as.IDate("2026-01-01") + shown$day, query = q$query[shown$id],
      shown[, intersect(c("page", "device", "clicks", "impressions", "position"), names(shown)),
        with = FALSE]),
    queries = q, low = data.table(query = q$query[low$id], low[, c("page", "gain")]),
    swaps = data.table(query = q$query[swaps$id], gain = swaps$gain), brand = brand > 0)
}
