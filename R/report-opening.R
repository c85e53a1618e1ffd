# The opening of the report: what happened, why, and where, from the figures of the parts below.

opening_sentences <- function(moves, followed) {
  site <- moves$site
  w <- moves$windows
  ratio <- (w$clicks[2] / w$days[2]) / (w$clicks[1] / w$days[1])
  happened <- sprintf("In the %d days to %s the site had %s clicks, %s", w$days[2],
    format_day(w$to[2]), format_count(w$clicks[2]),
    if (abs(ratio - 1) < 0.005) {
      "as many as before."
    } else {
      sprintf("%s %s than in the %d before (%s)%s", percent_size(ratio),
        if (ratio > 1) "more" else "fewer", w$days[1], format_count(w$clicks[1]),
        season_clause(moves, ratio))
    })
  c(happened, opening_reason(moves), opening_event(followed$shifts, w$to[2]),
    opening_days(moves))
}

season_clause <- function(moves, ratio) {
  if (is.null(moves$season)) return(".")
  sprintf("; a year before, the same weeks went %s.", percent_change(moves$season$ratio))
}

part_causes <- list(by_demand = c("more demand", "less demand"),
  by_position = c("better positions", "worse positions"),
  by_ctr = c("a higher CTR at equal position", "a lower CTR at equal position"),
  by_new_lost = c("new queries", "lost queries"))

# The largest part of the change, and the page that carries most of it.
opening_reason <- function(moves) {
  parts <- unlist(whole_lines(moves$site)[, part_names, with = FALSE])
  parts <- parts[order(-abs(parts))]
  told <- utils::head(parts[abs(parts) >= 0.15 * sum(abs(parts)) & abs(parts) >= 1], 2)
  if (!length(told)) return(NULL)
  carrier <- function(name) {
    own <- moves$moves[[name]] * sign(parts[[name]])
    top <- which.max(own)
    if (own[top] < 0.15 * abs(parts[[name]])) return(", spread over many pages")
    sprintf(", %s of them on %s", format_count(own[top]), format_path(moves$moves$name[top]))
  }
  lost <- moves$lost_positions
  on <- if (NROW(lost)) {
    sprintf(" On %s: %s.", format_path(lost$page[1]),
      lost_query_words(lost[lost$page == lost$page[1]]))
  }
  paste0(paste(vapply(names(told), function(name) sprintf("%s %s %s%s",
    format_count(abs(told[[name]])), if (told[[name]] < 0) "were lost to" else "came from",
    part_causes[[name]][1 + (told[[name]] < 0)], carrier(name)),
    ""),
    collapse = "; "),
    ".", if (any(names(told) == "by_position")) on)
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
  line <- unusual_line(moves$unusual)
  if (!is.null(line)) paste0(sub("^u", "U", line), ".")
}
