# The opening of the report: what happened, why, and where, from the figures of the parts below.

opening_sentences <- function(moves, followed) {
  w <- moves$windows
  a_day <- w$clicks / w$days
  ratio <- if (a_day[1] > 0) a_day[2] / a_day[1] else if (a_day[2] > 0) Inf else 1
  # One unit: of windows that differ in length, clicks per 30 days.
  clicks <- if (moves$scaled) 30 * a_day else w$clicks
  happened <- sprintf("In the %d days to %s %s had %s clicks%s, %s", w$days[2],
    format_day(w$to[2]), if (length(moves$chosen)) "what was chosen" else "the site",
    format_count(clicks[2]), month_words(moves$scaled),
    if (abs(ratio - 1) < 0.005) {
      "as many as before."
    } else if (ratio == Inf) {
      sprintf("after none in the %d before.", w$days[1])
    } else {
      sprintf("%s %s than in the %d before (%s)%s", percent_size(ratio),
        if (ratio > 1) "more" else "fewer", w$days[1], format_count(clicks[1]),
        season_clause(moves))
    })
  c(happened, opening_reason(moves), opening_event(followed$shifts, w$to[2]),
    opening_days(moves))
}

season_clause <- function(moves) {
  if (is.null(moves$season)) return(".")
  sprintf("; last year the same weeks %s by %s.",
    if (moves$season$ratio < 1) "fell" else "grew", percent_size(moves$season$ratio))
}

# All parts of the change, which add up to it, with the page that carries most of the large ones,
# and the queries that lost positions there.
opening_reason <- function(moves) {
  whole <- whole_lines(moves$site)
  parts <- unlist(whole[, part_names, with = FALSE])
  parts <- parts[order(-abs(parts))]
  parts <- parts[parts != 0]
  if (!length(parts)) return(NULL)
  phrases <- vapply(names(parts), function(name) sprintf("%s %s by %s%s",
    format_count(abs(parts[[name]])), if (parts[[name]] < 0) "lost" else "gained",
    part_words[[name]],
    carrier_words(moves, name, parts[[name]], least = 0.15, others = " (spread over many pages)")),
    "")
  lost <- moves$lost_positions
  c(sprintf("The change of %s clicks%s: %s.", signed_count(whole$change), month_words(moves$scaled),
    paste(phrases, collapse = ", ")),
    if ("by_position" %in% names(parts) && parts[["by_position"]] < 0 && NROW(lost)) {
      sprintf("Positions lost on %s: %s.", format_path(lost$page[1]),
        lost_query_words(lost[lost$page == lost$page[1]]))
    })
}

# The event of the last months with the clearest effect on clicks.
opening_event <- function(shifts, last, most_days = 120L) {
  if (!NROW(shifts)) return(NULL)
  own <- shifts[shifts$measure == "clicks" & shifts$verdict %in% c("rose", "fell") &
    shifts$date >= last - most_days]
  if (!nrow(own)) return(NULL)
  top <- own[which.max(abs(log(own$ratio)) / log(own$ratio_high / own$ratio_low))]
  whole <- !nzchar(top$pages)
  who <- if (whole) {
    "the site has"
  } else if (top$touched == 1) {
    "the affected page has"
  } else {
    sprintf("the %d affected pages have", top$touched)
  }
  sprintf("Since \u201c%s\u201d (%s), %s %s %s clicks than %s (%s to %s).", top$event,
    format_day(top$date), who, percent_size(top$ratio), if (top$ratio > 1) "more" else "fewer",
    if (whole) "in the weeks before" else "comparable pages", percent_change(top$ratio_low),
    percent_change(top$ratio_high))
}

# Unusual days inside the windows are left out of the comparison.
opening_days <- function(moves) {
  one_line <- unusual_line(moves$unusual)
  if (!is.null(one_line)) paste0(sub("^u", "U", one_line), ".")
}
