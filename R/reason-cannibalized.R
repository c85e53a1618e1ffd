# What is said of each kind of harm: what: "action" or "reason".
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
  switch(
    harm,
    swapping = swapping_words(judged, keep, other),
    splitting = splitting_words(judged, keep, other),
    `wrong page leads` = sprintf(paste(
      "%s leads at position %s, but its address and its other queries match",
      "\"%s\" less than those of %s (position %s), and searchers pass it by: %s",
      "clicks where %s are usual."),
      other, format_position(judged$held_other), query, keep, format_position(judged$stands),
      format_count(judged$leader_clicks), format_count(judged$leader_expected)),
    unknown = sprintf(paste(
      "%s (position %s) and %s (position %s) both answer it with a good part of",
      "the impressions. Without dates it cannot be known whether they swap",
      "places or are shown together; one page might stand nearer the top."),
      keep, format_position(judged$stands), other, format_position(judged$held_other)))
}

contest_action <- function(harm, judged, keep, other, query) {
  merge <- sprintf(paste("Move what %s says about \"%s\" into %s and redirect it there, or point",
    "it clearly at another query."),
    other, query, keep)
  switch(
    harm,
    swapping = ifelse(judged$level, merge,
      sprintf(paste("Keep %s for \"%s\": link to it from %s with those words, and take them",
        "out of that page's title and headings."),
        keep, query, other)),
    splitting = merge,
    `wrong page leads` = sprintf(paste(
      "Let %s answer \"%s\": link to it from %s with those words, and reword %s",
      "towards what it is about."),
      keep, query, other, other),
    unknown = sprintf(
      "Export by date to see who leads when; until then, link from %s to %s with the words \"%s\".",
      other, keep, query))
}

# Who took the lead from whom, how the two compare, and who has it now.
swapping_words <- function(judged, keep, other) {
  days <- judged$led_keep + judged$led_other
  led <- sprintf("%s led on %s and %s on %s; the lead changed hands %s", keep,
    format_plural(judged$led_keep, "day"), other, format_count(judged$led_other),
    ifelse(judged$changes == 2, "twice", format_plural(judged$changes, "time")))
  now <- sprintf("Since %s %s leads.", format(judged$since), ifelse(judged$keep_leads, keep, other))
  stands <- format_position(judged$stands)
  stands_other <- format_position(judged$held_other)
  nearest <- pmin(judged$stands, judged$held_other)
  sentences(fcase(judged$led_other > 0.6 * days,
    sprintf("The weaker page has it most of the time: %s.", led), judged$led_keep > 0.6 * days,
    sprintf("%s, which costs it every time.", led), judged$changes >= 5L,
    sprintf("Back and forth: %s.", led), rep(TRUE, nrow(judged)), sprintf("%s.", led)),
    fcase(judged$level & nearest > 10.5, sprintf(paste(
      "Neither gets off page two (position %s while it leads, %s for the",
      "other), where one page with both answers might."),
      stands, stands_other),
      judged$level, sprintf(paste(
        "Neither is clearly better (position %s while it leads, %s for the",
        "other), so one page with both answers might stand nearer the top."),
        stands, stands_other),
      judged$stands <= 3.5 & judged$held_other > 5,
      sprintf("While it leads, %s is in the top three (%s); the other gets no further than %s.",
        keep, stands, stands_other),
      judged$stands <= 10.5 & judged$held_other > 10.5,
      sprintf("With %s the site is on page one (%s), with the other it falls to page two (%s).",
        keep, stands, stands_other),
      rep(TRUE, nrow(judged)), sprintf("While it leads, %s stands at position %s; the other at %s.",
        keep, stands, stands_other)),
    now)
}

splitting_words <- function(judged, keep, other) {
  both <- sprintf("%s and %s are shown together in %s of the weeks, at positions %s and %s", keep,
    other, format_share(judged$together), format_position(judged$stands),
    format_position(judged$held_other))
  fcase(pmin(judged$stands, judged$held_other) > 10.5,
    sprintf("%s: neither gets off page two, where one page might.", both),
    pmax(judged$stands, judged$held_other) > 10.5,
    sprintf("%s: one hangs on at the foot of page one, the other drags behind on page two.", both),
    rep(TRUE, nrow(judged)),
    sprintf("%s: they share what one page could hold nearer the top.", both))
}
