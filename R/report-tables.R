# Tables of the report.

# The walk from a query to its pages, and from a page to its queries, as it opens below a row.
drill_down <- function(rows, other, weeks_led = NULL, most = 10) {
  shown <- copy(utils::head(rows, most))
  setnames(shown, "name", other)
  if (!is.null(weeks_led)) set(shown, j = "weeks_led", value = weeks_led)
  columns <- shown_columns(shown,
    c(other, "clicks", "impressions", "ctr", "position", "share", "weeks_led"))
  if (any(nzchar(shown$trend))) columns[["Clicks by week"]] <- as_html(shown$trend)
  paste0(html_table(columns),
    if (nrow(rows) > most) {
      sprintf("<p class='soft'>and %s more</p>", format_count(nrow(rows) - most))
    })
}

# Pairs of one query or page, best first, with shares of the clicks (of the impressions where there
# are none) and a small line of clicks by week for those that are drawn.
drill_rows <- function(summary, by, code, most = 10) {
  pairs <- summary$pairs
  own <- pairs[if (by == "query") pairs$query == code else pairs$page == code]
  setorderv(own, c("clicks", "impressions"), c(-1L, -1L))
  trend <- rep("", nrow(own))
  for (i in seq_len(min(most, nrow(own)))) {
    trend[i] <- pair_spark(summary, own$query[i], own$page[i])
  }
  data.table(
    name = if (by == "query") summary$pages$page[own$page] else summary$queries$query[own$query],
    own[, c("clicks", "impressions", "ctr", "position")], share = click_shares(own), trend = trend,
    code = if (by == "query") own$page else own$query)
}

pair_spark <- function(summary, query, page) {
  weekly <- summary$weekly
  if (is.null(weekly)) return("")
  pair <- setDT(list(query = query, page = page))
  own <- weekly[pair, nomatch = NULL]
  clicks <- own$clicks[match(seq_len(summary$recent$days %/% 7L), own$week)]
  spark_svg(clicks, sprintf("Clicks by week, %s in the first and %s in the last",
    format_count(utils::head(clicks, 1)), format_count(utils::tail(clicks, 1))))
}

# Weeks in which each page led; NULL without dates.
led_weeks <- function(summary, code, pages) {
  weeks <- contested_weeks(summary, code)
  if (!is.null(weeks)) tabulate(match(week_leaders(weeks, "page")$leader, pages), length(pages))
}

query_drill_down <- function(findings, query) {
  site_summary <- findings$summary
  code <- match(query, site_summary$queries$query)
  rows <- drill_rows(site_summary, "query", code)
  if (nrow(rows) == 1) {
    return(
      if (nzchar(rows$trend)) sprintf("<p class='soft'>Clicks by week %s</p>", rows$trend) else "")
  }
  led <- led_weeks(site_summary, code, rows$code)
  paste0("<p><b>Pages of this query</b></p>",
    drill_down(rows, "page", if (!is.null(led)) utils::head(led, 10)))
}

page_drill_down <- function(page, summary) {
  code <- match(page, summary$pages$page)
  if (is.na(code) || !nzchar(page)) return("")
  paste0("<p><b>Queries of this page</b></p>",
    drill_down(drill_rows(summary, "page", code), "query"))
}

page_link <- function(page) {
  ifelse(grepl("^https?://", page),
    sprintf("; <a href='%s' rel='noreferrer'>open the page</a>", escape(page)), "")
}

# What the same step serves besides.
along_list <- function(all, found) {
  along <- which(all$hours == 0)
  task_total <- split(along, all$task[along])
  vapply(seq_len(nrow(found)), function(i) {
    use <- task_total[[as.character(found$task[i])]]
    if (!length(use)) return("")
    shown <- utils::head(use, 12)
    sprintf("<p><b>The same step serves:</b> %s%s</p>",
      paste(sprintf("%s (%s)", escape(all$query[shown]), format_gain(all$gain[shown])),
        collapse = ", "),
      if (length(use) > 12) sprintf(" and %d more", length(use) - 12L) else "")
  }, "")
}

# So many tasks and pages open to their tables: those that are worked on. Others give the reason and
# the step, which keeps the file small.
opened_most <- 20L

# Tables only for the first of many.
first_opened <- function(of, make) {
  out <- rep("", length(of))
  first <- seq_len(min(opened_most, length(of)))
  out[first] <- make(of[first])
  out
}

# A row a task; `first` of them are open at first, the rest behind a button.
findings_table <- function(findings, first = 10L) {
  everything <- in_sentences(findings)
  found <- task_leads(everything)
  sums <- task_sums(everything, found$task)
  served <- sums$lines - 1L
  shown <- copy(found)
  set(shown, j = c("gain", "if_done"), value = sums[, c("gain", "if_done")])
  worth <- worth_column(everything)
  if (!is.na(worth)) set(shown, j = worth,
    value = task_sums(everything, found$task, worth)[[worth]])
  columns <- shown_columns(shown, c("rank", "kind", "query", "page", "gain",
    if (!is.na(worth)) worth, "if_done", "confidence", "chance", "hours", "impressions", "position",
    "ctr", "expected_ctr"),
    text = list(
      kind = as_html(sprintf("<span class='kind %s'>%s</span>", found$kind,
        kind_label(found$kind))),
      query = as_html(paste0(expanders(found$query),
        ifelse(served > 0, sprintf(" <span class='soft'>and %d more</span>", served), ""))),
      gain = as_html(sprintf("<b>%s</b>", column_text("gain", sums$gain)))))
  rivals <- ifelse(kind_is(found$kind, "contest"),
    sprintf("<p><b>Pages:</b> %s</p>", gsub(" ", ", ", escape(found$pages), fixed = TRUE)), "")
  details <- sprintf(paste0(paste(
    "<p><b>Why:</b> %s</p><p><b>Do:</b> %s</p>%s%s<p class='soft'>This query: %s clicks,",
    "%s impressions; if done %s clicks per 30 days"),
    " (90 %% interval); the page earns %s clicks per 30 days from all its queries; score %.2f,",
    " %s; id <span class='whole'>%s</span>%s</p>%s"),
    escape(found$reason), escape(found$action), rivals, along_list(everything, found),
    format_count(found$clicks), format_count(found$impressions),
    gain_range(found$if_done_low, found$if_done_high), format_clicks(found$page_clicks),
    found$score, format_hours(found$hours), found$id, page_link(found$page),
    first_opened(seq_len(nrow(found)), function(i) {
      paste0(page_words_parts(findings, found[i]),
        vapply(found$query[i], query_drill_down, "", findings = findings))
    }))
  sortable_table("list", "By gain per hour of work. Press a query for the evidence.", columns,
    details, found$kind, intersect(names(finding_kinds()), found$kind),
    first = if (first < nrow(found)) first, wide = "query", printed = first_tasks_shown)
}

# What opens a row.
expanders <- function(text) {
  sprintf("<button type='button' aria-expanded='false'>%s</button>", escape(text))
}

# The pages with the best score; the list has the tasks of all.
pages_most <- 100L

pages_table <- function(pages, found, summary) {
  more <- nrow(pages) - pages_most
  pages <- utils::head(pages, pages_most)
  shown <- format_path(pages$page)
  columns <- shown_columns(pages, c("rank", "page", "findings", "gain", "gain_range", "if_done",
    "hours"),
    text = list(page = as_html(expanders(ifelse(nzchar(shown), shown,
      "(pages not in the export)"))),
      gain_range = gain_range(pages$gain_low, pages$gain_high)))
  leads <- task_leads(found)
  set(leads, j = "gain", value = task_sums(found, leads$task)$gain)
  details <- vapply(split(leads, factor(leads$page, pages$page)), function(own) {
    paste0("<ol>", paste(sprintf("<li><span class='kind %s'>%s</span>: %s (+%s)</li>", own$kind,
      escape(own$query), escape(own$action), format_clicks(own$gain)),
      collapse = ""),
      "</ol>")
  }, "")
  details <- paste0(details, first_opened(pages$page, function(some) {
    vapply(some, page_drill_down, "", summary = summary)
  }))
  sortable_table("pages", paste0(
    "The whole gain of touching each page once. Press a page for its steps.",
    if (more > 0) sprintf(" %s more are in the list.", format_plural(more, "page"))),
    columns, details, pages$kinds, first = if (nrow(pages) > 10) 10L, wide = "page")
}
