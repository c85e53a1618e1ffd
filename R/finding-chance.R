# The chance that a step works: what is assumed of its kind, and what came of the steps of this kind
# that the project has marked as done.

# looked: lines with the chance assumed of each. outcomes: steps by `kind`, with `verdict`, `ratio`
# and `ratio_sd`, see tide_outcomes(). The assumption counts as `chance_cases` steps; the odds of
# all of a kind move alike.
learn_chance <- function(looked, outcomes) {
  found <- looked$found
  tried <- tried_steps(outcomes)
  cases <- assumed("chance_cases")
  for (kind in intersect(tried$kind, found$kind)) {
    own <- which(found$kind == kind)
    before <- found$chance[own]
    average <- mean(before)
    likelier <- tried$likelier[tried$kind == kind]
    learnt <- learnt_chance(likelier, average, cases)
    steps <- length(likelier)
    worked <- learnt * (cases + steps) - cases * average
    after <- stats::plogis(stats::qlogis(before) + stats::qlogis(learnt) - stats::qlogis(average))
    set(found, own, "chance", after)
    looked$facts <- c(looked$facts, new_facts("derivation", "chance_learnt", found$line[own],
      chance = before, steps = steps, worked = worked, cases = cases, mean = average,
      learnt = learnt,
      after = after))
  }
  looked
}

# Few clicks leave it open whether a step worked: it counts by how likely that is, given the chance
# itself, so that what is not known moves nothing (the EM algorithm: Dempster, Laird, Rubin 1977,
# Journal of the Royal Statistical Society B 39, 1-38). likelier: see tried_steps().
learnt_chance <- function(likelier, mean, cases) {
  chance <- mean
  for (turn in 1:500) {
    odds <- likelier * chance / (1 - chance)
    before <- chance
    chance <-
      (cases * mean + sum(ifelse(is.finite(odds), odds / (1 + odds), 1))) / (cases + length(odds))
    if (abs(chance - before) < 1e-8) break
  }
  chance
}

# Steps whose outcome is known: `kind`, and `likelier`: the likelihood ratio of its outcome, worked
# against no effect.
tried_steps <- function(outcomes) {
  if (!NROW(outcomes)) return(data.table(kind = character(), likelier = numeric()))
  steps <- as.data.table(outcomes)
  steps <- steps[steps$verdict %in% c("worked", "no sign yet", "made it worse")]
  by_verdict <- ifelse(steps$verdict == "worked", Inf, 0)
  if (is.null(steps[["ratio"]])) return(data.table(kind = steps$kind, likelier = by_verdict))
  log_path <- log(steps$ratio)
  worked <- stats::dnorm(log_path, log(assumed("worked_ratio")),
    sqrt(steps$ratio_sd^2 + assumed("worked_spread")^2), log = TRUE)
  likelier <- exp(worked - stats::dnorm(log_path, 0, steps$ratio_sd, log = TRUE))
  # Judged before ratios were kept.
  data.table(kind = steps$kind, likelier = fcoalesce(likelier, by_verdict))
}

# Difficulty, where facts have it, shifts the chance of a step beside that of the middling query; by
# how much is assumed, and learnt from the project's own outcomes.
weigh_difficulty <- function(looked, summary, outcomes) {
  found <- looked$found
  difficulty <- summary$queries[["difficulty"]]
  own <- which(kind_is(found$kind, "harder"))
  if (is.null(difficulty) || !is.numeric(difficulty) || !length(own)) return(looked)
  of_query <- difficulty[match(found$query[own], summary$queries$query)]
  middle <- stats::median(of_query, na.rm = TRUE)
  beside <- fcoalesce((of_query - middle) / 50, 0)
  slope <- difficulty_slope(summary, outcomes, middle)
  before <- found$chance[own]
  after <- stats::plogis(stats::qlogis(before) - slope * beside)
  set(found, own, "chance", after)
  looked$facts <- c(looked$facts, new_facts("derivation",
    ifelse(beside != 0, "difficulty_shift", ""), found$line[own], difficulty = of_query,
    middle = middle,
    chance = before, slope = slope, beside = beside, after = after))
  looked
}

# The slope by which difficulty lowers the log odds: the assumed one, moved by the steps whose
# outcome is known.
difficulty_slope <- function(summary, outcomes, middle) {
  prior <- assumed("difficulty_slope")
  spread_sd <- assumed("difficulty_slope_sd")
  if (!NROW(outcomes)) return(prior)
  difficulty_of <- summary$queries$difficulty[match(query_key(outcomes$query), summary$queries$key)]
  use <- which(kind_is(outcomes$kind, "harder") & !is.na(difficulty_of) &
    outcomes$verdict %in% c("worked", "no sign yet", "made it worse"))
  if (!length(use)) return(prior)
  x <- (difficulty_of[use] - middle) / 50
  worked <- outcomes$verdict[use] == "worked"
  level <- stats::qlogis((assumed("chance_cases") * assumed("step_chance") + sum(worked)) /
    (assumed("chance_cases") + length(use)))
  logistic_mode(cbind(-x), worked, level, diag(1 / spread_sd^2, 1), prior)
}

# The chance of a step up: a documented default, and what the site's own queries did where there is
# history enough.

# The default: a third for a short step, falling with the distance in log position. An assumption.
default_reach <- function(position, target) assumed("step_chance") * exp(-log(position / target))

# What share of queries at a position rose as far as the step within three months, by a logistic fit
# beside the default: how much likelier in all, with the distance, with the trend of the month
# before, and with the number of queries on the page. rule: which step, see next_step(). The default
# is worth `worth` such cases, so that short histories keep to it. NULL without four months. Out:
# list(coefficients, cases, reached).
learn_reach <- function(course, rule = "next", worth = assumed("step_past_cases")) {
  if (is.null(course)) return(NULL)
  month_rows <- course$sums[course$sums$impressions >= 10]
  if (!nrow(month_rows) || diff(range(month_rows$month)) < 3) return(NULL)
  set(month_rows, j = "position", value = month_rows$weighted / month_rows$impressions)
  position_later <- function(rows, later) month_rows$position[month_rows[
    data.table(query = rows$query, page = rows$page, month = rows$month + later),
    on = c("query", "page", "month"), which = TRUE]]
  here <- month_rows[month_rows$position > assumed("top_three_ends") & month_rows$position <= 20 &
    month_rows$month <= max(month_rows$month) - 3L]
  if (!nrow(here)) return(NULL)
  target <- next_step(here$position, rule)
  reached <- fcoalesce(position_later(here, 3L) <= target + 0.5, FALSE)
  before <- position_later(here, -1L)
  sizes <- month_rows[, .N, by = c("page", "month")]
  size <- if (uniqueN(month_rows$page) == 1) {
    NA
  } else {
    sizes$N[sizes[here, on = c("page", "month"), which = TRUE]]
  }
  x <- reach_features(here$position, target, log(before / here$position), size)
  # The months of one query are no cases of their own: three count as one.
  learnt <- logistic_mode(x, reached, stats::qlogis(default_reach(here$position, target)),
    diag(worth * 0.1, ncol(x)), weight = 1 / 3)
  list(coefficients = learnt, cases = length(reached), reached = mean(reached))
}

# queries: on the page, NA where there is one page only or none is known, so that they say nothing:
# then the middling five.
reach_features <- function(position, target, trend, queries) {
  cbind(1, log(position / target) - log(2), fcoalesce(pmax(-1, pmin(1, trend)), 0),
    fcoalesce(log(as.numeric(queries)) - log(5), 0))
}

# What queries did by themselves is less than what they do when worked on, and nobody knows by how
# much: the past counts for half (of the log odds), the default, meant for queries that are worked
# on, for the other. Out: list(chance, default, features, learnt).
reach_chance <- function(summary, at, target, learnt) {
  default <- default_reach(at$position, target)
  if (is.null(learnt)) return(list(chance = default, default = default))
  trend <- position_trend(summary, at)
  sizes <- summary$pairs[summary$pairs$impressions >= 10, .N, by = "page"]
  # First to last month of three: two steps.
  size <- if (nrow(summary$pages) == 1) NA else fcoalesce(sizes$N[match(at$page, sizes$page)], 1L)
  x <- reach_features(at$position, target, log(trend$first / trend$last) / 2, size)
  chance <- stats::plogis(
    stats::qlogis(default) + assumed("step_past_counts") * as.vector(x %*% learnt$coefficients))
  list(chance = chance, default = default, features = x, learnt = learnt)
}

# The arithmetic of a chance: the default's log odds, plus a number for each of four facts.
step_chance_facts <- function(at, target, step) {
  one_line <- seq_len(nrow(at))
  default <- list(default_chance = assumed("step_chance"), target = target, position = at$position,
    chance = step$default)
  tell <- function(code, ...) {
    do.call(new_facts, c(list("derivation", code, one_line), default, list(...)))
  }
  if (is.null(step$learnt)) return(tell("step_chance_default"))
  fields <- function(name, values) stats::setNames(values, paste0(name, "_", 1:4))
  do.call(tell, c(list("step_chance_learnt", cases = step$learnt$cases,
    reached = step$learnt$reached, rest = 1 - step$default, weight = assumed("step_past_counts"),
    log_odds = stats::qlogis(step$reach), learnt = step$reach),
    fields("slope", as.list(step$learnt$coefficients)),
    fields("feature", lapply(1:4, function(k) step$features[, k]))))
}
