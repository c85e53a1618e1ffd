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
    mean <- mean(before)
    likelier <- tried$likelier[tried$kind == kind]
    learnt <- learnt_chance(likelier, mean, cases)
    steps <- length(likelier)
    worked <- learnt * (cases + steps) - cases * mean
    after <- stats::plogis(stats::qlogis(before) + stats::qlogis(learnt) - stats::qlogis(mean))
    set(found, own, "chance", after)
    looked$facts <- c(looked$facts, new_facts("derivation", "chance_learnt", found$line[own],
      chance = before, steps = steps, worked = worked, cases = cases, mean = mean, learnt = learnt,
      after = after))
  }
  looked
}

# Few clicks leave it open whether a step worked: it counts by how likely that is, given the chance
# itself, so that what is not known moves nothing (the EM algorithm: Dempster, Laird, Rubin 1977,
# Journal of the Royal Statistical Society B 39, 1-38). likelier: see tried_steps().
learnt_chance <- function(likelier, mean, cases) {
  chance <- mean
  for (round in 1:500) {
    odds <- likelier * chance / (1 - chance)
    before <- chance
    chance <-
      (cases * mean + sum(ifelse(is.finite(odds), odds / (1 + odds), 1))) / (cases + length(odds))
    if (abs(chance - before) < 1e-8) break
  }
  chance
}

# Steps whose outcome is known: `kind`, and `likelier`: how many times as likely its ratio is of a
# step that worked as of one of which nothing came.
tried_steps <- function(outcomes) {
  if (!NROW(outcomes)) return(data.table(kind = character(), likelier = numeric()))
  steps <- as.data.table(outcomes)
  steps <- steps[steps$verdict %in% c("worked", "no sign yet", "made it worse")]
  by_verdict <- ifelse(steps$verdict == "worked", Inf, 0)
  if (is.null(steps[["ratio"]])) return(data.table(kind = steps$kind, likelier = by_verdict))
  log <- log(steps$ratio)
  worked <- stats::dnorm(log, log(assumed("worked_ratio")),
    sqrt(steps$ratio_sd^2 + assumed("worked_spread")^2), log = TRUE)
  likelier <- exp(worked - stats::dnorm(log, 0, steps$ratio_sd, log = TRUE))
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
  of <- difficulty[match(found$query[own], summary$queries$query)]
  middle <- stats::median(of, na.rm = TRUE)
  beside <- fcoalesce((of - middle) / 50, 0)
  slope <- difficulty_slope(summary, outcomes, middle)
  before <- found$chance[own]
  after <- stats::plogis(stats::qlogis(before) - slope * beside)
  set(found, own, "chance", after)
  looked$facts <- c(looked$facts, new_facts("derivation",
    ifelse(beside != 0, "difficulty_shift", ""), found$line[own], difficulty = of, middle = middle,
    chance = before, slope = slope, beside = beside, after = after))
  looked
}

# The slope by which difficulty lowers the log odds: the assumed one, moved by the steps whose
# outcome is known (the mode of a logistic likelihood with a normal prior, by Newton's steps).
difficulty_slope <- function(summary, outcomes, middle) {
  prior <- assumed("difficulty_slope")
  sd <- assumed("difficulty_slope_sd")
  if (!NROW(outcomes)) return(prior)
  of <- summary$queries$difficulty[match(query_key(outcomes$query), summary$queries$key)]
  use <- which(kind_is(outcomes$kind, "harder") & !is.na(of) &
    outcomes$verdict %in% c("worked", "no sign yet", "made it worse"))
  if (!length(use)) return(prior)
  x <- (of[use] - middle) / 50
  worked <- outcomes$verdict[use] == "worked"
  level <- stats::qlogis((assumed("chance_cases") * assumed("step_chance") + sum(worked)) /
    (assumed("chance_cases") + length(use)))
  slope <- prior
  for (round in 1:25) {
    p <- stats::plogis(level - slope * x)
    step <- (-sum(x * (worked - p)) - (slope - prior) / sd^2) / (sum(x^2 * p * (1 - p)) + 1 / sd^2)
    slope <- slope + step
    if (abs(step) < 1e-8) break
  }
  slope
}
