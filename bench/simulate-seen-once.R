# What is a query shown, where only rows by query and page are known? Searches of 40 queries over 60
# days, of which both tables are known: each search shows one, two or five pages of the site. Held
# against the truth: the sum of the pages' impressions, and the largest of them each day, which is
# what the package takes. Run: Rscript bench/simulate-seen-once.R
library(inktide)
library(data.table)

# ways: chance that a search shows the first page, and for each further page the chance that it is
# shown (beneath the first, or in its place where `turns`).
ways <- list(
  `one page` = list(first = 1, further = numeric()),
  `five links under one result` = list(first = 1, further = rep(0.95, 4)),
  `a second page in half of searches` = list(first = 1, further = 0.5),
  `pages take turns by days` = list(turns = "day"),
  `pages take turns within days, 80 to 20` = list(turns = 0.2),
  `pages take turns within days, half and half` = list(turns = 0.5))

searches_of <- function(way, queries = 40, days = 60, seed = 1) {
  set.seed(seed)
  rows <- CJ(query = seq_len(queries), date = seq_len(days))
  set(rows, j = "searches", value = rpois(nrow(rows), 20))
  shown <- if (is.null(way$turns)) {
    rbindlist(c(list(rows[, list(query, date, page = 1L, impressions = searches)]),
      lapply(seq_along(way$further), function(i) {
        rows[, list(query, date, page = i + 1L,
          impressions = rbinom(length(searches), searches, way$further[i]))]
      })))
  } else {
    share <- if (way$turns == "day") rbinom(nrow(rows), 1, 0.5) else as.numeric(way$turns)
    second <- rbinom(nrow(rows), rows$searches, share)
    rbind(rows[, list(query, date, page = 1L, impressions = searches - second)],
      rows[, list(query, date, page = 2L, impressions = second)])
  }
  shown <- shown[shown$impressions > 0]
  set(shown, j = c("clicks", "weighted"), value = list(0, shown$impressions * shown$page))
  list(truth = sum(rows$searches), rows = shown)
}

result <- rbindlist(lapply(names(ways), function(name) {
  rbindlist(lapply(1:3, function(seed) {
    made <- searches_of(ways[[name]], seed = seed)
    once <- inktide:::seen_once(made$rows, inktide:::seen_together(made$rows))
    data.table(way = name, sum = sum(made$rows$impressions) / made$truth,
      largest = sum(once$impressions) / made$truth)
  }))
}))
print(result[, list(sum = round(mean(sum), 2), largest = round(mean(largest), 2)), by = "way"])
