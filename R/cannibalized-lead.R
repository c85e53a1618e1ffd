# Who led when. Of the two pages that a query's clicks are shared by, the one that earned more leads
# a day; how sure that is follows from the day's impressions. Three courses are held against each
# other: one page leads throughout; the lead falls to either by chance from day to day; it changes
# hands for days on end (a hidden Markov chain, as in Rabiner 1989).

# Clicks that the curve expects of every day's row.
expect_days <- function(contest, summary, curve) {
  segment <- summary$queries$segment[contest$query]
  set(copy(contest), j = "expected", value = contest$impressions *
    curve_ctr(curve, contest$position, segment, 1, contest$impressions))
}

# In: days of several pages a query, with `expected`. Out: a list of matrices, a row a query and a
# column a day (`dates`): impressions, positions and expected clicks of the two pages that are
# expected to earn most (`first`, `second`).
rival_days <- function(days) {
  days <- set(copy(days), j = "weighted", value = days$impressions * days$position)
  totals <- sums_by(days, c("query", "page"), c("clicks", "expected", "impressions", "weighted"))
  add_ratios(totals)
  setorderv(totals, c("query", "expected", "page"), c(1L, -1L, 1L))
  set(totals, j = "place", value = rowid(totals$query))
  rivals <- totals[totals$place <= 2]
  queries <- unique(totals$query)
  dates <- sort(unique(days$date))
  days <- rivals[, c("query", "page", "place")][days, on = c("query", "page"), nomatch = NULL]
  spread_out <- function(nth, column, missing) {
    own <- days[which(days$place == nth)]
    out <- matrix(missing, length(queries), length(dates))
    out[cbind(match(own$query, queries), match(own$date, dates))] <- own[[column]]
    out
  }
  both <- function(column, missing = 0) lapply(1:2, spread_out, column = column, missing = missing)
  list(queries = queries, dates = dates, totals = totals, first = rivals[rivals$place == 1],
    second = rivals[rivals$place == 2], seen = both("impressions"),
    position = both("position", NA_real_), expected = both("expected"))
}

# Chance of each day that the first page is ahead of the second.
chances_ahead <- function(rivals) {
  noise <- sqrt(1 / (rivals$seen[[1]] + 1) + 1 / (rivals$seen[[2]] + 1) + assumed("lead_wavers")^2)
  # A page that was not seen that day would have earned something had it been.
  least <- 0.25 * (rivals$expected[[1]] + rivals$expected[[2]]) /
    pmax(rivals$seen[[1]] + rivals$seen[[2]], 1)
  ahead <-
    stats::pnorm(log((rivals$expected[[1]] + least) / (rivals$expected[[2]] + least)) / noise)
  ahead[rivals$seen[[1]] + rivals$seen[[2]] == 0] <- 0.5
  ahead
}

# In: a matrix of chances that the first is ahead, a row a query; the dates of its columns. Out:
# list(swaps: chance that the lead changed hands for days on end, twice or more; by_chance: chance
# that it fell to either from day to day; leads: matrix of chances that the first led, given the
# days around or, where it falls by chance, the day alone).
lead_probabilities <- function(ahead, dates) {
  ahead <- pmin(pmax(ahead, 1 - assumed("lead_surest_day")), assumed("lead_surest_day"))
  gaps <- as.numeric(diff(dates))
  turn <- pmin(1 - exp(-gaps / assumed("lead_lasts")), 0.4)
  forward <- changes_forward(ahead, turn)
  share <- rowMeans(ahead)
  logs <- cbind(throughout = log(0.5) + pmax(rowSums(log(ahead)), rowSums(log(1 - ahead))),
    by_chance = rowSums(log(share * ahead + (1 - share) * (1 - ahead))), lasting = forward$log)
  weights <- exp(logs - do.call(pmax, as.data.frame(logs)))
  weights <- weights / rowSums(weights)
  leads <- smooth_leads(ahead, turn)
  alone <- which(weights[, "by_chance"] > 0.5)
  leads[alone, ] <- (share * ahead / (share * ahead + (1 - share) * (1 - ahead)))[alone, ]
  list(swaps = weights[, "lasting"] * forward$twice, by_chance = weights[, "by_chance"],
    leads = leads)
}

# Likelihood of the chain, and the chance that it changed twice or more. States: who leads x changes
# so far (0, 1, more).
changes_forward <- function(ahead, turn) {
  first <- cbind(ahead[, 1], 0, 0) / 2
  second <- cbind(1 - ahead[, 1], 0, 0) / 2
  total <- log(rowSums(first) + rowSums(second))
  for (day in seq_along(turn)) {
    size <- rowSums(first) + rowSums(second)
    come_in <- function(from) cbind(0, from[, 1], from[, 2] + from[, 3]) * turn[day]
    next_first <- (first * (1 - turn[day]) + come_in(second)) * ahead[, day + 1] / size
    second <- (second * (1 - turn[day]) + come_in(first)) * (1 - ahead[, day + 1]) / size
    first <- next_first
    total <- total + log(rowSums(first) + rowSums(second))
  }
  list(log = total, twice = (first[, 3] + second[, 3]) / (rowSums(first) + rowSums(second)))
}

# Chance of each day that the first leads, from the days before and after (the forward-backward
# recursion).
smooth_leads <- function(ahead, turn) {
  days <- ncol(ahead)
  before <- ahead
  for (day in seq_along(turn)) {
    come <- before[, day] * (1 - turn[day]) + (1 - before[, day]) * turn[day]
    before[, day + 1] <-
      come * ahead[, day + 1] / (come * ahead[, day + 1] + (1 - come) * (1 - ahead[, day + 1]))
  }
  after <- matrix(0.5, nrow(ahead), days)
  for (day in rev(seq_along(turn))) {
    one <- after[, day + 1] * ahead[, day + 1]
    other <- (1 - after[, day + 1]) * (1 - ahead[, day + 1])
    stay <- one * (1 - turn[day]) + other * turn[day]
    after[, day] <- stay / (one + other)
  }
  before * after / (before * after + (1 - before) * (1 - after))
}
