# What is said of rising and falling pairs.

moving_cause <- function(share) ifelse(share > 0.6, "position", ifelse(share < 0.25, "ctr", "both"))

moving_reason <- function(of, share) {
  rate <- function(side) format_rate(of[[paste0("clicks_", side)]] /
    of[[paste0("impressions_", side)]])
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

moving_clicks <- function(change) paste(format_plural(round(abs(change)), "click"),
  ifelse(change < 0, "lost", "won"))

moving_action <- function(summary, of, share, kind) {
  query <- summary$queries$query[of$query]
  page <- format_path(summary$pages$page[of$page])
  cause <- moving_cause(share)
  if (kind == "rising") {
    return(sprintf("Give \"%s\" support while it rises: link to %s from your strongest related pages with those words, and see that its first passage is up to date.", query, page))
  }
  ifelse(cause == "position",
    sprintf("Look up what ranks above %s for \"%s\" now, bring the page up to date where it falls behind, and check that no link to it was lost.", page, query),
    sprintf("Look at the results page of \"%s\": if something new stands above or beside %s, answer it in title and description; if the title was changed, change it back.", query, page))
}
