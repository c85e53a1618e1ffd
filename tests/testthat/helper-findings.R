# Findings made by hand, and what is found in made-up rows.

finding <- function(kind, done, claims, confidence = 0.9, chance = 1, low = done / 2,
    high = done * 2, work = paste(kind, claims[1])) {
  data.table(kind = kind, query = paste(kind, done), page = "/a", pages = "/a", clicks = 1,
    impressions = 10, ctr = 0.1, position = 5, expected_ctr = 0.2, if_done = done,
    if_done_low = low, if_done_high = high, confidence = confidence, chance = chance,
    action = paste("Do", done), reason = "Because.", claims = list(claims),
    identity = paste(kind, paste(claims, collapse = "-")), work = work, how = list("by hand"),
    hours = c(low_ctr = 1, striking_distance = 4, cannibalized = 3, falling = 2)[[kind]])
}

kind_of <- function(rows, kind, ...) {
  tide_find(tide_summary(as_data(rows), ...), kind = kind)$findings
}

# A site of rows by day, whose queries can be changed.
by_day <- function(change, queries = 150, days = 63, seed = 3) {
  rows <- made_site(queries = queries, days = days, seed = seed, demand = rep(8, queries))
  change(rows)
}
