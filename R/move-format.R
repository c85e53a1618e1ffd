# A comparison of windows as text: how it stands, why, and who moved.

signed <- function(x) ifelse(is.na(x), "", ifelse(abs(x) < 0.05, "0", paste0(ifelse(x < 0, "-", "+"), format_clicks(abs(x)))))

part_words <- c(demand = "searches", position = "position", click_through = "click-through at equal position", mix = "queries that came or went")

# "lost 412 clicks a month: 350 from position, 80 from searches, 18 gained from ..."
change_sentence <- function(line, subject) {
  parts <- unlist(line[, part_names, with = FALSE])
  parts <- parts[order(-abs(parts))]
  parts <- parts[abs(parts) >= max(0.5, 0.05 * max(abs(parts)))]
  if (abs(line$change) < 0.5) return(sprintf("%s stands at %s clicks a month, as before.", subject, format_count(line$clicks_after)))
  lost <- line$change < 0
  verb <- function(x) if (x < 0) "lost" else "gained"
  told <- vapply(names(parts), function(name) {
    value <- parts[[name]]
    sprintf("%s%s by %s", format_clicks(abs(value)), if ((value < 0) == lost) "" else paste0(" ", verb(value)), part_words[[name]])
  }, "")
  sprintf("%s %s %s clicks a month (%s to %s)%s.", subject, verb(line$change), format_clicks(abs(line$change)), format_count(line$clicks_before), format_count(line$clicks_after),
    if (length(told)) paste0(": ", paste(told, collapse = ", ")) else "")
}

#' @export
format.tide_moves <- function(x, n = 20, width = 80, ...) {
  w <- x$windows
  shown <- utils::head(x$moves, n)
  free <- max(16, width - 56)
  line <- function(name, before, after, change, demand, position, through, mix, real) paste0(name, pad_left(before, 8), pad_left(after, 8), pad_left(change, 8), pad_left(demand, 8),
    pad_left(position, 8), pad_left(through, 8), pad_left(mix, 6), real)
  names <- if (x$level == "page") fit_path(format_path(shown$name), free) else fit_text(shown$name, free)
  more <- nrow(x$moves) - nrow(shown)
  c(wrap_lines(c(sprintf("%s (%s) against %s (%s); clicks for 30 days", format_days(w$from[2], w$to[2]), format_plural(w$days[2], "day"), format_days(w$from[1], w$to[1]), format_plural(w$days[1], "day")),
    if (any(w$missing > 0)) sprintf("days without a row are not counted: %s before, %s after", format_count(w$missing[1]), format_count(w$missing[2])),
    change_sentence(x$site, "The site"), season_line(x), came_line(x),
    sprintf("%s of %s moved by more than the site and the usual wavering (marked *)", format_count(sum(x$moves$real)), format_plural(nrow(x$moves), c(query = "query", page = "page", folder = "folder", topic = "topic", pair = "pair", site = "site")[[x$level]],
      c(query = "queries", page = "pages", folder = "folders", topic = "topics", pair = "pairs", site = "sites")[[x$level]]))), width), "",
    line(fit_text(x$level, free), "before", "after", "change", "demand", "positn", "clickth", "mix", ""),
    line(names, format_clicks(shown$clicks_before), format_clicks(shown$clicks_after), signed(shown$change), signed(shown$demand), signed(shown$position), signed(shown$click_through),
      signed(shown$mix), ifelse(shown$real, " *", "  ")),
    if (more > 0) sprintf("... and %s more", format_count(more)),
    if (x$level != "site" && any(x$moves$real)) c("", unlist(lapply(utils::head(which(x$moves$real), 3), function(i) {
      own <- x$moves[i]
      strwrap(paste("*", change_sentence(own, if (x$level == "page") format_path(own$name) else sprintf("\"%s\"", own$name))), width, exdent = 2)
    }))))
}

# What came and what went, apart from what was there in both windows.
came_line <- function(x) {
  if (x$level == "site") return(NULL)
  told <- vapply(c("new", "lost"), function(wanted) {
    own <- x$moves[which(x$moves$status == wanted)]
    if (nrow(own)) sprintf("%s %s (%s clicks)", format_count(nrow(own)), wanted, signed(sum(own$change))) else ""
  }, "")
  told <- told[nzchar(told)]
  if (length(told)) sprintf("%s; the rest was shown in both windows", paste(told, collapse = ", "))
}

# Windows of one year differ by the season too: what the same weeks did a year before, or that nobody knows.
season_line <- function(x) {
  if (as.integer(x$windows$from[2] - x$windows$from[1]) > 300) return(NULL)
  if (!is.null(x$season)) {
    now <- x$site$clicks_after / x$site$clicks_before
    return(sprintf("a year before, clicks went %s between the same weeks (now %s): %s", percent_change(x$season$ratio), percent_change(now),
      if (abs(log(now / x$season$ratio)) < 0.05) "the season alone does as much" else sprintf("beside that season the site is at %s", percent_change(now / x$season$ratio))))
  }
  parts <- unlist(x$site[, part_names, with = FALSE])
  if (abs(parts[1]) >= 1 && which.max(abs(parts)) == 1 && abs(parts[1]) > 0.03 * x$site$clicks_before) "searches make most of it, which a season does too: no year before is held to tell"
}
