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
  aside <- brand_aside(summary, pairs)
  if (is.null(summary$contested)) return(undated_cannibalized(summary, curve, pairs, aside))
  contest <- summary$contested
  tested <- unique(pairs$query[pairs$tested])
  contest <- contest[contest$query %in% tested]
  if (!nrow(contest)) return(no_findings(aside))
  pages <- weighty_pages(contest)
  set(pages, j = "reason", value = versions_of_one(pages, summary))
  weighty <- pages[pages$reason == ""]
  several <- weighty[, .N, by = "query"]
  queries <- several$query[several$N > 1]
  light <- pages[pages$reason != "" & !pages$query %in% queries]
  aside <- rbind(aside, aside_lines(unique(light[, c("query", "reason")])))
  if (!length(queries)) return(no_findings(aside))

  weeks <- lead_weeks(contest[weighty[weighty$query %in% queries, c("query", "page")], on = c("query", "page")], summary, curve)
  fits <- page_fits(summary, unique(weeks[, c("query", "page")]))
  judged <- rbindlist(lapply(split(weeks, by = "query"), judge_contest, fits = fits, spread = curve_spread(curve, summary)))
  aside <- rbind(aside, aside_lines(judged[judged$harm == "", c("query", "reason")]))
  judged <- judged[judged$harm != ""]
  if (!nrow(judged)) return(no_findings(aside))
  list(found = cannibalized_findings(summary, curve, pairs, judged), aside = aside)
}

curve_spread <- function(curve, summary) vapply(curve$fits, `[[`, 0, "spread")[summary$queries$segment]

aside_lines <- function(rows) {
  if (!NROW(rows)) return(NULL)
  rows[, .(kind = "cannibalized", queries = length(unique(query))), by = "reason"][, c("kind", "reason", "queries")]
}

# Brand searches show several pages of a site on purpose.
brand_aside <- function(summary, pairs) {
  several <- pairs[pairs$segment == "brand", .N, by = "query"]
  if (!any(several$N > 1)) return(NULL)
  data.table(kind = "cannibalized", reason = "brand queries that show several pages on purpose", queries = sum(several$N > 1))
}

# One page in several languages or countries (/de/ beside none, hosts of other countries): addresses that differ in
# nothing else are no rivals. In: pages with their reason. Out: the reasons, with those added.
versions_of_one <- function(pages, summary) {
  path <- sub("^[a-z][a-z0-9+.-]*://[^/]*", "", summary$pages$page)
  plain <- sub("^/[a-z]{2}([-_][a-z]{2})?(/|$)", "/", path, ignore.case = TRUE)
  of <- copy(pages[, c("query", "page", "impressions", "reason")])
  set(of, j = "plain", value = plain[of$page])
  set(of, j = "row", value = seq_len(nrow(of)))
  setorderv(of, c("query", "plain", "impressions"), c(1L, 1L, -1L))
  of[, "again" := duplicated(of, by = c("query", "plain"))]
  replace(pages$reason, of$row[of$again & of$reason == ""], "versions of one page for another language or country")
}

# How well a page fits a query: the share of the query's telling words that stand in the page's address or title, or that
# most of its other queries hold too. Words on every page tell nothing.
page_fits <- function(summary, wanted) {
  words <- lapply(query_words(summary$queries$key), function(own) setdiff(own, c(function_only, "")))
  said <- gsub("[^\\p{L}\\p{N}]+", " ", tolower(paste(sub("^[a-z][a-z0-9+.-]*://[^/]*", "", summary$pages$page),
    if (is.null(summary$pages[["title"]])) "" else ifelse(is.na(summary$pages$title), "", summary$pages$title))), perl = TRUE)
  own <- summary$pairs[summary$pairs$page %in% wanted$page]
  set(wanted, j = "fit", value = vapply(seq_len(nrow(wanted)), function(i) {
    asked <- words[[wanted$query[i]]]
    if (!length(asked)) return(NA_real_)
    others <- setdiff(own$query[own$page == wanted$page[i]], wanted$query[i])
    held <- vapply(asked, function(word) {
      in_address <- grepl(sprintf("(^| )%s", word), said[wanted$page[i]], fixed = FALSE)
      in_others <- length(others) >= 3 && mean(vapply(words[others], function(w) word %in% w, NA)) >= 0.5
      in_address || in_others
    }, NA)
    mean(held)
  }, 0))
  wanted
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
judge_contest <- function(weeks, fits, spread) {
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
  fit <- fits$fit[fits$query == weeks$query[1]][match(rivals, fits$page[fits$query == weeks$query[1]])]
  # Shown together, both at the foot of page one or below: one page could do better than each. Which of the two is ahead in a week is
  # chance then; where pages swap, the week's leader has most of the impressions or stands far above the other.
  beside <- together > 0.5 && apart < 6 && min(totals$position[1:2]) > 7 && mean(share) > 0.25
  near <- isTRUE(stats::median(abs(side[[1]]$position - side[[2]]$position), na.rm = TRUE) < 4)
  swapping <- min(leads) >= 2 && changes >= 0.5 && !(beside && mean(pmax(share, 1 - share)) < 0.7 && near)
  splitting <- beside && !swapping
  # The page that leads matches the query's words much less than the other, and searchers do not take it.
  own <- (1 / spread[weeks$query[1]] + totals$clicks[1]) / (1 / spread[weeks$query[1]] + totals$expected[1])
  wrong <- !swapping && !splitting && isTRUE(fit[2] - fit[1] >= 0.5) && own < 0.8 && totals$position[2] < totals$position[1] + 15
  harm <- if (swapping) "swapping" else if (splitting) "splitting" else if (wrong) "wrong page leads" else ""
  keep <- if (wrong) 2L else which.min(held)
  at <- if (splitting) min(held[is.finite(held)], totals$position[1:2]) * merged_rise else if (wrong) totals$position[1] else held[keep]
  data.table(
    query = weeks$query[1], keep = rivals[keep], other = rivals[3 - keep], held = at, held_other = if (splitting) max(totals$position[1:2]) else held[3 - keep],
    stands = if (splitting) min(totals$position[1:2]) else held[keep], harm = harm,
    reason = if (min(totals$position[1:2]) < 3 && apart < 3) "two pages that both do well at the top" else "two pages, one of which leads throughout",
    confidence = if (swapping) changes else if (splitting) 0.7 else stats::pgamma(0.8, 1 / spread[weeks$query[1]] + totals$clicks[1], 1 / spread[weeks$query[1]] + totals$expected[1]),
    lead_keep = leads[keep], lead_other = leads[3 - keep], weeks = length(all_weeks),
    # Shown together, one search gives both pages an impression: count a week's searches as the larger of the two
    # plus what the smaller has beyond its share of days together.
    searches = if (splitting) sum(pmax(seen[[1]], seen[[2]])) else sum(pmax(seen[[1]], seen[[2]], (seen[[1]] + seen[[2]]) * (1 - 0.5 * together))),
    chance = if (splitting) merged_chance else 1,
    clicks = sum(totals$clicks), expected = sum(totals$expected), pages = list(totals$page)
  )
}

# Two pages merged are taken to rise by a third of their position, and half of such merges to come off. Assumptions, until
# a site's own outcomes teach better.
merged_rise <- 2 / 3
merged_chance <- 0.5

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
  factor <- ifelse(judged$harm == "wrong page leads", 1, own)
  at_held <- judged$searches * curve_ctr(curve, judged$held, segment, 1, 100)
  # Both ends on the curve and both with the query's own factor, so that its luck so far cancels out; where the wrong page
  # leads, the right one has the usual factor instead. How many searches there are is known to a tenth or so, since pages
  # shown together count one search twice.
  then <- at_held * factor
  mean <- judged$chance * (then - own * judged$expected)
  sd <- judged$chance * sqrt(ifelse(judged$harm == "wrong page leads", then^2 * spread, ((at_held - judged$expected) * own)^2 / (1 / spread + judged$clicks)) +
    then^2 * (curve_log_se(curve, judged$held, segment)^2 + 0.15^2) + ifelse(judged$chance < 1, (then * 0.3)^2, 0))
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
    action = cannibalized_words(summary, judged, "action"), reason = cannibalized_words(summary, judged, "reason"),
    claims = claims, identity = paste("cannibalized", summary$queries$key[judged$query]),
    work = paste("cannibalized", summary$pages$key[judged$keep], summary$pages$key[judged$other]),
    how = how_lines(
      sprintf("searches in the window: %s; today the pages are expected to have %.2f clicks on the curve", format_count(judged$searches), judged$expected),
      sprintf("own factor = (1/spread + clicks) / (1/spread + expected) = (%.2f + %s) / (%.2f + %.2f) = %.3f", 1 / spread, format_count(judged$clicks), 1 / spread, judged$expected, own),
      sprintf("one page at position %.2f: %s searches x %.4f on the curve = %.2f clicks", judged$held, format_count(judged$searches), at_held / judged$searches, at_held),
      sprintf("gain = %s(%.2f x %.3f - %.2f x %.3f) x 30 / %d = %.2f", ifelse(judged$chance < 1, sprintf("chance %.2f x ", judged$chance), ""), at_held, factor, judged$expected, own, as.integer(summary$recent$days), gain$gain),
      sprintf("confidence: %s %.3f", ifelse(judged$harm == "swapping", "chance that the lead changed hands at least twice", ifelse(judged$harm == "wrong page leads", "chance that the leading page's factor is below 0.8", "taken as")), judged$confidence)))
  out[out$gain > 0]
}

# What is said of each kind of harm: what: "action" or "reason".
cannibalized_words <- function(summary, judged, what) {
  keep <- format_path(summary$pages$page[judged$keep])
  other <- format_path(summary$pages$page[judged$other])
  query <- summary$queries$query[judged$query]
  says <- switch(what,
    reason = list(
      swapping = sprintf("%s led in %s and %s in %s of the last %d. While it leads, %s stands at position %s; the other at %s.",
        keep, format_plural(judged$lead_keep, "week"), other, format_count(judged$lead_other), judged$weeks, keep, format_position(judged$held), format_position(judged$held_other)),
      splitting = sprintf("%s and %s are shown together week after week, at positions %s and %s: they share what one page could hold nearer the top.",
        keep, other, format_position(judged$stands), format_position(judged$held_other)),
      `wrong page leads` = sprintf("%s leads at position %s, but its address and its other queries match \"%s\" less than those of %s, and searchers pass it by: %s clicks where %s are usual.",
        other, format_position(judged$held), query, keep, format_count(judged$clicks), format_count(judged$expected)),
      unknown = sprintf("%s (position %s) and %s (position %s) both answer it with a good part of the impressions. Without dates it cannot be known whether they swap places or are shown together.",
        keep, format_position(judged$held), other, format_position(judged$held_other))),
    action = list(
      swapping = sprintf("Keep %s for \"%s\": link to it from %s with those words, and take them out of that page's title and headings.", keep, query, other),
      splitting = sprintf("Move what %s says about \"%s\" into %s and redirect it there, or point it clearly at another query.", other, query, keep),
      `wrong page leads` = sprintf("Let %s answer \"%s\": link to it from %s with those words, and reword %s towards what it is about.", keep, query, other, other),
      unknown = sprintf("Export by date to see who leads when; until then, link from %s to %s with the words \"%s\".", other, keep, query)))
  vapply(seq_len(nrow(judged)), function(i) says[[judged$harm[i]]][i], "")
}

# Without dates nobody can know whether pages swap or are shown together: only pairs of pages that are close to
# each other in position and in weight are named, with the doubt in the confidence.
undated_cannibalized <- function(summary, curve, pairs, aside) {
  use <- pairs[pairs$tested]
  several <- use[, .N, by = "query"]
  use <- use[use$query %in% several$query[several$N > 1]]
  if (!nrow(use)) return(no_findings(aside))
  setorderv(use, c("query", "expected"), c(1L, -1L))
  use[, "share" := impressions / sum(impressions), by = "query"]
  judged <- rbindlist(lapply(split(use[use$share >= 0.2 & use$position <= 30], by = "query"), function(two) {
    if (nrow(two) < 2 || abs(diff(two$position[1:2])) > 8 || min(two$position[1:2]) < 3.5) return(NULL)
    data.table(query = two$query[1], keep = two$page[1], other = two$page[2], held = two$position[1],
      held_other = two$position[2], harm = "unknown", confidence = 0.35, searches = sum(two$impressions),
      stands = two$position[1], reason = "", clicks = sum(two$clicks), expected = sum(two$expected), chance = 1,
      pages = list(two$page))
  }))
  if (!nrow(judged)) return(no_findings(aside))
  list(found = cannibalized_findings(summary, curve, pairs, judged), aside = aside)
}
