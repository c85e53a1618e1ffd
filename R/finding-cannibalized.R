# Cannibalized: several pages of the site compete for one query and hold it back. Most queries with two pages
# are harmless; what is harmless is counted by reason, and what is harmful is told apart by who leads when.

# The pages of a query that matter: at least a tenth of its impressions, on at least a seventh of its days
# (a blip is shorter), and not far below the best placed page.
weighty_pages <- function(contest) {
  pages <- contest[, .(clicks = sum(clicks), impressions = sum(impressions), weighted = sum(impressions * position),
    days = .N), by = c("query", "page")]
  pages[, "position" := weighted / impressions]
  all_days <- contest[, .(all_days = length(unique(date))), by = "query"]
  pages <- all_days[pages, on = "query"]
  pages[, c("share", "total", "best") := list(impressions / sum(impressions), sum(impressions), min(position)), by = "query"]
  # The best placed page must itself be shown regularly to make others look far down.
  pages[, "reason" := ifelse(pages$position > pages$best + 15 & pages$position > 20, "a second page far down",
    ifelse(pages$days < pmax(4, pages$all_days / 7), "a page seen for a few days only",
      ifelse(pages$share < 0.1, "a second page with few impressions", "")))]
  pages[]
}

find_cannibalized <- function(summary, curve, pairs, options) {
  if (is.null(summary$contested)) return(undated_cannibalized(summary, curve, pairs))
  contest <- summary$contested
  tested <- unique(pairs$query[pairs$tested])
  contest <- contest[contest$query %in% tested]
  if (!nrow(contest)) return(no_findings())
  pages <- weighty_pages(contest)
  weighty <- pages[pages$reason == ""]
  several <- weighty[, .N, by = "query"]
  queries <- several$query[several$N > 1]
  if (!length(queries)) return(no_findings())

  weeks <- lead_weeks(contest[weighty[weighty$query %in% queries, c("query", "page")], on = c("query", "page")], summary, curve)
  judged <- lapply(split(weeks, by = "query"), judge_contest, month = per_month(summary))
  judged <- rbindlist(judged)
  judged <- judged[judged$harm != ""]
  if (!nrow(judged)) return(no_findings())
  cannibalized_findings(summary, curve, pairs, judged)
}

# Per query, page and week: clicks, impressions, position, and the clicks the curve expects there, by which
# the leader of the week is told.
lead_weeks <- function(contest, summary, curve) {
  contest <- copy(contest)
  week <- as.integer(contest$date - summary$recent$from) %/% 7L
  set(contest, j = "week", value = week)
  set(contest, j = "expected", value = contest$impressions * curve_ctr(curve, contest$position, summary$queries$segment[contest$query], 1, contest$impressions))
  contest[, .(clicks = sum(clicks), expected = sum(expected), days = .N, position = sum(impressions * position) / sum(impressions),
    impressions = sum(impressions)), by = c("query", "page", "week")]
}

# One query's weeks: which two pages compete, how sure it is that the lead changed hands, and what kind of harm it is.
judge_contest <- function(weeks, month) {
  totals <- weeks[, .(clicks = sum(clicks), expected = sum(expected), impressions = sum(impressions),
    position = sum(impressions * position) / sum(impressions)), by = "page"]
  setorderv(totals, c("expected", "page"), c(-1L, 1L))
  rivals <- totals$page[1:2]
  all_weeks <- sort(unique(weeks$week))
  side <- lapply(rivals, function(rival) {
    own <- weeks[which(weeks$page == rival)]
    own[match(all_weeks, own$week)]
  })
  value <- lapply(side, function(s) ifelse(is.na(s$expected), 0, s$expected))
  seen <- lapply(side, function(s) ifelse(is.na(s$impressions), 0, s$impressions))
  # The log ratio of what two pages earn in a week is as noisy as their counts, and positions wander besides.
  ahead <- stats::pnorm(log((value[[1]] + 0.05) / (value[[2]] + 0.05)) /
    sqrt(1 / (seen[[1]] + 1) + 1 / (seen[[2]] + 1) + 0.3^2))
  changes <- chance_of_changes(ahead)
  leads <- c(sum(ahead > 0.5), sum(ahead <= 0.5))
  together <- mean(seen[[1]] > 0 & seen[[2]] > 0)
  apart <- abs(diff(totals$position[1:2]))
  share <- seen[[2]] / pmax(seen[[1]] + seen[[2]], 1)

  # The position each page holds in the weeks it leads; the better of the two is what one page could keep.
  held <- vapply(1:2, function(i) {
    lead <- if (i == 1) ahead > 0.5 else ahead <= 0.5
    if (!any(lead)) Inf else sum((seen[[i]] * side[[i]]$position)[lead & seen[[i]] > 0]) / sum(seen[[i]][lead & seen[[i]] > 0])
  }, 0)
  keep <- which.min(held)
  swapping <- min(leads) >= 2 && changes >= 0.5
  splitting <- !swapping && together > 0.5 && apart < 6 && min(totals$position[1:2]) > 7 && mean(share) > 0.25
  data.table(
    query = weeks$query[1], keep = rivals[keep], other = rivals[3 - keep], held = held[keep], held_other = held[3 - keep],
    harm = if (swapping) "swapping" else if (splitting) "splitting" else "",
    confidence = if (swapping) changes else 0.6, lead_keep = leads[keep], lead_other = leads[3 - keep], weeks = length(all_weeks),
    # Shown together, one search gives both pages an impression: count a week's searches as the larger of the two
    # plus what the smaller has beyond its share of days together.
    searches = sum(pmax(seen[[1]], seen[[2]], (seen[[1]] + seen[[2]]) * (1 - 0.5 * together))),
    clicks = sum(totals$clicks), expected = sum(totals$expected), pages = list(totals$page)
  )
}

# Chance that the lead changed hands at least twice, given each week's chance that the first page led. Exact for
# independent weeks, by recursion over (who leads, changes so far: 0, 1, 2 or more).
chance_of_changes <- function(ahead) {
  state <- rbind(c(ahead[1], 0, 0), c(1 - ahead[1], 0, 0))
  for (p in ahead[-1]) {
    stay <- state
    switched <- rbind(c(0, state[2, 1], state[2, 2] + state[2, 3]), c(0, state[1, 1], state[1, 2] + state[1, 3]))
    state <- rbind((stay[1, ] + switched[1, ]) * p, (stay[2, ] + switched[2, ]) * (1 - p))
  }
  sum(state[, 3])
}

cannibalized_findings <- function(summary, curve, pairs, judged) {
  segment <- summary$queries$segment[judged$query]
  spread <- vapply(curve$fits, `[[`, 0, "spread")[segment]
  own <- (1 / spread + judged$clicks) / (1 / spread + judged$expected)
  at_held <- judged$searches * curve_ctr(curve, judged$held, segment, 1, 100)
  # Both ends on the curve and both with the query's own factor, so that its luck so far cancels out. How many
  # searches there are is known to a tenth or so, since pages shown together count one search twice.
  mean <- own * (at_held - judged$expected)
  sd <- own * sqrt((at_held - judged$expected)^2 / (1 / spread + judged$clicks) +
    at_held^2 * (curve_log_se(curve, judged$held, segment)^2 + 0.1^2))
  gain <- lapply(gain_interval(mean, sd), `*`, per_month(summary))
  claims <- lapply(seq_len(nrow(judged)), function(i) {
    which(pairs$query == judged$query[i] & pairs$page %in% judged$pages[[i]])
  })
  shown <- function(code) summary$pages$page[code]
  total <- rbindlist(lapply(claims, function(rows) {
    list(clicks = sum(pairs$clicks[rows]), impressions = sum(pairs$impressions[rows]),
      weighted = sum(pairs$impressions[rows] * pairs$position[rows]), expected = sum(pairs$expected[rows]))
  }))
  out <- data.table(kind = "cannibalized", query = summary$queries$query[judged$query], page = shown(judged$keep),
    pages = mapply(function(keep, all) paste(shown(c(keep, setdiff(all, keep))), collapse = " "), judged$keep, judged$pages),
    clicks = total$clicks, impressions = total$impressions, ctr = total$clicks / total$impressions,
    position = total$weighted / total$impressions, expected_ctr = total$expected / total$impressions,
    gain = gain$gain, gain_low = gain$low, gain_high = gain$high, confidence = judged$confidence,
    action = cannibalized_action(summary, judged), reason = cannibalized_reason(summary, judged),
    claims = claims, identity = paste("cannibalized", summary$queries$key[judged$query]))
  out[out$gain > 0]
}

cannibalized_reason <- function(summary, judged) {
  keep <- format_path(summary$pages$page[judged$keep])
  other <- format_path(summary$pages$page[judged$other])
  if (judged$harm[1] == "unknown") {
    return(sprintf("%s (position %s) and %s (position %s) both answer it with a good part of the impressions. Without dates it cannot be known whether they swap places or are shown together.",
      keep, format_position(judged$held), other, format_position(judged$held_other)))
  }
  ifelse(judged$harm == "swapping",
    sprintf("%s led in %s and %s in %s of the last %d. While it leads, %s stands at position %s; the other at %s.",
      keep, format_plural(judged$lead_keep, "week"), other, format_count(judged$lead_other), judged$weeks, keep,
      format_position(judged$held), format_position(judged$held_other)),
    sprintf("%s and %s are shown together week after week, neither above position %s: they share what one page could hold.",
      keep, other, format_position(pmin(judged$held, judged$held_other))))
}

cannibalized_action <- function(summary, judged) {
  keep <- format_path(summary$pages$page[judged$keep])
  other <- format_path(summary$pages$page[judged$other])
  query <- summary$queries$query[judged$query]
  if (judged$harm[1] == "unknown") {
    return(sprintf("Export by date to see who leads when; until then, link from %s to %s with the words \"%s\".", other, keep, query))
  }
  ifelse(judged$harm == "swapping",
    sprintf("Keep %s for \"%s\": link to it from %s with those words, and take them out of that page's title and headings.", keep, query, other),
    sprintf("Move what %s says about \"%s\" into %s and redirect it there, or point it clearly at another query.", other, query, keep))
}

# Without dates nobody can know whether pages swap or are shown together: only pairs of pages that are close to
# each other in position and in weight are named, with the doubt in the confidence.
undated_cannibalized <- function(summary, curve, pairs) {
  use <- pairs[pairs$tested]
  several <- use[, .N, by = "query"]
  use <- use[use$query %in% several$query[several$N > 1]]
  if (!nrow(use)) return(no_findings())
  setorderv(use, c("query", "expected"), c(1L, -1L))
  use[, "share" := impressions / sum(impressions), by = "query"]
  judged <- rbindlist(lapply(split(use[use$share >= 0.2 & use$position <= 30], by = "query"), function(two) {
    if (nrow(two) < 2 || abs(diff(two$position[1:2])) > 8 || min(two$position[1:2]) < 3.5) return(NULL)
    data.table(query = two$query[1], keep = two$page[1], other = two$page[2], held = two$position[1],
      held_other = two$position[2], harm = "unknown", confidence = 0.35, searches = sum(two$impressions),
      clicks = sum(two$clicks), expected = sum(two$expected), pages = list(two$page))
  }))
  if (!nrow(judged)) return(no_findings())
  cannibalized_findings(summary, curve, pairs, judged)
}
