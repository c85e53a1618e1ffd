# Rising and falling: pairs whose clicks for a search moved over the last eight weeks by more than chance. Fewer or more
# searches move impressions and are nobody's doing on the page, so they are left out of it; what is left is position and
# click-through at equal position.

moving_weeks <- 4L

# Per pair the sums of the last weeks and of as many before: clicks, impressions, position, clicks expected on the
# curve, demand (`_1` before, `_2` last), and why clicks changed (see move-parts.R). NULL without weeks enough.
two_windows <- function(summary, curve) {
  weekly <- summary$weekly
  last <- summary$recent$days %/% 7L
  if (is.null(weekly) || last < 2 * moving_weeks) return(NULL)
  side <- ifelse(weekly$week > last - moving_weeks, 2L, ifelse(weekly$week > last - 2L * moving_weeks, 1L, 0L))
  own <- copy(weekly)[side > 0]
  set(own, j = "side", value = side[side > 0])
  set(own, j = "weighted", value = own$impressions * own$position)
  set(own, j = "expected", value = own$impressions * curve_ctr(curve, own$position, summary$queries$segment[own$query],
    1, own$impressions))
  set(own, j = "demand", value = searches_seen(own$impressions, own$position, page_one_views(summary)))
  moved <- pair_sums(own)
  moved <- moved[moved$impressions_1 > 0 & moved$impressions_2 > 0]
  for (side in 1:2) set(moved, j = paste0("position_", side),
    value = moved[[paste0("weighted_", side)]] / moved[[paste0("impressions_", side)]])
  factor <- pair_factor(moved, curve$fits[[1]])
  cbind(moved, change_parts(moved$clicks_1, moved$clicks_2, moved$expected_1, moved$expected_2, moved$demand_1,
    moved$demand_2, factor)[, c("position", "click_through")])
}

find_falling <- function(summary, curve, pairs, options) find_moving(summary, curve, pairs, options, "falling")
find_rising <- function(summary, curve, pairs, options) find_moving(summary, curve, pairs, options, "rising")

# Half of what was lost is taken to be won back; a rise that is given support, to go on by a third. Assumptions.
won_back <- 0.5
goes_on <- 1 / 3

find_moving <- function(summary, curve, pairs, options, kind) {
  moved <- two_windows(summary, curve)
  if (is.null(moved)) return(no_findings())
  at <- pairs[moved, on = c("query", "page"), which = TRUE]
  use <- which(!is.na(at) & pairs$judged[at] & pmin(moved$impressions_1, moved$impressions_2) >= 20 & moved$clicks_1 +
    moved$clicks_2 >= 8)
  if (length(use) < 20) return(no_findings())
  moved <- moved[use]
  at <- at[use]
  change <- log((moved$clicks_2 + 0.5) / moved$demand_2) - log((moved$clicks_1 + 0.5) / moved$demand_1)
  noise <- 1 / (moved$clicks_1 + 0.5) + 1 / (moved$clicks_2 + 0.5)
  groups <- fit_groups(measured_over_factors(change, noise), usual_sd = 0.15)
  group <- if (kind == "falling") 2L else 3L
  confidence <- part_shares(change, noise, groups$weight, groups$mean,
    groups$sd)[, group] * if (kind == "falling") change < groups$mean[1] else change > groups$mean[1]
  # What moved by less than a quarter is nobody's working day.
  clear <- abs(change - groups$mean[1]) > log(4 / 3) & pairs$tested[at]
  listed <- worthiest_within(ifelse(clear, confidence, 0), fdr = options$fdr)
  listed <- listed[clear[listed]]
  if (!length(listed)) return(no_findings())
  size <- shrink_to(change[listed], noise[listed], groups$mean[group], groups$sd[group])
  now <- (moved$clicks_2[listed] + moved$demand_2[listed] * (moved$clicks_1[listed] +
    0.5) / moved$demand_1[listed] * exp(size$mean)) / 2
  more <- if (kind == "falling") function(move) now * (exp(-move) - 1) * won_back else function(move) now * (exp(move * goes_on) - 1)
  reach <- stats::qnorm(0.95) * sqrt(size$variance)
  ends <- list(more(size$mean - reach), more(size$mean + reach))
  # Assumed shares are known to a factor of about 1.4.
  gain <- lapply(list(gain = more(size$mean), low = do.call(pmin, ends) / 1.4, high = do.call(pmax, ends) * 1.4),
    function(x) pmax(0, x) * 30 / (7 * moving_weeks))
  keep <- which(gain$gain >= options$min_gain)
  if (!length(keep)) return(no_findings())
  listed <- listed[keep]
  rows <- at[listed]
  of <- moved[listed]
  share <- of$position / (of$position + of$click_through)
  list(found = pair_findings(kind, summary, pairs, rows, lapply(gain, `[`, keep), confidence[listed],
    moving_action(summary, of, share, kind), moving_reason(of, share),
    moving_how(of, change[listed], noise[listed], groups, group, size$mean[keep], now[keep],
      lapply(gain, `[`, keep)$gain, confidence[listed], kind)))
}

moving_how <- function(of, change, noise, groups, group, size, now, gain, confidence, kind) {
  how_lines(
    sprintf("change of clicks for a search = ln((%s + 0.5) / %.1f) - ln((%s + 0.5) / %.1f) = %.3f, variance of its noise %.3f (impressions beyond position 10.5 raised to what page one would have seen)",
      format_count(of$clicks_2), of$demand_2, format_count(of$clicks_1), of$demand_1, change, noise),
    sprintf("clicks by position %+.1f, by click-through at equal position %+.1f in four weeks (searches are taken out)",
      of$position, of$click_through),
    sprintf("pairs of this site usually move by %.3f on average, standard deviation %.3f; those that %s by %.3f, %.3f",
      groups$mean[1], groups$sd[1], if (kind == "falling") "fall" else "rise", groups$mean[group], groups$sd[group]),
    sprintf("change, its luck taken out: %.3f; clicks of four weeks now: %.2f", size, now),
    if (kind == "falling") sprintf("gain = half of what was lost = %.2f x (exp(%.3f) - 1) x %.1f x 30 / 28 = %.2f", now,
      -size, won_back, gain) else
      sprintf("gain = a third of the rise once more = %.2f x (exp(%.3f / 3) - 1) x 30 / 28 = %.2f", now, size, gain),
    sprintf("confidence: chance that it belongs to those that %s: %.3f", if (kind == "falling") "fall" else "rise",
      confidence))
}

moving_cause <- function(share) ifelse(share > 0.6, "position", ifelse(share < 0.25, "ctr", "both"))

moving_reason <- function(of, share) {
  rate <- function(side) format_rate(of[[paste0("clicks_", side)]] / of[[paste0("impressions_", side)]])
  cause <- c(position = "the position moved from %s to %s, which makes %s of it",
    ctr = "the position hardly moved (%s, then %s) and makes %s of it: people choose differently at the same place",
    both = "the position (%s, then %s) makes %s of it, the rest is what people choose")[moving_cause(share)]
  sprintf("%s of %s impressions clicked in the last four weeks, %s of %s in the four before: CTR went from %s to %s. Searches apart, that is %s; %s.",
    format_count(of$clicks_2), format_count(of$impressions_2), format_count(of$clicks_1),
    format_count(of$impressions_1), rate(1), rate(2),
    moving_clicks(of$position + of$click_through),
    vapply(seq_along(share), function(i) sprintf(cause[i], format_position(of$position_1[i]),
      format_position(of$position_2[i]),
      format_share(pmin(1, pmax(0, share[i])))), ""))
}

moving_clicks <- function(change) paste(format_plural(round(abs(change)), "click"), ifelse(change < 0, "lost", "won"))

moving_action <- function(summary, of, share, kind) {
  query <- summary$queries$query[of$query]
  page <- format_path(summary$pages$page[of$page])
  cause <- moving_cause(share)
  if (kind == "rising") {
    return(sprintf("Give \"%s\" support while it rises: link to %s from your strongest related pages with those words, and see that its first passage is up to date.", query, page))
  }
  ifelse(cause == "position", sprintf("Look up what ranks above %s for \"%s\" now, bring the page up to date where it falls behind, and check that no link to it was lost.", page, query),
    sprintf("Look at the results page of \"%s\": if something new stands above or beside %s, answer it in title and description; if the title was changed, change it back.", query, page))
}
