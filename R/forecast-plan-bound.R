# The best place that comparable queries hold, and what every query at it would bring.

# In: rows of the findings' pairs. Out: a position each, no worse than it is. Comparable: not brand,
# of the same folder and a third to three times as often shown; where too few are, the whole site.
best_places <- function(findings, rows, share = assumed("best_place_share")) {
  pairs <- findings$pairs[findings$pairs$judged]
  folder <- page_group(findings$summary$pages$page, NULL)
  size <- log(assumed("comparable_size"))
  best <- function(positions) stats::quantile(positions, share, names = FALSE, type = 1)
  site <- if (nrow(pairs)) best(pairs$position) else 1
  places <- vapply(seq_len(nrow(rows)), function(i) {
    near <- pairs$position[folder[pairs$page] == folder[rows$page[i]] &
      abs(log(pairs$impressions / rows$impressions[i])) <= size]
    if (length(near) >= assumed("comparable_least")) best(near) else site
  }, 0)
  pmin(places, rows$position)
}

# Each query on the page where it is clicked most, a line for each folder.
lines_of_bound <- function(findings, first) {
  summary <- findings$summary
  pairs <- findings$pairs[findings$pairs$tested]
  pairs <- pairs[order(-pairs$clicks, pairs$position)]
  pairs <- pairs[!duplicated(pairs$query)]
  need_plan(nrow(pairs), "No query is clicked or shown often enough to be judged.")
  step <- step_up(summary, findings$curve, pairs, best_places(findings, pairs))
  folder <- page_group(summary$pages$page, NULL)[pairs$page]
  rows <- setDT(c(list(page = folder), lapply(step$done, pmax, 0)))
  lines <- rows[, list(query = sprintf("%s of %s", format_plural(.N, "query", "queries"), page),
    done = sum(done), below = sqrt(sum((done - low)^2)), above = sqrt(sum((high - done)^2))),
    by = "page"]
  data.table(id = "", query = lines$query, page = lines$page, month = first, target = NA_real_,
    target_ctr = NA_real_, position = NA_real_, ctr = NA_real_, done = lines$done,
    done_low = pmax(0, lines$done - lines$below), done_high = lines$done + lines$above,
    confidence = 1, chance = 1,
    hours = 0, remark = "", queries = lapply(lines$page, function(page) paste("all of", page)))
}
