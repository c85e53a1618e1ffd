# Made-up sites that change within the window, of known truth: see simulate-changes.R.
changes <- list(`pages only` = list(), `rankings move` = list(rankings = TRUE),
  outage = list(outage = TRUE), `site loses a quarter` = list(site = 0.75),
  `changed late` = list(day = 70), `thin` = list(demand = 0.25), nothing = list(nothing = TRUE))

changed_site <- function(what, seed) {
  how <- changes[[what]]
  curve <- true_curve(seed)
  set.seed(seed * 17 + match(what, names(changes)))
  pages <- 250
  page <- data.table(page = seq_len(pages), case = "as usual", kept = 1,
    day = if (is.null(how$day)) sample(30:60, pages, TRUE) else how$day)
  picked <- sample(pages, 40)
  if (is.null(how$nothing)) {
    page[picked[1:12], c("case", "kept") := list("became weak", runif(12, 0.3, 0.6))]
    page[picked[13:24], c("case", "kept") := list("mended", runif(12, 0.3, 0.6))]
    page[picked[25:36], c("case", "kept") := list("weak", runif(12, 0.3, 0.6))]
  }
  q <- data.table(page = sample(pages, 1800, TRUE))
  n <- nrow(q)
  crops <- c("bean", "pea", "kale", "leek", "beet", "squash", "chard", "okra", "swede", "endive")
  q[, c("id", "home", "demand", "factor") := list(seq_len(n), exp(runif(n, 0, log(25))),
    (if (is.null(how$demand)) 1 else how$demand) * exp(rnorm(n, 0.3, 1.3)),
    exp(rnorm(n, -0.03, 0.22)) * exp(rnorm(pages, 0, 0.08))[page])]
  q[, "query" := sprintf("%s %s %d", sample(c("red", "early", "dwarf", "giant", "old"), n, TRUE),
    crops[1 + page %% 10], id)]
  d <- CJ(id = q$id, day = 1:90)
  at <- q[d$id]
  case <- page$case[at$page]
  day <- page$day[at$page]
  kept <- fcase(
    case == "weak" | case == "became weak" & d$day > day | case == "mended" & d$day <= day,
    page$kept[at$page], rep(TRUE, nrow(d)), 1)
  centre <- at$home * exp(0.1 * sin(d$day / 15 + d$id) + 0.08 * rnorm(nrow(d)))
  if (!is.null(how$rankings)) {
    centre <- centre * exp(rnorm(n, 0.1, 0.35))[d$id]^(d$day > 45)
  }
  d[, "impressions" :=
    rpois(.N, at$demand * ifelse(centre > 10.5, 0.6, 1) * (1 + 0.2 * sin(2 * pi * day / 7)))]
  if (!is.null(how$outage)) d <- d[!d$day %in% 40:42]
  keep <- d$impressions > 0
  if (!is.null(how$outage)) {
    kept <- kept[rep(1:90, n) %in% setdiff(1:90, 40:42)]
    centre <- centre[rep(1:90, n) %in% setdiff(1:90, 40:42)]
    at <- q[d$id]
  }
  d <- d[keep]
  at <- at[keep]
  kept <- kept[keep]
  place <- pmin(100, pmax(1, centre[keep]))
  ctr <- exp(approx(log(1:100), log(curve), log(place))$y) * at$factor
  if (!is.null(how$site)) ctr <- ctr * ifelse(d$day > 45, how$site, 1)
  d[, c("clicks", "position", "missed") := list(rbinom(.N, impressions, pmin(0.9, ctr * kept)),
    round(place, 1), impressions * pmin(0.9, ctr) * (1 - kept))]
  last <- d[d$day > page$day[at$page] & page$case[at$page] != "mended"]
  month <- last[, .(won = sum(missed)), by = "id"]
  month[, "won" := won * 30 / (90 - page$day[q$page[id]])]
  list(rows = data.table(date = as.IDate("2026-01-01") + d$day, query = at$query,
    page = sprintf("https://www.fernmoor.example/p/%d/", at$page), clicks = d$clicks,
    impressions = d$impressions, position = d$position),
    truth = data.table(query = q$query, case = page$case[q$page],
      won = month$won[match(q$id, month$id)]))
}
