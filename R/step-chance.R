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
  months <- course$sums[course$sums$impressions >= 10]
  if (!nrow(months) || diff(range(months$month)) < 3) return(NULL)
  set(months, j = "position", value = months$weighted / months$impressions)
  of <- function(rows, later) months$position[months[
    data.table(query = rows$query, page = rows$page, month = rows$month + later),
    on = c("query", "page", "month"), which = TRUE]]
  here <- months[months$position > assumed("top_three_ends") & months$position <= 20 &
    months$month <= max(months$month) - 3L]
  if (!nrow(here)) return(NULL)
  target <- next_step(here$position, rule)
  reached <- fcoalesce(of(here, 3L) <= target + 0.5, FALSE)
  before <- of(here, -1L)
  sizes <- months[, .N, by = c("page", "month")]
  size <- if (uniqueN(months$page) == 1) {
    NA
  } else {
    sizes$N[sizes[here, on = c("page", "month"), which = TRUE]]
  }
  x <- reach_features(here$position, target, log(before / here$position), size)
  fit <- fit_step_up(x, reached, stats::qlogis(default_reach(here$position, target)), worth)
  c(fit, list(cases = length(reached), reached = mean(reached)))
}

# queries: on the page, NA where there is one page only or none is known, so that they say nothing:
# then the middling five.
reach_features <- function(position, target, trend, queries) {
  cbind(1, log(position / target) - log(2), fcoalesce(pmax(-1, pmin(1, trend)), 0),
    fcoalesce(log(as.numeric(queries)) - log(5), 0))
}

# Logistic regression with an offset and a normal prior on every coefficient, by Newton's steps. The
# months of one query are no cases of their own: three count as one.
fit_step_up <- function(x, reached, offset, worth) {
  weight <- 1 / 3
  prior <- diag(worth * 0.1, ncol(x))
  b <- numeric(ncol(x))
  for (round in 1:25) {
    p <- stats::plogis(offset + as.vector(x %*% b))
    slope <- weight * as.vector(crossprod(x, reached - p)) - as.vector(prior %*% b)
    curvature <- weight * crossprod(x, x * (p * (1 - p))) + prior
    step <- solve(curvature, slope)
    b <- b + step
    if (max(abs(step)) < 1e-8) break
  }
  list(coefficients = b)
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
  line <- seq_len(nrow(at))
  default <- list(default_chance = assumed("step_chance"), target = target, position = at$position,
    chance = step$default)
  tell <- function(code, ...) {
    do.call(new_facts, c(list("derivation", code, line), default, list(...)))
  }
  if (is.null(step$learnt)) return(tell("step_chance_default"))
  fields <- function(name, values) stats::setNames(values, paste0(name, "_", 1:4))
  do.call(tell, c(list("step_chance_learnt", cases = step$learnt$cases,
    reached = step$learnt$reached, rest = 1 - step$default, weight = assumed("step_past_counts"),
    log_odds = stats::qlogis(step$reach), learnt = step$reach),
    fields("slope", as.list(step$learnt$coefficients)),
    fields("feature", lapply(1:4, function(k) step$features[, k]))))
}
