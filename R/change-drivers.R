# What drives what, of all that changed significantly: pages whose change is one query's and pages
# all of whose queries changed, folders whose change is one page's and folders all of whose pages
# changed, and topics that rise across the site with no page of their own.

# most: share of the change that one part must make up to drive it, and of the parts that must have
# changed the same way for all to have. Out: the largest change first: kind (one query, whole page,
# one page, whole folder, topic without a page), name, change (clicks per 30 days), by (the query
# or page that drives it, or ""), share (of the change, or of the parts that went along), parts
# (queries or pages looked at: those with 5 clicks or more), sentence.
change_drivers <- function(basis, site, rules = tide_rules(), most = 0.8) {
  pairs <- basis$pairs
  site <- log(site$ratio)
  folders <- page_group(unique(pairs$page_name), rules$page_groups)[match(pairs$page_name,
    unique(pairs$page_name))]
  none <- driver_lines(character(), character(), numeric(), character(), numeric(), integer(),
    character())
  out <- rbind(none,
    driven(basis, pairs$page_name, pairs$query_name, site, most, c("one query", "whole page")),
    driven(basis, folders, pairs$page_name, site, most, c("one page", "whole folder")),
    homeless_topics(basis, site))
  out <- out[order(-abs(out$change), out$name)]
  out[]
}

driver_lines <- function(kind, name, change, by, share, parts, sentence) {
  data.table(kind = kind, name = name, change = change, by = by, share = share, parts = parts,
    sentence = sentence)
}

# Real movers among the wholes, and which of their parts make the change.
driven <- function(basis, whole, part, site, most, kinds) {
  days <- basis$days
  lines <- lines_of(basis, whole)
  # Fewer than three clicks are nobody's news.
  lines <- whole_lines(lines[lines$significant & abs(lines$change) >= 3])
  keep <- which(whole %in% lines$name)
  own <- basis$pairs[keep, c(part_names, "clicks_1", "clicks_2"), with = FALSE]
  set(own, j = c("whole", "part"), value = list(whole[keep], part[keep]))
  own <- sums_by(own, c("whole", "part"), c(part_names, "clicks_1", "clicks_2"))
  set(own, j = "change", value = rowSums(own[, part_names, with = FALSE]))
  set(own, j = "aside",
    value = log_change(own$clicks_1, own$clicks_2, days[1], days[2])$change - site)
  rbindlist(lapply(seq_len(nrow(lines)), function(i) {
    at <- lines[i]
    parts <- own[own$whole == at$name]
    busy <- parts[parts$clicks_1 + parts$clicks_2 >= 5]
    if (nrow(busy) < 3) return(NULL)
    lead <- which.max(parts$change * sign(at$change))
    share <- min(1, parts$change[lead] / at$change)
    along <- mean(busy$aside * (log(at$ratio) - site) > 0)
    verb <- if (at$change < 0) "lost" else "gained"
    name <- if (kinds[1] == "one query") format_path(at$name) else at$name
    if (share >= most) {
      main_part <- parts$part[lead]
      return(driver_lines(kinds[1], at$name, at$change, main_part, share, nrow(busy),
        sprintf("%s %s %s clicks%s, %s of it by %s alone: look there, not at the %s.", name, verb,
          format_count(abs(at$change)), month_words(basis$scaled), format_share(share),
          if (kinds[1] == "one query") sprintf("\"%s\"", main_part) else format_path(main_part),
          if (kinds[1] == "one query") "page" else "folder")))
    }
    with_site <- sign(at$change) != sign(log(at$ratio) - site)
    if (along < most || nrow(busy) < 4 || with_site) return(NULL)
    many <- round(along * nrow(busy))
    driver_lines(kinds[2], at$name, at$change, "", along, nrow(busy),
      sprintf("%s %s %s clicks%s: %s %s %s more than the site did.", name, verb,
        format_count(abs(at$change)), month_words(basis$scaled),
        if (many == nrow(busy)) sprintf("all %d", many) else sprintf("%d of %d", many, nrow(busy)),
        if (kinds[1] == "one query") "queries" else "pages", verb))
  }))
}

# Topics that rise by more than the site, on several pages none of which is theirs.
homeless_topics <- function(basis, site) {
  pairs <- basis$pairs
  queries <- unique(pairs$query_name)
  code <- match(pairs$query_name, queries)
  topic <- head_terms(query_key(queries), leading_pairs(pairs, length(queries), code))[code]
  lines <- lines_of(basis, fcoalesce(topic, ""))
  lines <- lines[nzchar(lines$name) & lines$significant & lines$change >= 1 &
    log(lines$ratio) > site]
  lines <- whole_lines(lines)
  rows_of <- split(seq_along(topic), factor(topic, lines$name))
  rbindlist(lapply(seq_len(nrow(lines)), function(i) {
    own <- pairs[rows_of[[i]]]
    by_page <- sort(tapply(own$clicks_2, own$page_name, sum), decreasing = TRUE)
    if (length(by_page) < 3 || by_page[1] > sum(by_page) / 2 ||
        any(grepl(lines$name[i], tolower(names(by_page)), fixed = TRUE))) {
      return(NULL)
    }
    driver_lines("topic without a page", lines$name[i], lines$change[i], "",
      unname(by_page[1] / sum(by_page)), length(by_page),
      sprintf("\"%s\" gained %s clicks%s over %d pages, none of which is its own: an idea for one.",
        lines$name[i], format_count(lines$change[i]), month_words(basis$scaled), length(by_page)))
  }))
}

# Of each part of what the site gained or lost, the page that carries most of it: data.table(part,
# page, clicks, rest: what is left of the part without that page).
part_carriers <- function(pairs, site) {
  by_page <- sums_by(pairs, "page_name", part_names)
  if (nrow(by_page) < 2) return(NULL)
  rbindlist(lapply(part_names, function(part) {
    top <- which.max(by_page[[part]] * sign(site[[part]]))
    data.table(part = part, page = by_page$page_name[top], clicks = by_page[[part]][top],
      rest = site[[part]] - by_page[[part]][top])
  }))
}

# Where positions were lost: the pages that carry it, on each the queries that do, and since when.

# In: the pairs of a comparison with `page_name`, `query_name`; rows with `pair`, their index; the
# windows. Out: the page that lost most first, its queries likewise: data.table(page, page_clicks:
# what positions cost the page, query, clicks, position_before, position_after, since: the first day
# of the lower position, missing where it slipped little by little or windows lie apart).
lost_positions <- function(pairs, rows, pair, windows, pages = 2, queries = 3, most = 0.1) {
  whole <- sums_by(pairs, "page_name", "by_position")
  site_change <- sum(whole$by_position)
  lost <- whole[whole$by_position < 0 & whole$by_position < -most * sum(abs(whole$by_position))]
  lost <- utils::head(lost[order(lost$by_position)], if (site_change < 0) pages else 0)
  rbindlist(c(list(lost_line()), lapply(seq_len(nrow(lost)), function(i) {
    own <- which(pairs$page_name == lost$page_name[i] & pairs$by_position < 0)
    own <- utils::head(own[order(pairs$by_position[own])], queries)
    own <- own[pairs$by_position[own] <= most * lost$by_position[i]]
    at <- pairs[own]
    lower <- at$weighted_2 / at$impressions_2 - at$weighted_1 / at$impressions_1 >= 0.1
    own <- own[lower]
    at <- at[lower]
    if (!nrow(at)) return(NULL)
    lost_line(lost$page_name[i], lost$by_position[i], at$query_name, at$by_position,
      at$weighted_1 / at$impressions_1, at$weighted_2 / at$impressions_2,
      as.IDate(vapply(own, function(one) slipped_since(rows[which(pair == one)], windows), 0L)))
  })))
}

lost_line <- function(page = character(), page_clicks = numeric(), query = character(),
    clicks = numeric(), position_before = numeric(), position_after = numeric(),
    since = as.IDate(integer())) {
  data.table(page, page_clicks, query, clicks, position_before, position_after, since)
}

# The day from which on a pair stands lower, as a number: the split of its days into two levels that
# explains most of how positions differ by day, weighted by impressions; missing where two levels
# explain less than `enough` of it.
slipped_since <- function(rows, windows, least = 5L, enough = 0.25) {
  if (windows$after[1] != windows$before[2] + 1L) return(NA_integer_)
  days <- sums_by(rows, "date", c("impressions", "weighted"))
  setorderv(days, "date")
  n <- nrow(days)
  if (n < 2L * least) return(NA_integer_)
  weight <- cumsum(days$impressions)
  sums <- cumsum(days$weighted)
  at <- seq(least, n - least)
  average <- sums[n] / weight[n]
  first <- sums[at] / weight[at]
  second <- (sums[n] - sums[at]) / (weight[n] - weight[at])
  between <- weight[at] * (first - average)^2 + (weight[n] - weight[at]) * (second - average)^2
  spread_all <- sum(days$impressions * (days$weighted / days$impressions - average)^2)
  best <- which.max(between)
  since <- days$date[at[best] + 1L]
  if (between[best] < enough * spread_all || second[best] < first[best]) return(NA_integer_)
  as.integer(since)
}
