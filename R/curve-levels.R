# How parts of the searches (countries, devices, kinds of result) are clicked beside the curve of
# all: a level each, pooled by as much as they do not differ. Levels are those of the main segment:
# brand searches have their own reasons.

# Out: data.table(dimension, part (code), name, level (log), se, times: the clicks of the curve,
# which is the mean of all), of the dimensions whose parts differ by more than chance; none: no
# rows.
part_levels <- function(summary, main, fit, blend) {
  rbindlist(lapply(names(summary$parts), function(dimension) {
    parts <- summary$parts[[dimension]]
    cells <- parts$all[summary$queries$segment[parts$all$query] == main]
    own <- lapply(split(cells, cells$part), part_level, parent = fit, blend = blend)
    if (length(own) < 2) return(NULL)
    level <- vapply(own, `[[`, 0, "level")
    variance <- vapply(own, `[[`, 0, "variance")
    middle <- sum(level / variance) / sum(1 / variance)
    if (sum((level - middle)^2 / variance) <
        stats::qchisq(1 - data_limits$parts_by_chance, length(level) - 1)) {
      return(NULL)
    }
    pooled <- shrink_to(level, variance, middle, sqrt(dl_between_variance(level, variance)))
    part <- as.integer(names(own))
    expected <- expected_clicks(cells, fit$log_ctr, blend)
    times <- exp(pooled$mean)
    of_all <- sum(expected * times[match(cells$part, part)]) / sum(expected)
    data.table(dimension, part, name = parts$names[part], level = pooled$mean,
      se = sqrt(pooled$variance), times = times / of_all)
  }))
}

# How many times the clicks of the curve a pair's own searchers give it.
audience_factors <- function(summary, curve, pairs) {
  out <- rep(1, nrow(pairs))
  main <- names(curve$fits)[1]
  for (split_by in unique(curve$levels$dimension)) {
    cells <- summary$parts[[split_by]]$recent
    own <- curve$levels[curve$levels$dimension == split_by]
    expected <- cells_on_curve(cells, summary, curve)
    times <- fcoalesce(own$times[match(cells$part, own$part)], 1)
    sums <- sums_by(setDT(list(query = cells$query, page = cells$page, whole = expected,
      leveled = expected * times)), c("query", "page"), c("whole", "leveled"))
    at_row <- sums[pairs, on = c("query", "page"), which = TRUE]
    out <- out * fcoalesce((sums$leveled / sums$whole)[at_row], 1)
  }
  ifelse(summary$queries$segment[pairs$query] == main, out, 1)
}

# The same of rows that say who searched.
audience_of_rows <- function(rows, curve) {
  out <- rep(1, nrow(rows))
  for (split_by in intersect(unique(curve$levels$dimension), names(rows))) {
    own <- curve$levels[curve$levels$dimension == split_by]
    label <- as_levels(rows[[split_by]])
    code <- match(tolower(levels(label)), own$name)
    code[is.na(code)] <- match("other", own$name)
    out <- out * fcoalesce(own$times[code], 1)[label]
  }
  out
}
