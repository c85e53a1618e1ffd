# Sections of the report: what each says, in order. Every number comes from the findings, curve and
# summary.

report_head <- function(findings, title, moves, followed, inventory = NULL, parts = list(),
    watched = NULL, forecast = NULL, chosen = character()) {
  site_summary <- findings$summary
  total <- list_total(findings)
  now <- site_clicks(site_summary)
  first <- utils::head(findings$findings, 1)
  link <- function(part, name, shown = TRUE) if (shown) sprintf("<a href='#%s'>%s</a>", part, name)
  paste0("<header><h1>", escape(title), "</h1><p class='soft'>Search performance: data of ",
    data_window(site_summary), "; the list rests on ", list_window(site_summary), "</p>",
    if (length(chosen)) {
      sprintf("<p><b>Chosen: %s.</b></p>", escape(paste(chosen, collapse = "; ")))
    },
    if (!is.null(moves)) {
      sprintf("<p>%s</p>", escape(paste(opening_sentences(moves, followed), collapse = " ")))
    },
    "<p>", if (nrow(first)) {
      sprintf(paste("%s worth about <b>%s more clicks per 30 days</b> (90 %% interval %s), %s of",
        "the %s that the site has per 30 days. First: %s, %s (+%s)."),
        format_plural(sum(findings$findings$hours > 0), "task"), format_clicks(total$gain),
        gain_range(total$low, total$high), format_share(total$gain / now), format_count(now),
        escape(sprintf("\u201c%s\u201d", first$query)), kind_label(first$kind),
        format_clicks(task_sums(findings$findings, first$task)$gain))
    } else {
      "Nothing found: no query is below the curve, close to a step or cannibalized significantly."
    },
    "</p></header><nav aria-label='Parts'>",
    link("findings", "What to fix", nrow(first) > 0),
    link("by-page", "By page", nrow(first) > 0), link("moved", "What changed", !is.null(moves)),
    link("watched", "Watched queries", !is.null(watched)),
    link("time", "Over time", !is.null(followed)), link("totals", "Totals"),
    link("curve", "The curve"), link("parts", "Side by side", length(parts) > 0),
    link("forecast", "What to expect", !is.null(forecast)),
    link("pages", "The pages", !is.null(findings$site_pages)),
    link("inventory", "All queries", !is.null(inventory)), link("read", "What was read"),
    link("meaning", "What it means"), "</nav>")
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
  paste0("<section id='totals'><h2>Totals, ", data_window(summary),
    "</h2><ul class='totals'>",
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
    },
    "</section>")
}

report_moves <- function(moves, most = 8) {
  if (is.null(moves)) return("")
  shown <- comparison_table(moves, most)
  one_line <- shown$row == "line"
  first <- utils::head(shown[one_line & shown$significant], 2)
  marked <- vapply(seq_len(nrow(first)),
    function(i) change_sentence(first[i], format_path(first$name[i]), moves), "")
  site <- c(site_sentences(moves), private_line(moves))
  columns <- shown_columns(shown, c("page", "weeks", "clicks_before", "clicks_after", "change",
    "by_demand", "by_position", "by_ctr", "by_new_lost", "significant"),
    text = list(page = ifelse(one_line, format_path(shown$name), shown$name),
      weeks = as_html(ifelse(one_line, week_sparks(moves, shown$name), ""))))
  sentences <- c(paste0(paste(c(sides_line(moves), events_line(moves)), collapse = "; "), ". ",
    paste(site, collapse = " ")),
    if (length(marked)) {
      paste(marked, collapse = " ")
    } else {
      sprintf("No page changed significantly (false-discovery rate %s).", format_share(moves$fdr))
    })
  paste0("<section id='moved'><h2>What changed</h2>",
    paste0("<p>", escape(sentences), "</p>", collapse = ""),
    html_list(utils::head(moves$drivers, 5)$sentence), html_list(lost_position_lines(moves)),
    inline_svg(ggplot2::autoplot(moves), site[1], height = 4),
    html_table(columns, soft_rows(!shown$significant & one_line)),
    "</section>")
}

report_watched <- function(watched) {
  if (is.null(watched)) return("")
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
  paste0("<section id='watched'><h2>Watched queries</h2><p>",
    escape(paste0(paste(c(sides_line(watched), watched_sentence(watched)), collapse = "; "), ". ",
      paste0(unseen_line(watched), ""))),
    "</p>", if (nrow(at)) html_table(columns, soft_rows(!at$significant)), "</section>")
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
  if (is.null(followed)) return("")
  part <- function(title, lines) c(sprintf("<h3>%s</h3><ul>", title),
    sprintf("<li>%s</li>", escape(lines)), "</ul>")
  paste(c(
    "<section id='time'><h2>Over time</h2>",
    inline_svg(ggplot2::autoplot(followed),
      sprintf("Positions of leading queries by %s: %s.", followed$by,
        paste(format_path(unique(followed$pages$page)), collapse = ", "))),
    inline_svg(ggplot2::autoplot(followed, "ctr"),
      sprintf("CTR by %s against what the curve expects, the same pages.", followed$by)),
    if (!is.null(followed$shifts)) part("What came of events", shift_lines(followed$shifts)),
    part("Changes found in the data", found_change_lines(followed$changes)),
    part("Unusual days and weeks", unusual_run_lines(followed$unusual)),
    "</section>"),
    collapse = "")
}

report_findings <- function(findings) {
  found <- in_sentences(findings)
  if (!nrow(found)) return("")
  pages <- tide_group(findings)
  top <- utils::head(found, 3)
  paste0("<section id='findings'><h2>What to fix, in order</h2><p class='soft'>",
    list_window(findings$summary), "</p>", findings_table(findings),
    inline_svg(ggplot2::autoplot(findings, grey = 300),
      sprintf("Map of %d findings by position and CTR. The first are %s.", nrow(found),
        paste(sprintf("%s at position %s with %s", top$query, format_position(top$position),
          format_rate(top$ctr)),
          collapse = "; "))),
    if (any(kind_is(found$kind, "contest")) && !is.null(findings$summary$contested)) {
      inline_svg(ggplot2::autoplot(findings, what = "contests"),
        "Position of competing pages by week, for the first cannibalized queries.", height = 5.5)
    },
    report_excluded(findings$excluded),
    "</section><section id='by-page'><h2>The same, page by page</h2>",
    pages_table(pages, found, findings$summary), "</section>")
}

# What was checked and left out, so that nobody looks for it again.
report_excluded <- function(excluded) {
  if (!NROW(excluded)) return("")
  paste0("<h3>Checked and left out</h3>",
    html_table(shown_columns(excluded[order(-excluded$queries)], c("queries", "clicks", "reason"))))
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
  paste0("<section id='curve'><h2>The site's own CTR curve</h2><p class='soft'>",
    data_window(curve$summary), ", query rows</p>",
    inline_svg(ggplot2::autoplot(curve), sprintf("CTR by position, %s: %s.", main,
      paste(sprintf("%s at %d", format_rate(lead$ctr), lead$position), collapse = ", "))),
    "<details><summary>The figures behind it</summary>",
    html_table(columns), "</details></section>")
}

# Devices, countries, rich results: how much each is, and at equal position where queries tell it.
report_parts <- function(parts) {
  if (!length(parts)) return("")
  tables <- vapply(parts, function(one) {
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
    paste0("<h3>By ", gsub("_", " ", one$by), "</h3><p class='soft'>", span, "</p>",
      html_table(columns), "<p>", escape(verdict), "</p>")
  }, "")
  paste0("<section id='parts'><h2>Side by side</h2>", paste(tables, collapse = ""), "</section>")
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
  paste0("<section id='read'><h2>What was read, and what was left out</h2>",
    html_table(read),
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
    "</ul></section>")
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
  paste0("<section id='meaning'><h2>What the figures mean</h2><dl>",
    paste0("<dt>", names(term_texts), "</dt><dd>", term_texts, "</dd>", collapse = ""),
    "</dl></section>")
}
