# The first screen of the report: what happened, four figures with their course, clicks by day, and
# the first tasks, each as a sentence.

first_tasks_shown <- 5L

report_first <- function(findings, moves, followed, reader) {
  # A writer's steps stand page by page.
  if (reader == "writer") return("")
  paste0("<div class='opening'>", first_sentences(findings, moves, followed),
    four_figures(findings$summary, moves), clicks_chart(findings$summary, followed$events),
    report_steps(findings), "</div>")
}

first_sentences <- function(findings, moves, followed) {
  total <- list_total(findings)
  now <- site_clicks(findings$summary)
  paste0(
    if (!is.null(moves)) {
      sprintf("<p>%s</p>", escape(paste(opening_sentences(moves, followed), collapse = " ")))
    },
    "<p>", if (nrow(findings$findings)) {
      sprintf(paste("%s worth about <b>%s more clicks per 30 days</b> (90 %% interval %s), %s of",
        "the %s that the site has per 30 days."),
        format_plural(sum(findings$findings$hours > 0), "task"), format_clicks(total$gain),
        gain_range(total$low, total$high), format_share(total$gain / now), format_count(now))
    } else {
      "Nothing found: no query is below the curve, close to a step or cannibalized significantly."
    }, "</p>")
}

# Clicks, impressions, CTR and position: now, before, and by week. Of data without two windows those
# of all days, or of the rows.
four_figures <- function(summary, moves, weeks = 13L) {
  days <- first_given(summary$site_by_day, summary$by_day)
  ends <- moves$windows[["to"]][2]
  by_week <- if (!is.null(days)) {
    week_figures(days, if (length(ends) && !is.na(ends)) ends else max(days$date), weeks)
  }
  measures <- c("clicks", "impressions", "ctr", "position")
  now <- if (is.null(moves)) total_row(if (is.null(days)) summary$pairs else days) else {
    stats::setNames(moves$site[, paste0(measures, "_after"), with = FALSE],
      measures)
  }
  said <- vapply(measures, function(name) {
    was <- if (!is.null(moves)) moves$site[[paste0(name, "_before")]]
    # The best place on top.
    course <- by_week[[name]] * if (name == "position") -1 else 1
    sprintf("<li><span>%s</span><b>%s</b>%s%s</li>", column_words(name, "label"),
      column_text(name, now[[name]]),
      if (is.null(was)) "" else figure_before(name, was, now[[name]]),
      if (length(course) < 4) "" else spark_svg(between(course), sprintf("%s by week: %s", name,
        paste(column_text(name, by_week[[name]]), collapse = ", "))))
  }, "")
  paste0("<ul class='totals'>", paste(said, collapse = ""), "</ul><p class='soft'>",
    figures_window(summary, moves), if (!is.null(by_week) && nrow(by_week) >= 4) {
      sprintf("; lines: the last %s", format_plural(nrow(by_week), "week"))
    }, ".", if (!is.null(moves)) escape(paste0(" ", private_line(moves))), "</p>")
}

# Values as heights between a fifth and the whole of a small line.
between <- function(values) {
  span <- range(values, na.rm = TRUE)
  if (span[1] == span[2]) return(values * 0 + 0.6)
  0.2 + 0.8 * (values - span[1]) / (span[2] - span[1])
}

# "from 8,988 (+4%)"; of rates and places the change is plain to see.
figure_before <- function(name, was, now) {
  if (is.na(was)) return("")
  change <- if (name %in% c("clicks", "impressions") && was > 0) {
    sprintf(" (%s)", percent_change(now / was))
  }
  sprintf("<span class='soft'>from %s%s</span>", column_text(name, was), paste0(change, ""))
}

figures_window <- function(summary, moves) {
  if (is.null(moves)) {
    return(if (summary$window$dated) data_window(summary) else "All of the export, no dates")
  }
  sides_line(moves)[1]
}

# The last whole weeks up to a day, the oldest first.
week_figures <- function(days, ends, weeks) {
  age <- (as.integer(ends) - as.integer(days$date)) %/% 7L
  most <- (as.integer(ends) - as.integer(min(days$date)) + 1L) %/% 7L
  use <- age >= 0 & age < min(weeks, most)
  rows <- days[use, .(clicks = sum(clicks), impressions = sum(impressions),
    position = if (is.null(days[["position"]])) NA_real_ else {
      sum(position * impressions) / sum(impressions)
    }), by = list(age = age[use])]
  setorderv(rows, "age", -1L)
  set(rows, j = "ctr", value = rows$clicks / pmax(1, rows$impressions))
  rows
}

clicks_chart <- function(summary, events) {
  days <- first_given(summary$site_by_day, summary$by_day)
  if (is.null(days) || nrow(days) <= 14) return("")
  inline_svg(trend_figure(days, events, of = "clicks"),
    sprintf("Clicks by day, %s. They begin near %s and end near %s a day.",
      format_days(min(days$date), max(days$date)),
      format_count(mean(utils::head(days$clicks, 28))),
      format_count(mean(utils::tail(days$clicks, 28)))), height = 2.6)
}

report_steps <- function(findings) {
  found <- in_sentences(findings)
  leads <- utils::head(task_leads(found), first_tasks_shown)
  if (!nrow(leads)) return("")
  gain <- task_sums(found, leads$task)$gain
  paste0("<h2>", if (nrow(leads) > 1) {
    sprintf("The first %s tasks", c("two", "three", "four", "five")[nrow(leads) - 1L])
  } else {
    "The first task"
  }, "</h2><ol class='first'>", paste(sprintf(
    "<li>%s <span class='soft'>%s clicks per 30 days, %s.</span></li>", escape(leads$action),
    format_gain(gain), format_hours(leads$hours)), collapse = ""), "</ol>")
}
