# The opening of the report: what happened, why, and where, from the figures of the parts below.

opening_sentences <- function(moves, followed) {
  site <- moves$site
  w <- moves$windows
  days <- as.integer(w$to[2] - w$from[2]) + 1L
  ratio <- site$clicks_after / site$clicks_before
  happened <- sprintf("In the %d days to %s the site earned %s clicks a month, %s", days,
    format(w$to[2]), format_count(site$clicks_after),
    if (abs(ratio - 1) < 0.005) {
      "as many as before."
    } else {
      sprintf("%s %s than in the %d before%s", percent_size(ratio),
        if (ratio > 1) "more" else "fewer", days, season_clause(moves, ratio))
    })
  c(happened, opening_reason(moves), opening_event(followed$shifts, w$to[2]),
    opening_days(followed$unusual, w))
}

season_clause <- function(moves, ratio) {
  if (is.null(moves$season)) return(".")
  sprintf("; a year before, the same weeks went %s.", percent_change(moves$season$ratio))
}

part_causes <- list(demand = c("more searches", "fewer searches"),
  position = c("better positions", "worse positions"),
  click_through = c("more clicks at equal position", "fewer clicks at equal position"),
  mix = c("queries that are new", "queries no longer shown"))

# The largest part of the change, and the page that carries most of it.
opening_reason <- function(moves) {
  parts <- unlist(moves$site[, part_names, with = FALSE])
  parts <- parts[order(-abs(parts))]
  told <- utils::head(parts[abs(parts) >= 0.15 * sum(abs(parts)) & abs(parts) >= 1], 2)
  if (!length(told)) return(NULL)
  carrier <- function(name) {
    own <- moves$moves[[name]] * sign(parts[[name]])
    top <- which.max(own)
    if (own[top] < 0.15 * abs(parts[[name]])) return(", spread over many pages")
    sprintf(", %s of them on %s", format_clicks(own[top]), format_path(moves$moves$name[top]))
  }
  paste0(paste(vapply(names(told), function(name) sprintf("%s %s %s%s",
    format_clicks(abs(told[[name]])), if (told[[name]] < 0) "were lost to" else "came from",
    part_causes[[name]][1 + (told[[name]] < 0)], carrier(name)),
    ""),
    collapse = "; "),
    ".")
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
    "the page it touched has"
  } else {
    sprintf("the %d pages it touched have", top$touched)
  }
  sprintf("Since \u201c%s\u201d (%s) %s %s %s clicks than %s let expect (%s to %s).", top$event,
    format(top$date), who, percent_size(top$ratio), if (top$ratio > 1) "more" else "fewer",
    if (whole) "the weeks before" else "untouched ones", percent_change(top$ratio_low),
    percent_change(top$ratio_high))
}

# Unusual days inside the windows put the comparison in doubt.
opening_days <- function(unusual, windows) {
  inside <- unusual[unusual$to >= windows$from[1] & unusual$from <= windows$to[2]]
  if (!NROW(inside)) return(NULL)
  sprintf("Mind %s: %s.", paste(
    ifelse(inside$from == inside$to, format(inside$from), format_days(inside$from, inside$to)),
    collapse = ", "),
    paste(unique(inside$what), collapse = ", "))
}
