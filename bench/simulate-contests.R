# Simulation study of cannibalized queries: what is listed of each way in which pages of a site can
# stand beside each other, 40 queries each beside 1,500 of one page. Positions are points with one
# decimal, daily; queries differ by a log-normal factor of 0.25.
#   R_LIBS=.build/library Rscript bench/simulate-contests.R [SEEDS]
source("bench/simulate-helpers.R")

# away: days on which the other page has the lead, from the day and the number of its week; own,
# other: places that a page stands below where it would by itself; beside: how often the page that
# has not the lead is shown too, and where.
turns <- list(`by the week` = list(away = function(day, week) week %% 2 == 1, other = 4),
  `by the week, level` = list(away = function(day, week) week %% 2 == 1, own = 4, other = 4),
  `by the week, one at a time` = list(away = function(day, week) week %% 2 == 1, other = 4,
    beside = 0),
  `by three weeks` = list(away = function(day, week) (week %/% 3) %% 2 == 1, other = 4),
  `by the day` = list(away = function(day, week) runif(length(day)) < 0.5, other = 4),
  `by the week, settled for 20 days` = list(
    away = function(day, week) week %% 2 == 1 & day <= 71, other = 4),
  `by the week, lost for 20 days` = list(
    away = function(day, week) week %% 2 == 1 | day > 71, other = 4),
  `once, half way` = list(away = function(day, week) day > 45, other = 4),
  `once, of late` = list(away = function(day, week) day > 75, other = 4))

# Pages that stand beside the first: where (places below it), in which share of searches, in which
# share of days; kept: what is left of the first one's clicks.
besides <- list(`split, both` = list(home = c(7.5, 12), places = 1.5, share = 0.9),
  `split, one or other` = list(home = c(7.5, 12), places = 1, half = TRUE),
  `split, page two` = list(home = c(10.5, 15), places = 1.5, share = 0.9),
  `far down` = list(places = 40), `few impressions` = list(places = 5, share = 0.05),
  `a day` = list(places = -1, days = 50), `five days` = list(places = -1, days = 50:54),
  language = list(places = 1, share = 0.4,
    page = function(own, id, query) sub("example/", "example/de/", own)),
  section = list(share = 0.5, page = function(own, id, query) paste0(own, "#care")),
  spelling = list(share = 0.3, page = function(own, id, query) sub("/$", "",
    sub("https://www.", "http://", own, fixed = TRUE))),
  beneath = list(home = c(3, 7), places = 1.2, share = 0.9,
    page = function(own, id, query) paste0(own, "part-x", id, "/")),
  brand = list(places = 1, share = 0.8, word = "fernmoor",
    page = function(own, id, query) "https://www.fernmoor.example/about/"),
  `both at the top` = list(home = c(1, 1.8), places = 1, share = 0.9),
  `one leads` = list(home = c(3, 5), places = 3, share = 0.9),
  `one leads, wavering` = list(home = c(3, 5), places = 4, waver = 2),
  `one leads, with gaps` = list(home = c(3, 5), places = 4, gaps = 0.5),
  `one leads, seldom seen` = list(home = c(3, 5), places = 4, demand = 0.8),
  `words of the other match, passed by` = list(home = c(2, 6), places = 4,
    page = function(own, id, query) named_after(query), kept = 0.5),
  `words of the other match, clicked as usual` = list(home = c(2, 6), places = 4,
    page = function(own, id, query) named_after(query)))

named_after <- function(query) sprintf("https://www.fernmoor.example/%s/", gsub(" ", "-", query))

or <- function(value, default) if (is.null(value)) default else value

one <- function(seed) {
  set.seed(seed)
  curve <- approxfun(c(1:10, 11, 80),
    c(0.29, 0.155, 0.105, 0.075, 0.056, 0.043, 0.034, 0.028, 0.023, 0.02, 0.009, 0.001), rule = 2)
  cases <- c(names(turns), names(besides))
  how_of <- c(turns, besides)
  q <- data.table(case = c(rep(cases, each = 40), rep("one page", 1500)))
  n <- nrow(q)
  q[, c("id", "demand", "home", "factor") := list(seq_len(n), pmin(60, 2 + exp(rnorm(n, 1, 1))),
    exp(runif(n, log(2.5), log(13))), exp(rnorm(n, -0.03, 0.25)))]
  q[, "query" := sprintf("%s %s %d", sample(c("red", "early", "dwarf", "giant"), n, TRUE),
    sample(c("bean", "pea", "kale", "leek"), n, TRUE), id)]
  own <- sprintf("https://www.fernmoor.example/p/%d/", sample(400, n, TRUE))
  shown <- rbindlist(lapply(split(q, by = "case"), function(at) {
    how <- how_of[[at$case[1]]]
    if (!is.null(how$home)) set(at, j = "home", value = runif(nrow(at), how$home[1], how$home[2]))
    if (!is.null(how$demand)) set(at, j = "demand", value = how$demand)
    if (!is.null(how$word)) set(at, j = "query", value = paste(how$word, at$query))
    d <- at[rep(seq_len(nrow(at)), each = 91)]
    day <- rep(1:91, nrow(at))
    place <- pmax(1, d$home + rnorm(nrow(d), 0, 0.3 + 0.05 * d$home))
    first <- own[d$id]
    second <- if (is.null(how$page)) {
      sprintf("https://www.fernmoor.example/o/x%d/", d$id)
    } else {
      how$page(first, d$id, d$query)
    }
    rows <- function(use, page, position, share = 1) data.table(query = d$query, day, page,
      position, share = share, demand = d$demand,
      factor = d$factor * ifelse(page == first, or(how$kept, 1), 1))[use]
    any_day <- rep(TRUE, nrow(d))
    if (at$case[1] %in% names(turns)) {
      away <- how$away(day, (day + d$id) %/% 7)
      also <- runif(nrow(d)) < or(how$beside, 0.3)
      leader <- place + ifelse(away, how$other, or(how$own, 0))
      return(rbind(rows(any_day, ifelse(away, second, first), leader),
        rows(also, ifelse(away, first, second), place + 12, 0.5)))
    }
    if (is.null(how)) return(rows(any_day, first, place))
    part <- if (is.null(how$half)) or(how$share, 1) else 0.5
    beside <- if (is.null(how$days)) any_day else day %in% how$days
    if (!is.null(how$gaps)) beside <- runif(nrow(d)) < how$gaps
    rbind(rows(any_day, first, place, if (is.null(how$half)) 1 else 0.5),
      rows(beside, second, pmax(1, place + or(how$places, 0) + rnorm(nrow(d), 0, or(how$waver, 0))),
        part))
  }))
  shown[, "impressions" := rpois(.N, demand * share * ifelse(position > 10.5, 0.6, 1))]
  shown <- shown[shown$impressions > 0]
  shown[, "position" := round(pmax(1, position + rnorm(.N, 0, 0.5 / sqrt(impressions))), 1)]
  shown[, "clicks" := rbinom(.N, impressions, pmin(0.9, curve(position) * factor))]
  rows <- shown[, c("query", "page", "clicks", "impressions", "position")]
  found <- function(rows) {
    list <- tidy(tide_find(tide_summary(as_data(rows), brand = "fernmoor"), kind = "cannibalized",
      min_gain = 0))
    said <- unique(list$query)
    q[, .(listed = mean(query %in% sub("^fernmoor ", "", said))), by = "case"]
  }
  undated <- rows[, .(clicks = sum(clicks),
    position = round(sum(impressions * position) / sum(impressions), 1),
    impressions = sum(impressions)),
    by = c("query", "page")]
  merge(found(cbind(date = as.IDate("2026-01-01") + shown$day, rows)), found(undated), by = "case",
    sort = FALSE, suffixes = c("", "_undated"))[, "seed" := seed][]
}
results <- rbindlist(parallel::mclapply(seeds, one, mc.cores = parallel::detectCores()))
print(results[, .(listed = round(mean(listed), 2), undated = round(mean(listed_undated), 2)),
  by = "case"],
  nrows = 40)
