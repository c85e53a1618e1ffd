# What is said of each kind of harm: what: "action" or "reason". other_clicks: what the page that
# gives way earns in 30 days from its other queries.
cannibalized_words <- function(summary, judged, what) {
  said <- character(nrow(judged))
  for (harm in unique(judged$harm)) {
    own <- which(judged$harm == harm)
    of <- judged[own]
    words <- if (what == "reason") contest_reason else contest_action
    said[own] <- words(harm, of, format_path(summary$pages$page[of$keep]),
      format_path(summary$pages$page[of$other]), summary$queries$query[of$query])
  }
  said
}

contest_reason <- function(harm, judged, keep, other, query) {
  stands <- format_position(judged$stands)
  stands_other <- format_position(judged$held_other)
  may_rise <- "One page with both answers may stand higher."
  switch(
    harm,
    swapping = sentences(sprintf("Two pages take turns: %s led on %s, %s on %s (%s).", keep,
      format_plural(judged$led_keep, "day"), other, format_count(judged$led_other),
      format_plural(judged$changes, "change")),
      sprintf("With %s in front the position is %s, with %s %s.", keep, stands, other,
        stands_other),
      ifelse(judged$level, may_rise, ""),
      sprintf("Since %s %s leads.", format_day(judged$since),
        ifelse(judged$keep_leads, keep, other))),
    splitting = sprintf(
      "Two pages are shown together in %s of the weeks: %s at position %s, %s at %s. %s",
      format_share(judged$together), keep, stands, other, stands_other, may_rise),
    `wrong page leads` = ifelse(judged$intended,
      sprintf(
        "%s leads at position %s with %s; %s are expected. The intended page is %s (position %s).",
        other, stands_other, format_plural(judged$leader_clicks, "click"),
        format_count(judged$leader_expected), keep, stands),
      sprintf(paste(
        "%s leads at position %s with %s; %s are expected. Its address and its other queries match",
        "\"%s\" less than those of %s (position %s)."),
        other, stands_other, format_plural(judged$leader_clicks, "click"),
        format_count(judged$leader_expected), query, keep, stands)),
    unknown = sprintf(paste(
      "%s (position %s) and %s (position %s) share the impressions. Doubt: without dates it cannot",
      "be known whether they take turns or are shown together."),
      keep, stands, other, stands_other))
}

contest_action <- function(harm, judged, keep, other, query) {
  merge <-
    sprintf("Move what %s says about \"%s\" to %s, and redirect it there.", other, query, keep)
  relink <- sprintf(paste(
    "Keep %s for \"%s\": link to it from %s in varied words, and reword title and",
    "headings of %s towards its other queries%s."),
    keep, query, other, other, ifelse(judged$other_clicks >= 1,
      sprintf(", which earn %s clicks a month", format_clicks(judged$other_clicks)), ""))
  switch(
    harm,
    swapping = ifelse(judged$redirect, merge, relink),
    splitting = ifelse(judged$redirect, merge, relink),
    `wrong page leads` = relink,
    unknown = sprintf(paste("Export by date to see who leads when; until then, link from %s to %s",
      "where it is about \"%s\"."),
      other, keep, query))
}
