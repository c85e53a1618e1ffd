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
