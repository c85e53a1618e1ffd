# Striking distance: pairs close to the next worthwhile position. From page two the next step is page one
# (position 8), from the rest of page one the top three. The gain carries the pair's own factor along the
# curve and is multiplied by the chance of getting there; number one is promised to nobody.

striking_reach <- 0.35

# Chance of the move within about 90 days of work. An assumption until a site's own history can teach it: a
# third for a short step, falling with the distance in log position.
reach_chance <- function(position, target) striking_reach * exp(-log(position / target))

next_step <- function(position) ifelse(position > 10, 8, 3)

find_striking_distance <- function(summary, curve, pairs, options) {
  band <- options$band
  rows <- which(pairs$tested & pairs$position >= band[1] & pairs$position <= band[2] & pairs$position > 3.5)
  if (!length(rows)) return(no_findings())
  at <- pairs[rows]
  target <- next_step(at$position)
  there <- curve_ctr(curve, target, at$segment, at$rows, at$impressions)
  reach <- reach_chance(at$position, target)

  more <- at$impressions * there - at$expected
  mean <- reach * at$own * more
  # Relative errors: own factor, both ends of the curve, and a factor of about 1.4 on the chance.
  relative <- sqrt(1 / at$shape + 2 * at$curve_se^2 * (at$impressions * there / pmax(more, 1e-9))^2 + 0.35^2)
  gain <- lapply(list(gain = mean, low = mean * exp(-stats::qnorm(0.95) * relative),
    high = mean * exp(stats::qnorm(0.95) * relative)), `*`, per_month(summary))
  confidence <- in_band(at, band) * stats::pgamma(0.5, at$shape, at$rate, lower.tail = FALSE)

  keep <- which(more > 0 & gain$gain >= options$min_gain)
  if (!length(keep)) return(no_findings())
  pair_findings("striking_distance", summary, pairs, rows[keep], lapply(gain, `[`, keep), confidence[keep],
    striking_action(summary, at[keep], target[keep]), striking_reason(summary, at[keep], target[keep], there[keep], reach[keep]))
}

# Chance that the pair's lasting position lies in the band, from its spread between cells; a dozen looks at most
# count as independent.
in_band <- function(at, band) {
  looks <- pmin(at$impressions, 12)
  se <- sqrt((at$spread^2 + 0.5^2) / looks)
  stats::pnorm((band[2] + 0.5 - at$position) / se) - stats::pnorm((max(band[1] - 0.5, 3) - at$position) / se)
}

striking_reason <- function(summary, at, target, there, reach) {
  intent <- query_intent(summary$queries$key[at$query])
  relevance <- ifelse(at$own > 1.2, sprintf(" It is clicked %.1f times as often as usual at its position, which proves it relevant.", at$own), "")
  bent <- ifelse(intent == "commercial", " The words are those of a buyer.", "")
  sprintf("At position %s with %s %s it earns %s; at position %d it could expect %s. Chance of the step taken as %s.%s%s",
    format_position(at$position), format_plural(at$impressions, "impression"), in_period(summary),
    format_plural(at$clicks, "click"), as.integer(target), format_rate(pmin(there * at$own, 1)), format_share(reach), relevance, bent)
}

striking_action <- function(summary, at, target) {
  query <- summary$queries$query[at$query]
  page <- format_path(summary$pages$page[at$page])
  page <- ifelse(nzchar(page), page, "the page that ranks")
  ifelse(target == 3,
    sprintf("Deepen %s on \"%s\": answer it in the first paragraph, and link to it from your strongest pages on the topic.", page, query),
    sprintf("Give \"%s\" a heading and a passage of its own on %s, and point internal links with those words at it, to reach page one.", query, page))
}
