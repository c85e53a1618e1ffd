# Made-up sites whose searchers obey no curve: each reads to a depth of their own (phones less far),
# weighs the results they read against each other and against giving up, and clicks one. Queries
# differ by heavy tails, days by clusters of clicks, places from person to person. What happens to
# a site besides is a situation, by name; what is planted is known.
suppressPackageStartupMessages(library(data.table))

situations <- list(whole = list(), nothing = list(weak = 0, swaps = 0),
  clicked = list(cut = "clicked"), best = list(cut = "best"),
  undated = list(cut = "undated"), `undated clicked` = list(cut = "undated clicked"),
  `two places` = list(two = 0.35),
  features = list(features = 8, became_weak = TRUE), ads = list(ads = 0.6, became_weak = TRUE),
  `held topics` = list(held = 8), `became weak` = list(became_weak = TRUE),
  moved = list(moved = 0.5), news = list(news = 0.15), countries = list(abroad = 1.6),
  `long tail` = list(tail = TRUE))

# CTR of a result by place (rows 1 to 60), log of its appeal (columns), where the others have the
# usual one: searchers read `depth` results or more with a chance that falls by the place.
appeal_grid <- seq(-3, 3, by = 0.1)

reader_ctr <- function(depth, patience) {
  places <- 1:60
  reads_to <- exp(-((places - 1) / depth)^0.75)
  reads_to[places > 10] <- reads_to[places > 10] * 0.5
  stops_at <- reads_to - c(reads_to[-1], 0)
  vapply(appeal_grid, function(a) {
    share <- exp(a) / (exp(a) + places - 1 + patience)
    vapply(places, function(k) sum((stops_at * share)[k:60]), 0)
  }, numeric(60))
}

reader_site <- function(situation, seed, n = 1500, days = 90) {
  how <- utils::modifyList(list(weak = 0.06, swaps = 15, two = 0, cut = ""),
    situations[[situation]])
  set.seed(seed * 31 + 7)
  ctr <- list(reader_ctr(runif(1, 3, 5), runif(1, 1.2, 2)),
    reader_ctr(runif(1, 2, 3), runif(1, 1, 1.6)))
  topics <- c("bean", "pea", "kale", "leek", "beet", "squash", "chard", "okra", "swede", "endive",
    "fennel", "sorrel", "cress", "turnip", "radish", "celery", "carrot", "onion", "garlic", "melon")
  pages <- n %/% 6
  p <- data.table(page = seq_len(pages), topic = sample(length(topics), pages, TRUE),
    shop = runif(pages) < 0.5, kept = 1, from = 0, born = -Inf, gone = Inf)
  weak <- sample(pages, round(how$weak * pages))
  p[weak, "kept" := runif(length(weak), 0.35, 0.6)]
  if (!is.null(how$became_weak)) p[weak, "from" := sample(30:60, length(weak), TRUE)]
  q <- data.table(id = seq_len(n), page = sample(pages, n, TRUE),
    demand = (if (is.null(how$tail)) 3 else 0.05) *
    exp(rnorm(n, 0, if (is.null(how$tail)) 1.3 else 0.5)),
    home = exp(runif(n, 0, log(22))), appeal = 0.3 * rt(n, 4))
  if (!is.null(how$tail)) {
    q <- q[rep(seq_len(n), 12)]
    q[, c("id", "home", "appeal") := list(seq_len(.N), exp(runif(.N, 0, log(10))), 0.3 * rt(.N, 4))]
    n <- nrow(q)
  }
  q[, c("topic", "shop") := p[q$page, c("topic", "shop")]]
  q[, "query" := sprintf("%s %s %s %d", ifelse(shop, sample(c("buy", "cheap"), n, TRUE),
    sample(c("how to grow", "when to sow"), n, TRUE)),
    sample(c("red", "tall", "early", "old"), n, TRUE), topics[topic], id)]
  q[, c("kept", "case", "other") := list(1, "one page", NA_integer_)]
  # Results pages that take clicks: of whole topics, or since a day of half of a topic's queries.
  q[, c("taken", "taken_from") := list(1, 0)]
  if (!is.null(how$held)) q[topic %in% sample(20, how$held %/% 2), "taken" := 0.5]
  if (!is.null(how$features)) {
    q[topic %in% sample(20, how$features) & runif(n) < 0.5,
      c("taken", "taken_from") := list(0.5, 50)]
  }
  if (!is.null(how$ads)) q[q$shop, c("taken", "taken_from") := list(how$ads, 45)]
  steady <- which(p$kept[q$page] == 1 & q$home > 2 & q$home < 12)
  swaps <- sample(steady, min(how$swaps, length(steady)))
  q[swaps, c("case", "demand") := list("swap", pmax(demand, 6))]
  q[sample(setdiff(seq_len(n), swaps), round(how$two * n)), "case" := "two places"]
  if (!is.null(how$news)) {
    news <- sample(which(p$kept == 1), round(how$news * pages))
    p[news, "born" := sample(5:40, length(news), TRUE)]
    p[news, "gone" := born + 18]
  }
  moved <- if (is.null(how$moved)) integer() else sample(pages, round(how$moved * pages))
  d <- CJ(id = q$id, day = seq_len(days))
  own <- q[d$id]
  gone <- d$day < p$born[own$page] | d$day > p$gone[own$page]
  centre <- own$home * exp(0.07 * sin(d$day / 13 + d$id) + rnorm(nrow(d), 0, 0.05))
  away <- own$case == "swap" & ((d$day + d$id) %/% c(7, 10, 14)[1 + d$id %% 3]) %% 2 == 1
  section <- ifelse(p$shop, "shop", "guides")[own$page]
  address <- sprintf("https://www.fernmoor.example/%s/%s-%d/", section, topics[own$topic], own$page)
  address[away] <- sprintf("https://www.fernmoor.example/journal/%d/", own$id[away])
  hand_over <- own$page %in% moved & d$day > 45
  address[hand_over] <- sub("example/", "example/new/", address[hand_over])
  centre <- centre + ifelse(away, 5, 0)
  # Most of a query's searchers are of one country.
  country <- if (!is.null(how$abroad)) {
    ifelse((own$id %% 10 < 3) == (runif(nrow(d)) < 0.9), "deu", "gbr")
  }
  shown <- rpois(nrow(d), own$demand * ifelse(centre > 10.5, 0.6, 1)) * !gone
  row <- rep(seq_len(nrow(d)), shown)
  at <- own[row]
  phone <- runif(length(row)) < 0.6
  apart <- at$case == "two places"
  near <- runif(length(row)) < 0.5
  place <- ifelse(apart, ifelse(near, 1 + 2 * (at$id %% 21) / 21, 15 + at$id %% 6), centre[row])
  place <- pmin(60, pmax(1, round(place * exp(rnorm(length(row), 0, 0.2)))))
  kept <- ifelse(d$day[row] >= p$from[at$page], p$kept[at$page], 1) *
    ifelse(d$day[row] >= at$taken_from, at$taken, 1)
  column <- 1 + round((pmin(3, pmax(-3, at$appeal)) + 3) / 0.1)
  chance <- ifelse(phone, ctr[[2]][cbind(place, column)], ctr[[1]][cbind(place, column)])
  if (!is.null(country)) chance <- pmin(0.95, chance * ifelse(country[row] == "deu", how$abroad, 1))
  cluster <- rgamma(nrow(d), 12, 12)
  clicked <- runif(length(row)) < pmin(0.97, chance * kept * cluster[row])
  missed <- chance * (1 - p$kept[at$page]) * ifelse(d$day[row] >= at$taken_from, at$taken, 1)
  d[, c("query", "page", "impressions") := list(own$query, address, shown)]
  if (!is.null(country)) d[, "country" := country]
  d <- d[shown > 0]
  d[, c("clicks", "position", "usual", "lost") := list(rowsum(+clicked, row)[, 1],
    round(rowsum(place, row)[, 1] / impressions, 1), rowsum(chance, row)[, 1],
    rowsum(missed, row)[, 1])]
  # What is missed in 30 days is what the last thirty miss.
  truth <- d[, .(clicks = sum(clicks), usual = sum(usual), lost = sum(lost[day > days - 30]),
    position = weighted.mean(position, impressions)), by = c("id", "query", "page")]
  truth[, "weak" := p$kept[q$page[id]] < 1]
  rows <- cut_rows(d, how$cut)
  # What an average query earns at each place.
  mean_ctr <- Reduce(`+`, lapply(1 + round((pmin(3, pmax(-3, 0.3 * rt(4000, 4))) + 3) / 0.1),
    function(k) 0.6 * ctr[[2]][, k] + 0.4 * ctr[[1]][, k])) / 4000
  if (!is.null(country)) mean_ctr <- mean_ctr * (1 + (how$abroad - 1) * 0.34)
  list(rows = rows, truth = truth, curve = mean_ctr, queries = q, pages = p, whole = d)
}

cut_rows <- function(d, cut) {
  columns <- c("query", "page", if ("country" %in% names(d)) "country", "clicks", "impressions",
    "position")
  out <- data.table(date = as.IDate("2026-01-01") + d$day, d[, columns, with = FALSE])
  if (cut == "clicked") return(out[out$clicks > 0])
  if (cut == "best") {
    most <- round(0.35 * nrow(out) / length(unique(out$date)))
    setorderv(out, c("date", "clicks", "impressions"), c(1L, -1L, -1L))
    return(out[, head(.SD, most), by = "date"])
  }
  if (!nzchar(cut)) return(out)
  out <- out[, .(clicks = sum(clicks), position = round(weighted.mean(position, impressions), 1),
    impressions = sum(impressions)), by = c("query", "page")]
  if (cut == "undated clicked") out[out$clicks > 0] else out[]
}
