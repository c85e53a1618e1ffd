# A comparison in sentences: how much, why, what else is known of the windows.

part_words <- c(by_demand = "demand", by_position = "position", by_ctr = "CTR",
  by_new_lost = "new and lost queries")

# Said of figures that are not those of the windows but for 30 days.
month_words <- function(scaled) if (scaled) " per 30 days" else ""

# From which share of all that moved a part is worth a page's name.
telling_share <- 0.15

# "(430 of them on /)" where one page carries at least a share of a part of what the site gained or
# lost, "(/ alone lost 510)" where it carries more than all of it; else what is said of the others.
# Small parts need no page.
carrier_words <- function(x, name, value, least, others = "") {
  whole <- whole_lines(x$site)
  if (abs(value) < telling_share * sum(abs(unlist(whole[, part_names, with = FALSE])))) return("")
  own <- x$carriers[x$carriers$part == name]
  if (!NROW(own)) return("")
  if (round(abs(own$clicks)) < least * abs(value)) return(others)
  page <- format_path(own$page)
  if (own$rest * value < 0) {
    sprintf(" (%s alone %s %s)", page, if (value < 0) "lost" else "gained",
      format_count(abs(own$clicks)))
  } else {
    sprintf(" (%s of them on %s)", format_count(abs(own$clicks)), page)
  }
}

# "lost 412 clicks (900 to 488): 350 by position, 80 by demand, 18 gained by CTR". Segments have
# more or fewer clicks than one another. line: figures in whole clicks, see whole_lines(); carried:
# words about a part by its name and value.
change_sentence <- function(line, subject, x, carried = function(name, value) "") {
  parts <- unlist(line[, part_names, with = FALSE])
  parts <- parts[order(-abs(parts))]
  parts <- parts[parts != 0]
  counts <- format_count(c(line$clicks_before, line$clicks_after))
  why <- function(verbs) {
    phrases <- vapply(names(parts), function(name) {
      value <- parts[[name]]
      sprintf("%s%s by %s%s", format_count(abs(value)),
        if (value * line$change < 0 || line$change == 0) {
          paste0(" ", verbs[1 + (value > 0)])
        } else {
          ""
        },
        part_words[[name]], carried(name, value))
    }, "")
    if (length(phrases)) paste0(": ", paste(phrases, collapse = ", ")) else ""
  }
  if (is.null(x$sides)) {
    verbs <- c("lost", "gained")
    if (line$change == 0) {
      return(sprintf("%s stands at %s clicks%s, as before%s.", subject, counts[2],
        month_words(x$scaled), why(verbs)))
    }
    return(sprintf("%s %s %s clicks%s (%s to %s)%s.", subject, verbs[1 + (line$change > 0)],
      format_count(abs(line$change)), month_words(x$scaled), counts[1], counts[2], why(verbs)))
  }
  verbs <- c("fewer", "more")
  if (line$change == 0) {
    return(sprintf("%s has %s clicks in both%s.", subject, counts[2], why(verbs)))
  }
  sprintf("%s has %s %s clicks in %s than in %s (%s and %s)%s.", subject,
    format_count(abs(line$change)), verbs[1 + (line$change > 0)], x$sides[2], x$sides[1], counts[2],
    counts[1], why(verbs))
}

# Whether what the site gained or lost is more than noise.
site_verdict <- function(x) {
  what <- if (is.null(x$sides)) "change" else "difference"
  if (is.na(x$site$q)) {
    return(sprintf("These data do not tell whether the %s is more than noise.", what))
  }
  sprintf("The %s is %ssignificant%s.", what,
    if (isTRUE(x$site$significant)) "" else "not ",
    if (x$level == "site") sprintf(" (false-discovery rate %s)", format_share(x$fdr)) else "")
}

# The clicks of the windows as they are, what the site gained or lost and why.
site_sentences <- function(x) {
  site <- whole_lines(x$site)
  w <- x$windows
  c(
    if (x$scaled) {
      sprintf("%s clicks in %s, after %s in %s.", format_count(w$clicks[2]),
        format_plural(w$days[2], "day"), format_count(w$clicks[1]), format_count(w$days[1]))
    },
    change_sentence(site, if (length(x$chosen)) "What was chosen" else "The site", x,
      function(name, value) carrier_words(x, name, value, least = 0.5)),
    site_verdict(x))
}

private_line <- function(x) {
  if (is.null(x$all_clicks)) return(NULL)
  sprintf("With private queries, which no row names, %s to %s clicks%s.",
    format_count(x$all_clicks[[1]]), format_count(x$all_clicks[[2]]), month_words(x$scaled))
}

# What is compared with what.
sides_title <- function(x) {
  windows <- if (anyNA(x$windows$from)) {
    c("the earlier window", "The later window of the export")
  } else {
    format_days(x$windows$from, x$windows$to)
  }
  if (is.null(x$sides)) return(sprintf("%s against %s", windows[2], windows[1]))
  paste0(x$sides[2], " against ", x$sides[1], if (!is.na(x$windows$to[1])) paste(",", windows[1]))
}

# The same with what the days are, and which are left out. keep: how to have them in, in the words
# of the face, or NULL.
sides_line <- function(x, keep = NULL) {
  w <- x$windows
  days <- if (!is.null(x$sides)) {
    if (is.na(w$to[1])) "no dates" else format_plural(w$days[1], "day")
  } else if (isTRUE(x$equal)) {
    "taken as equally long, since it does not tell their days"
  } else if (w$days[1] == w$days[2]) {
    sprintf("%s each", format_plural(w$days[1], "day"))
  } else {
    sprintf("%s and %s; changes per 30 days", format_plural(w$days[2], "day"),
      format_count(w$days[1]))
  }
  c(
    sprintf("%s (%s)", sides_title(x), days),
    if (any(w$missing > 0)) {
      sprintf("days without data are not counted: %s before, %s after", format_count(w$missing[1]),
        format_count(w$missing[2]))
    },
    unusual_line(x$unusual, keep))
}

# "unusual days left out: 11 Aug 2026 (seen, not clicked)"
unusual_line <- function(odd, keep = NULL, most = 4) {
  if (!NROW(odd)) return(NULL)
  shown <- utils::head(odd, most)
  sprintf("unusual days left out: %s%s%s",
    paste(sprintf("%s (%s)", format_day(shown$date), shown$what), collapse = ", "),
    if (nrow(odd) > most) sprintf(" and %s more", format_count(nrow(odd) - most)) else "",
    if (is.null(keep)) "" else sprintf("; %s keeps them", keep))
}

line_name <- function(name, level) {
  if (level == "page") format_path(name) else sprintf("\"%s\"", name)
}

level_count <- function(n, level) {
  format_plural(n, level, switch(level, query = "queries", paste0(level, "s")))
}

significant_line <- function(x) {
  if (x$level == "site") return(NULL)
  sprintf("%s of %s %s %s (false-discovery rate %s, marked *)",
    format_count(sum(x$moves$significant)), level_count(nrow(x$moves), x$level),
    if (is.null(x$sides)) "changed" else "differ",
    if (x$against_others) "by significantly more or less than the others" else "significantly",
    format_share(x$fdr))
}

# What came and what went, apart from what was there in both windows.
came_line <- function(x) {
  if (x$level == "site") return(NULL)
  words <- if (is.null(x$sides)) {
    c(new = "new", lost = "lost")
  } else {
    c(new = paste("only in", x$sides[2]), lost = paste("only in", x$sides[1]))
  }
  sentence_parts <- vapply(c("new", "lost"), function(wanted) {
    own <- x$moves[which(x$moves$status == wanted)]
    if (nrow(own)) {
      sprintf("%s %s (%s clicks)", format_count(nrow(own)), words[[wanted]],
        signed_count(sum(own$change)))
    } else {
      ""
    }
  }, "")
  sentence_parts <- sentence_parts[nzchar(sentence_parts)]
  if (length(sentence_parts)) {
    sprintf("%s; the rest was shown in both %s", paste(sentence_parts, collapse = ", "),
      if (is.null(x$sides)) "windows" else "segments")
  }
}

# What happened in one of the windows only.
events_line <- function(x, most = 4) {
  sentence_parts <- vapply(c(after = "after", before = "before"), function(side) {
    own <- x$events[x$events$window == side]
    if (!NROW(own)) return("")
    shown <- utils::head(own, most)
    sprintf("only in the %s window: %s%s", if (side == "after") "later" else "earlier",
      paste(sprintf("%s (%s%s)", shown$event, format(shown$date),
        ifelse(nzchar(shown$pages), ", some pages", "")),
        collapse = ", "),
      if (nrow(own) > most) sprintf(" and %s more", format_count(nrow(own) - most)) else "")
  }, "")
  sentence_parts <- sentence_parts[nzchar(sentence_parts)]
  if (length(sentence_parts)) paste(sentence_parts, collapse = "; ")
}

# Windows of one year differ by the season too: what the same weeks did a year before, or that the
# data cannot say.
season_line <- function(x) {
  if (!is.null(x$sides) || anyNA(x$windows$from) ||
      as.integer(x$windows$from[2] - x$windows$from[1]) > 300) {
    return(NULL)
  }
  if (!is.null(x$season)) {
    now <- x$site$clicks_after / x$site$clicks_before
    return(sprintf("a year earlier clicks went %s between the same weeks, now %s: %s",
      percent_change(x$season$ratio), percent_change(now),
      if (abs(log(now / x$season$ratio)) < 0.05) {
        "as much as the season alone"
      } else {
        sprintf("%s apart from the season", percent_change(now / x$season$ratio))
      }))
  }
  parts <- unlist(x$site[, part_names, with = FALSE])
  if (abs(parts[1]) >= 1 && which.max(abs(parts)) == 1 &&
      abs(parts[1]) > 0.03 * x$site$clicks_before) {
    "most of it is demand, which a season changes too; the data hold no year before"
  }
}

# Where positions cost most: "/ lost 430 clicks by position: "fernmoor" 177 (1.2 to 1.5 since 12 Sep
# 2026), ...".
lost_position_lines <- function(x) {
  lost <- x$lost_positions
  if (!NROW(lost)) return(character())
  vapply(split(lost, factor(lost$page, unique(lost$page))), function(own) {
    sprintf("%s lost %s clicks%s by position: %s.", format_path(own$page[1]),
      format_count(-own$page_clicks[1]), month_words(x$scaled), lost_query_words(own))
  }, "", USE.NAMES = FALSE)
}

lost_query_words <- function(own) {
  paste(sprintf("\"%s\" %s (%s to %s%s)", own$query, format_count(-own$clicks),
    format_position(own$position_before), format_position(own$position_after),
    ifelse(is.na(own$since), "", paste(" since", format_day(own$since)))),
    collapse = ", ")
}
