# Sections of the report: what each says, in order. Every number comes from the findings, curve and
# summary.

# The sections, by the name that links to them: their title, and which stand open.
section_titles <- c(moved = "What changed", findings = "What to fix",
  made = "How the list was made",
  `by-page` = "Page by page", checklist = "What to do, page by page", watched = "Watched queries",
  time = "Over time", totals = "Totals", curve = "The curve", parts = "Side by side",
  forecast = "What to expect", pages = "The pages", inventory = "All queries",
  read = "What was read", meaning = "What it means")
open_sections <- c("moved", "findings", "made", "checklist")

# What each reader is given, in order.
report_readers <- list(
  analyst = setdiff(names(section_titles), "checklist"),
  client = c("moved", "made", "forecast", "watched", "totals", "meaning"),
  writer = c("checklist", "pages", "meaning"))

report_head <- function(summary, title, chosen, letterhead) {
  paste0("<header>", if (!is.null(letterhead$logo)) {
    sprintf("<img class='logo' alt='' src='%s'>", letterhead$logo)
  }, "<h1>", escape(title), "</h1>", if (!is.null(letterhead$name)) {
    sprintf("<p>%s</p>", escape(letterhead$name))
  }, "<p class='soft'>Search performance: data of ",
    data_window(summary), "; the list rests on ", list_window(summary), "</p>",
    if (length(chosen)) {
      sprintf("<p><b>Chosen: %s.</b></p>", escape(paste(chosen, collapse = "; ")))
    }, "</header>")
}

report_nav <- function(sections) {
  paste0("<nav aria-label='Parts'>", paste(sprintf("<a href='#%s'>%s</a>", sections,
    section_titles[sections]), collapse = ""), "</nav>")
}

# html: a section's inside without its title.
report_section <- function(name, html) {
  sprintf("<section id='%s'><details%s><summary><h2>%s</h2></summary>%s</details></section>", name,
    if (name %in% open_sections) " open" else "", section_titles[[name]], html)
}

# "2025-07-02 to 2026-10-28 (484 days)"
data_window <- function(summary) {
  span <- summary$window
  if (!span$dated) {
    return(sprintf("%s (%s)", format_plural(span$days, "day"),
      if (span$assumed) "assumed, the export has no dates" else "as given"))
  }
  sprintf("%s (%s)", format_days(span$from, span$to), format_plural(span$days, "day"))
}

list_window <- function(summary) {
  if (!summary$window$dated) return("all of them")
  sprintf("%s (%s)", format_days(summary$recent$from, summary$recent$to),
    format_plural(summary$recent$days, "day"))
}

report_totals <- function(summary, site_trace, events) {
  site <- if (is.null(summary$site_by_day)) summary$by_day else summary$site_by_day
  cells <- if (is.null(site)) summary$pairs else site
  origin <- if (is.null(site)) {
    "From the query rows; the export has no dates."
  } else if (is.null(summary$site_by_day)) {
    "From the query rows; private queries are missing."
  } else {
    "From the totals without queries, private queries included."
  }
  total <- total_row(cells)
  figures <- c(clicks = format_count(total$clicks), impressions = format_count(total$impressions),
    CTR = format_rate(total$ctr), `average position` = format_position(total$position))
  paste0("<p class='soft'>", data_window(summary), "</p><ul class='totals'>",
    paste0("<li><b>", figures, "</b>", names(figures), "</li>", collapse = ""),
    "</ul><p class='soft'>", origin, "</p>",
    if (!is.null(site) && nrow(site) > 14) {
      inline_svg(trend_figure(site, events),
        sprintf("Clicks and impressions by day, %s. Clicks begin near %s and end near %s a day.",
          format_days(min(site$date), max(site$date)),
          format_count(mean(utils::head(site$clicks, 28))),
          format_count(mean(utils::tail(site$clicks, 28)))),
        height = 6)
    },
    if (!is.null(site_trace$ranking)) {
      inline_svg(ranking_figure(site_trace), ranking_lines(site_trace$ranking), height = 3.5)
    })
}

report_moves <- function(moves, most = 8) {
  shown <- comparison_table(moves, most)
  one_line <- shown$row == "line"
  first <- utils::head(shown[one_line & shown$significant], 2)
  marked <- vapply(seq_len(nrow(first)),
    function(i) change_sentence(first[i], format_path(first$name[i]), moves), "")
  site <- site_sentences(moves)
  both <- function(name) now_and_before(name, shown[[paste0(name, "_before")]],
    shown[[paste0(name, "_after")]])
  columns <- shown_columns(shown, c("page", "weeks", "clicks", "change", "impressions", "ctr",
    "position", "by_demand", "by_position", "by_ctr", "by_new_lost", "significant"),
    text = list(page = ifelse(one_line, format_path(shown$name), shown$name),
      weeks = as_html(ifelse(one_line, week_sparks(moves, shown$name), "")),
      clicks = both("clicks"), impressions = both("impressions"), ctr = both("ctr"),
      position = both("position")))
  sentences <- c(paste0(paste(c(sides_line(moves), events_line(moves)), collapse = "; "), ". ",
    paste(site, collapse = " ")),
    if (length(marked)) {
      paste(marked, collapse = " ")
    } else {
      sprintf("No page changed significantly (false-discovery rate %s).", format_share(moves$fdr))
    })
  paste0(paste0("<p>", escape(sentences), "</p>", collapse = ""),
    html_list(utils::head(moves$drivers, 5)$sentence), html_list(lost_position_lines(moves)),
    inline_svg(ggplot2::autoplot(moves), site[1], height = 3),
    html_table(columns, soft_rows(!shown$significant & one_line)))
}

# The later figure, and beneath it the earlier one; of segments the other's, under its name.
now_and_before <- function(name, before, after, of = "from") {
  said <- lapply(list(after, before), function(values) {
    ifelse(is.na(values), "\u2013", column_text(name, values))
  })
  as_html(sprintf("%s <span class='range soft'>%s %s</span>", said[[1]], escape(of), said[[2]]))
}

report_watched <- function(watched) {
  at <- watched$rows
  several <- length(unique(at$list)) > 1
  place <- function(x) ifelse(is.na(x), "", format_position(x))
  trend <- vapply(at$query, function(query) {
    own <- watched$weekly$position[watched$weekly$query == query]
    spark_svg(max(own, na.rm = TRUE) + 1 - own,
      sprintf("Position by week: %s", paste(place(own), collapse = ", ")))
  }, "")
  columns <- shown_columns(at, c("query", if (several) "list", "weeks", "clicks_before",
    "clicks_after", "change", "position_before", "position_after", "significant"),
    text = list(weeks = as_html(trend)))
  names(columns)[names(columns) == column_words("weeks", "label")] <-
    "Position by week, best on top"
  paste0("<p>",
    escape(paste0(paste(c(sides_line(watched), watched_sentence(watched, "")), collapse = "; "),
      ". ", paste0(unseen_line(watched), ""))),
    "</p>", if (nrow(at)) html_table(columns, soft_rows(!at$significant)))
}

soft_rows <- function(soft) ifelse(soft, "class='soft'", "")

# A small line of clicks by week for each name.
week_sparks <- function(moves, names) {
  if (is.null(moves$weekly)) return(rep("", length(names)))
  weeks <- seq_len(max(moves$weekly$week, na.rm = TRUE))
  lines <- vapply(names, function(name) {
    at <- which(moves$weekly$name == name)
    own <- moves$weekly[at]
    clicks <- fcoalesce(own$clicks[match(weeks, own$week)], 0)
    spark_svg(clicks, sprintf("Clicks by week: %s", paste(format_count(clicks), collapse = ", ")))
  }, "")
  lines
}

report_time <- function(followed) {
  part <- function(title, lines) c(sprintf("<h3>%s</h3><ul>", title),
    sprintf("<li>%s</li>", escape(lines)), "</ul>")
  paste(c(
    inline_svg(ggplot2::autoplot(followed),
      sprintf("Positions of leading queries by %s: %s.", followed$by,
        paste(format_path(unique(followed$pages$page)), collapse = ", "))),
    inline_svg(ggplot2::autoplot(followed, "ctr"),
      sprintf("CTR by %s against what the curve expects, the same pages.", followed$by)),
    if (!is.null(followed$shifts)) part("What came of events", shift_lines(followed$shifts)),
    part("Changes found in the data", found_change_lines(followed$changes)),
    part("Unusual days and weeks", unusual_run_lines(followed$unusual))),
    collapse = "")
}

report_findings <- function(findings) {
  found <- in_sentences(findings)
  top <- utils::head(found, 3)
  paste0("<p class='soft'>", list_window(findings$summary), "</p>", findings_table(findings),
    inline_svg(ggplot2::autoplot(findings, grey = 300),
      sprintf("Map of %d findings by position and CTR. The first are %s.", nrow(found),
        paste(sprintf("%s at position %s with %s", top$query, format_position(top$position),
          format_rate(top$ctr)),
          collapse = "; "))),
    if (any(kind_is(found$kind, "contest")) && !is.null(findings$summary$contested)) {
      inline_svg(ggplot2::autoplot(findings, what = "contests"),
        "Position of competing pages by week, for the first cannibalized queries.", height = 5.5)
    })
}

# What was checked and left out, so that nobody looks for it again.
report_excluded <- function(excluded) {
  if (!NROW(excluded)) return("")
  paste0("<details><summary>Checked and left out</summary>",
    html_table(shown_columns(excluded[order(-excluded$queries)], c("queries", "clicks", "reason"))),
    "</details>")
}

# Each page with its steps, the reason of each and what the page lacks, for who does the work.
report_checklist <- function(findings, most = 25) {
  by_page <- utils::head(tide_group(findings), most)
  found <- in_sentences(findings)
  brief <- findings_brief(findings)
  cards <- vapply(seq_len(nrow(by_page)), function(i) {
    own <- found[found$page == by_page$page[i]]
    leads <- task_leads(own)
    steps <- sprintf("<li>%s <span class='soft'>%s</span>%s</li>", escape(leads$action),
      escape(leads$reason), along_list(own, leads))
    sprintf("<h3>%s</h3><p class='soft'>%s clicks per 30 days, %s</p><ul class='steps'>%s</ul>%s",
      escape(if (nzchar(by_page$page[i])) {
        format_path(by_page$page[i])
      } else {
        "Queries without a page"
      }),
      format_gain(by_page$gain[i]), format_hours(by_page$hours[i]), paste(steps, collapse = ""),
      paste0(sections_list(brief[brief$page == by_page$page[i], ]), ""))
  }, "")
  more <- length(unique(found$page)) - nrow(by_page)
  paste0(paste(cards, collapse = ""), pages_more(more))
}

# What the list is and what it rests on, in a few lines.
report_made <- function(findings) {
  paste0("<p>", escape(sprintf(paste(
    "%s of queries and pages with enough impressions were held against the site's own CTR at their",
    "positions, %s. Gain = if done \u00d7 confidence \u00d7 chance, in clicks per 30 days; tasks",
    "stand in order of gain per hour of work, and no click is counted twice."),
    format_plural(findings$tested, "pair"), list_window(findings$summary))), "</p>",
    report_excluded(findings$excluded))
}

report_curve <- function(curve) {
  at <- curve_table(curve)[position %in% c(1, 2, 3, 4, 5, 7, 10, 15, 20)]
  at <- at[at$segment %in% seen_segments(curve)]
  main <- if ("non-brand" %in% at$segment) "non-brand" else "all"
  lead <- at[at$segment == main]
  columns <- shown_columns(at, c("segment", "position", "ctr", "ctr_interval", "pivot_ctr", "pairs",
    "impressions"),
    text = list(position = format_place(at$position),
      ctr_interval = sprintf("%s to %s", format_rate(at$ctr_low), format_rate(at$ctr_high))))
  names(columns)[4] <- sprintf("%s interval", format_share(curve$level))
  paste0("<p class='soft'>",
    data_window(curve$summary), ", query rows</p>",
    inline_svg(ggplot2::autoplot(curve), sprintf("CTR by position, %s: %s.", main,
      paste(sprintf("%s at %d", format_rate(lead$ctr), lead$position), collapse = ", "))),
    "<details><summary>The figures behind it</summary>",
    html_table(columns), "</details>")
}

# Devices, countries, rich results: how much each is, and at equal position where queries tell it.
report_parts <- function(parts) {
  paste(vapply(parts, function(one) {
    paste0("<h3>By ", gsub("_", " ", one$by), "</h3>", parts_table(one))
  }, ""), collapse = "")
}

parts_table <- function(one, look = "plain") {
  at <- one$parts
  equal <- !all(is.na(at$ratio))
  columns <- c(
    stats::setNames(list(part_names_shown(at)), column_words(one$by, "label")),
    shown_columns(at, c("clicks", "impressions", "ctr", "position",
      if (!all(is.na(at$click_share))) "click_share", if (equal) "ratio"),
      text = list(ratio = ifelse(is.na(at$ratio), "",
        sprintf("x%.2f (%.2f to %.2f)", at$ratio, at$ratio_low, at$ratio_high)))))
  if (equal) names(columns)[length(columns)] <- "CTR at equal position"
  span <- if (is.na(one$to)) "no dates" else format_days(one$from, one$to)
  verdict <- if (equal) {
    paste(comparison_verdict(at, one$by), "x1.00: as the rest, with the 90 % interval.")
  } else {
    one$note
  }
  paste0("<p class='soft'>", span, "</p>", html_table(columns, look = look), "<p>",
    escape(verdict), "</p>")
}

report_read <- function(summary, outside = NULL) {
  sources <- summary$sources
  read <- shown_columns(sources, c("file", "grain", "rows", "kept", "ctr_written", "remark"),
    text = list(file = basename(sources$file), ctr_written = sources$ctr,
      remark = ifelse(sources$capped,
        "looks cut at a row cap: rows with few clicks are missing", "")))
  left <- summary$left_out
  out <- c(stats::setNames(list(left$reason), "Left out"),
    shown_columns(left, c("rows", "clicks", "impressions")))
  segments <- table(summary$queries$segment)
  notes <- c(
    sprintf(paste("The list and the curve rest on the table by %s; tables of other grain",
      "are never added to it."),
      summary$grain),
    coverage_line(summary),
    sub("^ +l", "L", left_out_day_lines(summary$odd_days)),
    if (NROW(summary$facts)) sub("^ +", "", fact_lines(summary$facts)),
    if (summary$folded > 0) {
      sprintf("%s of a page's address were folded into one page each.",
        format_plural(summary$folded, "other spelling"))
    },
    if (is.na(segments["brand"]) && is.na(segments["non-brand"])) {
      "No brand words were given, so brand queries are in the pool and lift the curve."
    } else {
      sprintf("%s separate from %s others.",
        format_plural(sum(segments["brand"], na.rm = TRUE), "brand query is", "brand queries are"),
        format_count(sum(segments["non-brand"], na.rm = TRUE)))
    },
    if (summary$window$dated && summary$recent$days < summary$window$days) {
      sprintf("Findings rest on the last %d days, the curve on all %d.", summary$recent$days,
        summary$window$days)
    })
  paste0(html_table(read),
    if (nrow(left)) {
      html_table(out)
    } else {
      "<p>left out: nothing</p>"
    },
    if (!is.null(outside)) {
      sprintf(paste("<p><b>A filter is on:</b> the list leaves out %s of clicks and %s of",
        "impressions (%s).</p>"),
        format_share(outside$clicks), format_share(outside$impressions), escape(outside$reason))
    },
    "<ul>", paste0("<li>", escape(sub("^ *q", "Q", notes)), "</li>", collapse = ""),
    "</ul>")
}

report_meaning <- function() {
  hours <- kind_hours()
  term_texts <- c(
    Gain = paste(
      "If done \u00d7 confidence \u00d7 chance, in clicks per 30 days. No click is counted",
      "twice: gains add up."),
    `If done` = "Extra clicks per 30 days if the finding is real and the step works.",
    Confidence = paste("The probability that the finding is real, and not luck or the usual",
      "difference between queries."),
    Chance = paste("The probability that the step works if the finding is real: an assumption by",
      "kind, updated by what came of the steps marked as done."),
    `Expected CTR` = paste(
      "The CTR that an average query of this site earns at the positions where",
      "this one was shown, brand apart."),
    stats::setNames(kind_words(names(finding_kinds()), "meaning"),
      sub("^(.)", "\\U\\1", kind_label(names(finding_kinds())), perl = TRUE)),
    Order = sprintf(paste("Score = gain / hours of work (%s), gain in money where conversions and",
      "values are known, else in clicks. The hours of a task count once."),
      paste(sprintf("%s %g", kind_label(names(hours)), hours), collapse = ", ")))
  paste0("<dl>",
    paste0("<dt>", names(term_texts), "</dt><dd>", term_texts, "</dd>", collapse = ""),
    "</dl>")
}
