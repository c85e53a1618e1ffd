# What plans add: draws of what works, of how much it brings, and of the baseline it is added to.

# A forecast with these plans and no others; its baseline stays.
with_plans <- function(forecast, plans, ramp = 3, draws = 2000, seed = 1) {
  rows <- forecast$months
  kept <- grep("^(plan$|added|total)", names(rows), value = TRUE, invert = TRUE)
  rows <- unique(rows[, kept, with = FALSE], by = c("month", "segment"))
  added <- if (length(plans)) with_seed(seed, add_plans(rows, plans, ramp, draws))
  if (!is.null(added)) {
    rows <- setcolorder(rows[added$months, on = "month"], c("month", "segment", "plan"))
  }
  forecast$months <- rows[]
  forecast[c("tasks", "sums", "plans")] <- list(added$tasks, added$sums, plans)
  forecast
}

# In: the site's baseline by month, named plans. Out: list(months: a row a plan and month; tasks;
# sums: over all months, a row a plan, the first without any).
add_plans <- function(months, plans, ramp, draws) {
  path <- data.table(month = months$month,
    mean = log(months$baseline / days_in_month(months$month)),
    sd = log(months$baseline_high_95 / months$baseline) / stats::qnorm(0.975))
  base <- draw_paths(path$mean, path$sd, draws)
  base <- base * rep(days_in_month(path$month), each = draws)
  middle <- exp(path$mean) * days_in_month(path$month)
  make_range <- function(x, p) apply(x, 2, stats::quantile, p, names = FALSE)
  summed <- function(added, total) {
    ends <- function(x) stats::quantile(rowSums(x), c(0.1, 0.9), names = FALSE)
    data.table(added = sum(colMeans(added)), added_low = ends(added)[1],
      added_high = ends(added)[2], total = sum(middle) + sum(colMeans(added)),
      total_low = ends(total)[1], total_high = ends(total)[2])
  }
  each <- lapply(plans, function(plan) {
    drawn <- draw_plan(plan, path$month, base, ramp, draws)
    added <- drawn$added
    total <- base + added
    list(
      tasks = drawn$tasks,
      sums = summed(added, total),
      months = data.table(month = path$month, added = colMeans(added),
        added_low = make_range(added, 0.1), added_high = make_range(added, 0.9),
        total = middle + colMeans(added), total_low = make_range(total, 0.1),
        total_high = make_range(total, 0.9)))
  })
  everything <- lapply(c(months = "months", tasks = "tasks", sums = "sums"),
    function(part) rbindlist(lapply(each, `[[`, part), idcol = "plan"))
  everything$sums <- rbind(data.table(plan = "nothing", summed(0 * base, base)), everything$sums)
  set(everything$sums, j = "hours", value = c(0,
    vapply(plans, function(plan) sum(plan$lines$hours), 0)))
  everything
}

# Baselines as paths: what one month is off by stays, and more comes to it.
draw_paths <- function(mean, sd, draws) {
  steps <- sqrt(pmax(diff(c(0, sd^2)), 0))
  # As many for any number of months, so that a month has one forecast.
  luck <- matrix(stats::rnorm(draws * most_months_ahead), draws)
  off <- luck[, seq_along(mean), drop = FALSE] * rep(steps, each = draws)
  for (i in seq_along(mean)[-1]) off[, i] <- off[, i] + off[, i - 1]
  exp(off + rep(mean, each = draws))
}

# That a line is real and works; without a confidence its chance is all of it.
line_chance <- function(lines) {
  if (is.null(lines[["confidence"]])) lines$chance else lines$confidence * lines$chance
}

# In: a plan, months, drawn baselines. Out: list(added: a matrix, a row a draw; tasks: means by line
# and month).
draw_plan <- function(plan, months, base, ramp, draws) {
  lines <- plan$lines
  many <- nrow(lines)
  shared <- stats::rnorm(draws)
  share <- assumed("plan_shared")
  z <- sqrt(share) * shared + sqrt(1 - share) * matrix(stats::rnorm(draws * many), draws)
  reach <- stats::qnorm(0.95)
  below <- rep((lines$done - lines$done_low) / reach, each = draws)
  above <- rep((lines$done_high - lines$done) / reach, each = draws)
  size <- pmax(0, rep(lines$done, each = draws) + z * ifelse(z < 0, below, above))
  # An interval with a longer upper arm has a mean above its middle: what is expected stays.
  size <- matrix(size, draws)
  average <- colMeans(size)
  size <- size * rep(ifelse(average > 0, lines$done / average, 0), each = draws)
  works <- matrix(stats::runif(draws * many), draws) < rep(line_chance(lines), each = draws)
  own <- if (is.null(lines[["ramp"]])) rep(ramp, many) else fcoalesce(lines$ramp, as.numeric(ramp))
  passed <- outer(month_number(lines$month), month_number(months), function(start, month) {
    month - start + 1
  })
  effect <- pmin(1, pmax(0, passed / own))
  dim(effect) <- dim(passed)
  # A site without clicks in these data has no season to be measured by.
  usual <- plan$per_month / 30 * rep(days_in_month(months), each = draws)
  season <- if (plan$per_month > 0) base / usual else base^0
  by_month <- rep(days_in_month(months) / 30, each = draws)
  added <- ((size * works) %*% effect) * season * by_month
  # By line only the mean is kept.
  mean_season <- colMeans(season) * days_in_month(months) / 30
  of_line <- colMeans(size * works) * effect * rep(mean_season, each = many)
  list(added = added, tasks = setDT(list(id = rep(lines$id, length(months)),
    query = rep(lines$query, length(months)), page = rep(lines$page, length(months)),
    month = rep(months, each = many), added = as.vector(of_line))))
}
