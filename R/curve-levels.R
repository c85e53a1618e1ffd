# How parts of the searches (countries, devices, kinds of result) are clicked beside the curve of
# all: a level each, pooled by as much as they do not differ.

# Out: data.table(dimension, part, level (log), se), of the dimensions whose parts differ by more
# than chance; none: no rows.
part_levels <- function(parts, fit, blend) {
  rbindlist(lapply(names(parts), function(dimension) {
    cells <- parts[[dimension]]$all
    own <- lapply(split(cells, cells$part), part_level, parent = fit, blend = blend)
    level <- vapply(own, `[[`, 0, "level")
    variance <- vapply(own, `[[`, 0, "variance")
    middle <- sum(level / variance) / sum(1 / variance)
    if (sum((level - middle)^2 / variance) <
        stats::qchisq(1 - assumed("parts_by_chance"), length(level) - 1)) {
      return(NULL)
    }
    pooled <- shrink_to(level, variance, middle, sqrt(dl_between_variance(level, variance)))
    data.table(dimension, part = as.integer(names(own)), level = pooled$mean,
      se = sqrt(pooled$variance))
  }))
}

# How many times the clicks of the curve a pair's own searchers give it, beside those of all.
audience_factors <- function(summary, curve, pairs) {
  out <- rep(1, nrow(pairs))
  for (split_by in unique(curve$levels$dimension)) {
    cells <- summary$parts[[split_by]]$recent
    own <- curve$levels[curve$levels$dimension == split_by]
    expected <- cells$impressions * curve_ctr(curve, cells$position,
      summary$queries$segment[cells$query], cells$rows, cells$impressions)
    times <- exp(own$level)[match(cells$part, own$part)]
    sums <- sums_by(setDT(list(query = cells$query, page = cells$page, whole = expected,
      leveled = expected * times)), c("query", "page"), c("whole", "leveled"))
    # The curve is the mean of all.
    of_all <- sum(sums$leveled) / sum(sums$whole)
    at_row <- sums[pairs, on = c("query", "page"), which = TRUE]
    out <- out * fcoalesce((sums$leveled / sums$whole / of_all)[at_row], 1)
  }
  out
}
