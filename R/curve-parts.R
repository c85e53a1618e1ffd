# Curves of parts (devices, intents, groups of pages ...): each leans on the curve of all by as much
# as the parts differ beyond chance. How much they differ is a variance between levels, estimated by
# moments (DerSimonian, Laird 1986), so a part with three queries shows its parent's curve and a
# large one its own.

# In: cells of all parts with a `part`, the parent's fit. Out: list of fits by part.
estimate_parts <- function(cells, parent, blend, segment) {
  parts <- split(cells, by = "part", keep.by = FALSE)
  parts <- parts[order(names(parts))]
  level_texts <- lapply(parts, part_level, parent = parent, blend = blend)
  between <- dl_between_variance(vapply(level_texts, `[[`, 0, "level"),
    vapply(level_texts, `[[`, 0, "variance"))
  Map(function(own, level) {
    prior <- curve_prior(segment, parent$log_ctr)
    prior$centre <- parent$log_ctr
    # Shape may stray half as far as level does.
    prior[c("level_sd", "slope_sd", "step_sd")] <-
      list(sqrt(between), sqrt(between) / 2, max(0.1, sqrt(between)))
    fit <- estimate_curve(own, prior, blend, parent = parent)
    fit$leans <- level$variance / (level$variance + between)
    fit$queries <- length(unique(own$query))
    fit
  }, lapply(parts, setkeyv, c("query", "page", "bin")), level_texts)
}

# Log of a part's clicks over those expected on the parent's curve, and its variance between groups
# of queries.
part_level <- function(cells, parent, blend) {
  expected <- expected_clicks(cells, parent$log_ctr, blend)
  # A query weighs by what it can tell beside the spread between queries.
  by_query <- rowsum(cbind(cells$clicks, expected), cells$query)
  weight <- 1 / (1 + parent$spread * by_query[, 2])
  total <- sum(weight * by_query[, 2]) + 0.5
  level <- log((sum(weight * by_query[, 1]) + 0.5) / total)
  seen <- sum(weight^2 * (by_query[, 1] - exp(level) * by_query[, 2])^2) / (exp(level) * total)^2
  # A few queries may look alike by luck: never surer than the spread between queries allows.
  list(level = level, variance = max(seen, 1 / total))
}

# The part of each cell: by what stands in the query and page, or as the summary was split.
part_cells <- function(summary, by, rules) {
  if (identical(by, summary$split)) {
    cells <- setkeyv(copy(summary$split_cells), c("part", "query", "page", "bin"))
    return(set(cells, j = "position", value = cells$weighted / cells$impressions))
  }
  cells <- copy(summary$cells)
  label <- switch(
    by,
    intent = query_intent(summary$queries$key, rules$intent)[cells$query],
    page_group = page_group(summary$pages$page, rules$page_groups)[cells$page],
    words = length_names[pmin(pmax(lengths(query_words(summary$queries$key)), 1L), 6L)][
      cells$query],
    abort_tide(sprintf("The summary is not split by %s.", by),
      where = sprintf("split: %s", if (is.null(summary$split)) "none" else summary$split),
      fix = sprintf("Ask tide_summary() for split = \"%s\".", by), class = "grain", fault = "call"))
  set(cells, j = "part", value = label)
}
