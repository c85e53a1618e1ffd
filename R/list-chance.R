# The chance that a step works: what is assumed of its kind, and what came of the steps of this kind
# that the project has marked as done.

# found: with the chance assumed of each. outcomes: steps by `kind` and `verdict`, see
# tide_outcomes(). The assumption counts as `chance_cases` steps; the odds of all of a kind move
# alike.
learn_chance <- function(found, outcomes) {
  tried <- tried_steps(outcomes)
  for (i in which(tried$kind %in% found$kind)) {
    own <- which(found$kind == tried$kind[i])
    before <- found$chance[own]
    mean <- mean(before)
    cases <- assumed("chance_cases")
    learnt <- (cases * mean + tried$worked[i]) / (cases + tried$tried[i])
    after <- stats::plogis(stats::qlogis(before) + stats::qlogis(learnt) - stats::qlogis(mean))
    set(found, own, "chance", after)
    set(found, own, "how", Map(c, found$how[own],
      sprintf(paste("chance %.3f as assumed; of %s of this kind done here %s worked:",
        "(%g x %.3f + %d) / (%g + %d) = %.3f on average, a chance of %.3f for this one"),
        before, format_plural(tried$tried[i], "step"), format_count(tried$worked[i]), cases, mean,
        tried$worked[i], cases, tried$tried[i], learnt, after)))
  }
  found[]
}

# Steps by kind whose outcome is known: `tried`, and of those `worked`.
tried_steps <- function(outcomes) {
  if (!NROW(outcomes)) {
    return(data.table(kind = character(), tried = integer(), worked = integer()))
  }
  known <- outcomes$verdict %in% c("worked", "no sign yet", "made it worse")
  steps <- data.table(kind = outcomes$kind[known], tried = 1L,
    worked = as.integer(outcomes$verdict[known] == "worked"))
  sums_by(steps, "kind", c("tried", "worked"))
}

# Kinds whose step is harder where a query is more difficult to rank for.
harder_kinds <- c("striking_distance", "tail_demand", "new_page")

# Difficulty, where facts have it, shifts the chance of a step beside that of the middling query; by
# how much is assumed, and learnt from the project's own outcomes.
weigh_difficulty <- function(found, summary, outcomes) {
  difficulty <- summary$queries[["difficulty"]]
  own <- which(found$kind %in% harder_kinds)
  if (is.null(difficulty) || !is.numeric(difficulty) || !length(own)) return(found)
  of <- difficulty[match(found$query[own], summary$queries$query)]
  middle <- stats::median(of, na.rm = TRUE)
  beside <- fcoalesce((of - middle) / 50, 0)
  slope <- difficulty_slope(summary, outcomes, middle)
  before <- found$chance[own]
  after <- stats::plogis(stats::qlogis(before) - slope * beside)
  set(found, own, "chance", after)
  shifted <- own[beside != 0]
  set(found, shifted, "how", Map(c, found$how[shifted], sprintf(paste(
    "difficulty %g against a median of %g: the log odds of the chance %.3f change by",
    "-%.2f x %.2f: %.3f"),
    of[beside != 0], middle, before[beside != 0], slope, beside[beside != 0], after[beside != 0])))
  found
}

# The slope by which difficulty lowers the log odds: the assumed one, moved by the steps whose
# outcome is known (the mode of a logistic likelihood with a normal prior, by Newton's steps).
difficulty_slope <- function(summary, outcomes, middle) {
  prior <- assumed("difficulty_slope")
  sd <- assumed("difficulty_slope_sd")
  if (!NROW(outcomes)) return(prior)
  of <- summary$queries$difficulty[match(query_key(outcomes$query), summary$queries$key)]
  use <- which(outcomes$kind %in% harder_kinds & !is.na(of) &
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
