# Striking distance in words. A reason opens with the strongest argument for this query, goes on
# with what it earns now and would earn, and ends with the other arguments.

striking_reason <- function(summary, at, target, step, rivals) {
  arguments <- striking_arguments(summary, at, target, step, rivals)
  strongest <- max.col(arguments != "", "first")
  chosen <- cbind(seq_len(nrow(at)), strongest)
  opening <- arguments[chosen]
  arguments[chosen] <- ""
  sentences(opening, striking_figures(summary, at, target, step),
    apply(arguments[, -ncol(arguments), drop = FALSE], 1, paste, collapse = " "))
}

# A column an argument, the strongest first; the last holds for all.
striking_arguments <- function(summary, at, target, step, rivals) {
  trend <- position_trend(summary, at)
  moved <- ifelse(is.na(trend$first / trend$last), 1, trend$first / trend$last)
  course <- sprintf("from %s to %s", format_position(trend$first), format_position(trend$last))
  cbind(
    ifelse(moved < 1 / 1.15, sprintf("Slipping, %s in these months, so do it soon.", course), ""),
    ifelse(rivals > 0, sprintf("%s of the site %s shown for it too; settle first which is meant.",
      format_plural(rivals, "other page"), ifelse(rivals == 1, "is", "are")),
      ""),
    ifelse(at$own > 1.5, sprintf(
      "Clicked %.1f times as often as usual at its place: searchers want this page.", at$own),
      ""),
    ifelse(moved > 1.15, sprintf("On its way already, %s in these months.", course), ""),
    ifelse(at$own > 1.2 & at$own <= 1.5, sprintf(
      "It is clicked %.1f times as often as usual at its place, which proves it relevant.", at$own),
      ""),
    ifelse(query_intent(summary$queries$key[at$query]) == "commercial",
      "The words are those of a buyer.", ""),
    ifelse(step$wider > 1.05,
      sprintf("Page one is seen %.1f times as often as page two.", step$wider), ""),
    ifelse(at$position > 10.5, "Just beyond page one.",
      ifelse(at$position > 7.5, "At the foot of page one.",
        ifelse(at$position < 4.6, "One step from the top three.", "In the middle of page one."))))
}

striking_figures <- function(summary, at, target, step) {
  place <- format_position(at$position)
  seen <- format_plural(at$impressions, "impression")
  clicks <- format_plural(at$clicks, "click")
  then <- format_rate(pmin(step$there * at$own, 1))
  goal <- ifelse(target <= 3, "in the top three", ifelse(target <= 10, "on page one", "there"))
  figures <- fcase(at$clicks == 0, sprintf(
    "%s at position %s brought no click %s; %s (position %s) some %s of them could.", seen, place,
    in_period(summary), goal, format_place(target), then),
    at$position > 10.5, sprintf(
      "From position %s it has %s of %s %s; %s (position %s) %s could click.", place, clicks, seen,
      in_period(summary), goal, format_place(target), then),
    at$position > 7.5, sprintf(
      "%s of %s at position %s %s; %s (position %s) it would be %s of them.", clicks, seen, place,
      in_period(summary), goal, format_place(target), then),
    at$position < 4.6, sprintf(paste(
      "Clicked in %s of its impressions at position %s (%s of %s %s); %s",
      "(position %s) %s is in reach."),
      format_rate(at$ctr), place, format_count(at$clicks), format_count(at$impressions),
      in_period(summary), goal, format_place(target), then),
    rep(TRUE, nrow(at)), sprintf(
      "At position %s it earns %s from %s %s, and %s (position %s) could expect %s.", place, clicks,
      seen, in_period(summary), goal, format_place(target), then))
  paste(figures, striking_chance(step))
}

striking_chance <- function(step) {
  share <- format_share(step$reach)
  by <- if (is.null(step$learnt)) "as is assumed" else "by this site's own history"
  fcase(step$reach >= 0.12, sprintf("Such a step comes off in %s, %s.", share, by),
    step$reach >= 0.05, sprintf("%s of such queries get there, %s.", share, by),
    rep(TRUE, length(share)), sprintf("A long shot: %s get there, %s.", share, by))
}

striking_action <- function(summary, at, target) {
  query <- summary$queries$query[at$query]
  page <- page_words(summary, at$page)
  ifelse(target <= 3, sprintf(paste(
    "Deepen %s on \"%s\": answer it in the first paragraph, and link to it",
    "from your strongest pages on the topic."),
    page, query),
    sprintf(paste("Give \"%s\" a heading and a passage of its own on %s, and point internal",
      "links with those words at it, to reach position %s."),
      query, page, format_place(target)))
}
