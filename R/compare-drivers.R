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
      by <- parts$part[lead]
      return(driver_lines(kinds[1], at$name, at$change, by, share, nrow(busy),
        sprintf("%s %s %s clicks%s, %s of it by %s alone: look there, not at the %s.", name, verb,
          format_count(abs(at$change)), month_words(basis$scaled), format_share(share),
          if (kinds[1] == "one query") sprintf("\"%s\"", by) else format_path(by),
          if (kinds[1] == "one query") "page" else "folder")))
    }
    with_site <- sign(at$change) != sign(log(at$ratio) - site)
    if (along < most || nrow(busy) < 4 || with_site) return(NULL)
    driver_lines(kinds[2], at$name, at$change, "", along, nrow(busy),
      sprintf("%s %s %s clicks%s: %s of its %d %s %s more than the site did.", name, verb,
        format_count(abs(at$change)), month_words(basis$scaled), round(along * nrow(busy)),
        nrow(busy), if (kinds[1] == "one query") "queries" else "pages", verb))
  }))
}

# Topics that rise by more than the site, on several pages none of which is theirs.
homeless_topics <- function(basis, site) {
  pairs <- basis$pairs
  queries <- unique(pairs$query_name)
  code <- match(pairs$query_name, queries)
  topic <- head_terms(query_key(queries), leading_pairs(pairs, length(queries), code))[code]
  lines <- lines_of(basis, fcoalesce(topic, ""))
  lines <- lines[nzchar(lines$name) & lines$significant & lines$change >= 1 & log(lines$ratio) > site]
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
