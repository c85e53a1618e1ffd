# A comparison of windows as text: how it stands, why, and who moved.

part_words <- c(demand = "searches", position = "position",
  click_through = "click-through at equal position", mix = "queries that came or went")

# "lost 412 clicks a month: 350 by position, 80 by searches, 18 gained by ...". Segments have more
# or fewer clicks than one another.
change_sentence <- function(line, subject, sides = NULL) {
  parts <- unlist(line[, part_names, with = FALSE])
  parts <- parts[order(-abs(parts))]
  parts <- parts[abs(parts) >= max(0.5, 0.05 * max(abs(parts)))]
  of_windows <- is.null(sides)
  if (abs(line$change) < 0.5) {
    return(sprintf("%s stands at %s clicks a month, %s.", subject, format_count(line$clicks_after),
      if (of_windows) "as before" else "in both"))
  }
  lost <- line$change < 0
  verb <- function(x) {
    if (of_windows) {
      if (x < 0) "lost" else "gained"
    } else if (x < 0) {
      "fewer"
    } else {
      "more"
    }
  }
  told <- vapply(names(parts), function(name) {
    value <- parts[[name]]
    sprintf("%s%s by %s", format_clicks(abs(value)),
      if ((value < 0) == lost) "" else paste0(" ", verb(value)), part_words[[name]])
  }, "")
  why <- if (length(told)) paste0(": ", paste(told, collapse = ", ")) else ""
  size <- format_clicks(abs(line$change))
  counts <- format_count(c(line$clicks_before, line$clicks_after))
  if (of_windows) {
    return(sprintf("%s %s %s clicks a month (%s to %s)%s.", subject, verb(line$change), size,
      counts[1], counts[2], why))
  }
  sprintf("%s has %s %s clicks a month in %s than in %s (%s and %s)%s.", subject, size,
    verb(line$change), sides[2], sides[1], counts[2], counts[1], why)
}

#' @export
format.tide_change <- function(x, n = 20, width = 80, ...) {
  shown <- utils::head(x$moves, n)
  free <- max(16, width - 58)
  line <- function(name, before, after, change, demand, position, through, mix, real) paste0(name,
    pad_left(before, 8), pad_left(after, 8), pad_left(change, 8), pad_left(demand, 8),
    pad_left(position, 8), pad_left(through, 8), pad_left(mix, 8), real)
  names <- if (x$level == "page") {
    fit_path(format_path(shown$name), free)
  } else {
    fit_text(shown$name, free)
  }
  heads <- if (is.null(x$sides)) c("before", "after") else trimws(fit_text(x$sides, 7))
  more <- nrow(x$moves) - nrow(shown)
  leading <- if (x$level != "site") utils::head(which(x$moves$real), 3)
  told <- vapply(leading,
    function(i) change_sentence(x$moves[i], line_name(x$moves$name[i], x$level), x$sides), "")
  c(
    wrap_lines(c(
      sides_line(x),
      change_sentence(x$site, "The site", x$sides),
      season_line(x),
      events_line(x),
      came_line(x),
      sprintf("%s of %s %s significantly (false-discovery rate %s, marked *)",
        format_count(sum(x$moves$real)), level_count(nrow(x$moves), x$level),
        if (is.null(x$sides)) "changed" else "differ", format_share(x$fdr))),
      width),
    "",
    line(fit_text(x$level, free), heads[1], heads[2], "change", "demand", "positn", "clickth",
      "mix", ""),
    line(names, format_clicks(shown$clicks_before), format_clicks(shown$clicks_after),
      signed(shown$change), signed(shown$demand), signed(shown$position),
      signed(shown$click_through), signed(shown$mix), ifelse(shown$real, " *", "  ")),
    if (more > 0) sprintf("... and %s more", format_count(more)),
    if (length(told)) c("", unlist(lapply(paste("*", told), strwrap, width, exdent = 2))))
}

# What is held against what.
sides_title <- function(x) {
  windows <- format_days(x$windows$from, x$windows$to)
  if (is.null(x$sides)) return(sprintf("%s against %s", windows[2], windows[1]))
  paste0(x$sides[2], " against ", x$sides[1], if (!is.na(x$windows$to[1])) paste(",", windows[1]))
}

# The same with what the days are.
sides_line <- function(x) {
  w <- x$windows
  days <- if (!is.null(x$sides)) {
    if (is.na(w$to[1])) "no dates, taken as 30 days" else format_plural(w$days[1], "day")
  } else if (w$days[1] == w$days[2]) {
    sprintf("%s each", format_plural(w$days[1], "day"))
  } else {
    sprintf("%s and %s", format_plural(w$days[2], "day"), format_count(w$days[1]))
  }
  c(sprintf("%s (%s); clicks for 30 days", sides_title(x), days),
    if (any(w$missing > 0)) {
      sprintf("days without a row are not counted: %s before, %s after", format_count(w$missing[1]),
        format_count(w$missing[2]))
    })
}

line_name <- function(name, level) {
  if (level == "page") format_path(name) else sprintf("\"%s\"", name)
}

level_count <- function(n, level) {
  format_plural(n, level, switch(level, query = "queries", paste0(level, "s")))
}

# What came and what went, apart from what was there in both windows.
came_line <- function(x) {
  if (x$level == "site") return(NULL)
  words <- if (is.null(x$sides)) {
    c(new = "new", lost = "lost")
  } else {
    c(new = paste("only in", x$sides[2]), lost = paste("only in", x$sides[1]))
  }
  told <- vapply(c("new", "lost"), function(wanted) {
    own <- x$moves[which(x$moves$status == wanted)]
    if (nrow(own)) {
      sprintf("%s %s (%s clicks)", format_count(nrow(own)), words[[wanted]],
        signed(sum(own$change)))
    } else {
      ""
    }
  }, "")
  told <- told[nzchar(told)]
  if (length(told)) {
    sprintf("%s; the rest was shown in both %s", paste(told, collapse = ", "),
      if (is.null(x$sides)) "windows" else "segments")
  }
}

# What happened in one of the windows only.
events_line <- function(x, most = 4) {
  told <- vapply(c(after = "after", before = "before"), function(side) {
    own <- x$events[x$events$window == side]
    if (!NROW(own)) return("")
    shown <- utils::head(own, most)
    sprintf("only in the %s window: %s%s", if (side == "after") "later" else "earlier",
      paste(sprintf("%s (%s%s)", shown$event, format(shown$date),
        ifelse(nzchar(shown$pages), ", some pages", "")),
        collapse = ", "),
      if (nrow(own) > most) sprintf(" and %s more", format_count(nrow(own) - most)) else "")
  }, "")
  told <- told[nzchar(told)]
  if (length(told)) paste(told, collapse = "; ")
}

# Windows of one year differ by the season too: what the same weeks did a year before, or that
# nobody knows.
season_line <- function(x) {
  if (!is.null(x$sides) || as.integer(x$windows$from[2] - x$windows$from[1]) > 300) return(NULL)
  if (!is.null(x$season)) {
    now <- x$site$clicks_after / x$site$clicks_before
    return(sprintf("a year before, clicks went %s between the same weeks (now %s): %s",
      percent_change(x$season$ratio), percent_change(now),
      if (abs(log(now / x$season$ratio)) < 0.05) {
        "the season alone does as much"
      } else {
        sprintf("beside that season the site is at %s", percent_change(now / x$season$ratio))
      }))
  }
  parts <- unlist(x$site[, part_names, with = FALSE])
  if (abs(parts[1]) >= 1 && which.max(abs(parts)) == 1 &&
      abs(parts[1]) > 0.03 * x$site$clicks_before) {
    "searches make most of it, which a season does too: no year before is held to tell"
  }
}
