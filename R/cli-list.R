# The ranked list for a terminal: what all of it brings, then two lines a task: its verb, where, and
# the figures it is ranked by; beneath, what it is called and what it rests on.

# findings: those to show; all: the whole list, for totals and what is left. whole: the legend, the
# first steps and what was left out besides.
findings_lines <- function(findings, all, width, whole = FALSE, legend = whole) {
  leads <- task_leads(findings$findings)
  if (!nrow(leads)) {
    return(c(sprintf("Nothing to fix among %s.",
      format_plural(findings$tested, "tested query x page pair")),
      if (whole) excluded_text(findings, width)))
  }
  c(
    wrap_lines(total_line(all), width),
    "",
    list_rows(findings, leads, width),
    more_lines(leads, all),
    if (legend) c("", wrap_lines(list_legend(all$findings), width)),
    if (whole) {
      c(excluded_text(all, width),
        "", "First steps", first_steps(in_sentences(findings, utils::head(leads, 3)), width))
    })
}

first_steps <- function(lines, width) {
  unlist(lapply(seq_len(nrow(lines)), function(i) {
    c(strwrap(sprintf("%d. %s", lines$rank[i], lines$action[i]), width, exdent = 3),
      strwrap(lines$reason[i], width, indent = 3, exdent = 3))
  }))
}

list_rows <- function(findings, leads, width) {
  found <- findings$findings
  facts <- intersect(c("gain_value", "gain_cost"), names(found))
  free <- max(16, width - 34 - 9 * length(facts))
  sums <- task_sums(found, leads$task)
  text_line <- function(rank, name, gain, done, sure, chance, hours, facts) {
    paste0(pad_left(rank, 3), " ", name, pad_left(gain, 6), pad_left(done, 8), pad_left(sure, 6),
      pad_left(chance, 7), pad_left(hours, 3), facts)
  }
  columns <- function(of) do.call(paste0, c(lapply(facts, of), ""))
  shown <- cbind(sums[, c("gain", "if_done")], leads[, c("confidence", "chance", "hours")])
  figures <- lapply(names(shown), function(name) column_text(name, shown[[name]]))
  verbs <- paste0(task_verbs(findings, leads), ": ")
  page_at <- mapply(function(by_page, page, query, free) {
    if (by_page) fit_path(format_path(page), free) else fit_text(query, free)
  }, about_page(leads), leads$page, leads$query, pmax(8, free - nchar(verbs, "width")))
  rows <- do.call(text_line, c(list(leads$rank, fit_text(paste0(verbs, page_at), free)), figures,
    list(columns(function(name) pad_left(format_count(leads[[name]]), 9)))))
  heads <- column_words(c("gain", "if_done", "confidence", "chance", "hours"), "short")
  c(sub(" +$", "", do.call(text_line, c(list("#", fit_text("task", free)), as.list(heads),
    list(columns(function(name) pad_left(column_words(name, "short"), 9)))))),
    rbind(rows, evidence_lines(leads, sums, width)))
}

# What a task is called, its queries, how they stand.
evidence_lines <- function(leads, sums, width) {
  decided <- first_given(leads[["decision"]], rep("", nrow(leads)))
  right <- paste0(
    ifelse(sums$lines > 1, sprintf(" +%s", format_count(sums$lines - 1L)), ""),
    ", ", standing_words(leads),
    if (!is.null(leads[["volume"]])) {
      ifelse(is.na(leads$volume), "", sprintf(", volume %s", format_count(leads$volume)))
    },
    ifelse(nzchar(decided), sprintf(" [%s]", decided), ""))
  left <- sprintf("    %s %s: ", leads$id, kind_words(leads$kind, "short"))
  query <- mapply(function(text, free) trimws(fit_text(text, free), "right"),
    ifelse(leads$query == leads$page, "all queries", leads$query),
    pmax(12, width - nchar(left, "width") - nchar(right, "width")))
  paste0(left, query, right)
}

# What is not shown brings what is missing of the total as it is printed, so that the column adds
# up.
more_lines <- function(leads, all) {
  whole_list <- all$findings
  rest <- task_leads(whole_list)
  rest <- rest[!rest$task %in% leads$task]
  if (!nrow(rest)) return(NULL)
  gain_of <- function(tasks) task_sums(whole_list, tasks$task)$gain
  small <- gain_of(rest) < small_task_gain
  printed <- function(x) as.numeric(gsub(",", "", format_clicks(x), fixed = TRUE))
  total <- printed(list_total(all)$gain) - sum(printed(gain_of(leads)))
  of_small <- if (all(small)) total else round(sum(gain_of(rest[small])), 1)
  text_line <- function(tasks, what, gain, how) {
    if (!nrow(tasks)) return(NULL)
    sprintf("    %s %s, +%s in %s (%s)", format_count(nrow(tasks)), what,
      sub("[.]0$", "", formatC(gain, format = "f", digits = 1, big.mark = ",")),
      format_hours(sum(tasks$hours)), how)
  }
  c(
    text_line(rest[!small], if (sum(!small) == 1) "more task" else "more tasks", total - of_small,
      "--top N"),
    text_line(rest[small], if (sum(small) == 1) "small task" else "small tasks", of_small, "--all"))
}

total_line <- function(findings) {
  found <- findings$findings
  total <- list_total(findings)
  sprintf(paste("%s: +%s clicks per 30 days (90 %% interval %s to %s)%s%s, in %s. %s."),
    format_plural(nrow(task_leads(found)), "task"), format_clicks(total$gain),
    format_clicks(total$low), format_clicks(total$high), worth_text(found),
    site_share_words(found), format_hours(sum(found$hours)), window_words(findings$summary))
}

# "31 Jul to 28 Oct 2026 (90 days)"
window_words <- function(site_summary) {
  recent <- site_summary$recent
  whole <- site_summary$window
  if (!whole$dated) {
    days <- format_plural(whole$days, "day")
    if (is.na(whole$from)) return(sprintf("No dates, taken as %s", days))
    return(sprintf("%s (%s)", format_days(whole$from, whole$to), days))
  }
  sprintf("%s (%s)", format_days(recent$from, recent$to),
    format_plural(as.integer(recent$to - recent$from) + 1L, "day"))
}

list_legend <- function(found) {
  c(
    paste("gain = if done x confidence x chance; if done: extra clicks per 30 days if the finding",
      "is real and the step works; conf.: that it is real; chance: that the step works; h: hours."),
    "+N: so many further queries that the task serves; CTR 4% for 13%: had for expected.",
    sprintf("In order of %s per hour.",
      if (is.null(found[["gain_value"]])) "gain" else "gain in money"))
}

worth_text <- function(found) {
  sum_of <- function(name) if (!is.null(found[[name]])) sum(found[[name]], na.rm = TRUE)
  conversions <- sum_of("gain_conversions")
  value <- sum_of("gain_value")
  cost <- sum_of("gain_cost")
  paste0(if (!is.null(conversions)) sprintf(", %s conversions", format_clicks(conversions)),
    if (!is.null(value)) sprintf(" worth %s", format_count(value)),
    if (!is.null(cost)) sprintf(", which would cost %s as ads", format_count(cost)), "")
}

# What was checked and left out.
excluded_text <- function(findings, width) {
  if (!NROW(findings$excluded)) return(NULL)
  c(
    "",
    "Checked and left out",
    unlist(lapply(excluded_sentences(findings), strwrap, width = width, indent = 2, exdent = 4)))
}

# "71 queries, 835 clicks: below the curve, within this site's normal spread", most queries first.
excluded_sentences <- function(findings) {
  rows <- findings$excluded[order(-findings$excluded$queries)]
  if (!nrow(rows)) return(NULL)
  counted <- if (isTRUE(findings$summary$of_pages)) {
    format_plural(rows$queries, "page")
  } else {
    format_plural(rows$queries, "query", "queries")
  }
  sprintf("%s, %s: %s", counted, format_plural(rows$clicks, "click"), rows$reason)
}

groups_lines <- function(groups, top, width) {
  if (!nrow(groups)) return("Nothing to fix.")
  view <- names(groups)[2]
  shown <- utils::head(groups, top)
  worth <- intersect(c("gain_value", "gain_conversions"), names(groups))[1]
  free <- max(20, width - if (is.na(worth)) 54 else 66)
  name <- if (view == "page") fit_path(format_path(shown$page), free) else fit_text(shown[[view]],
    free)
  text_line <- function(rank, name, findings, gain, range, brings, done, hours) {
    paste0(pad_left(rank, 3), " ", name, pad_left(findings, 9), pad_left(gain, 8),
      pad_left(range, 15), if (!is.na(worth)) pad_left(brings, 12), pad_left(done, 8),
      pad_left(hours, 7))
  }
  more <- nrow(groups) - nrow(shown)
  c(
    text_line(column_words("rank", "short"), fit_text(view, free),
      column_words("findings", "short"),
      column_words("gain", "short"), "90 %", if (!is.na(worth)) column_words(worth, "short"),
      column_words("if_done", "short"), "hours"),
    text_line(shown$rank, name, format_count(shown$findings),
      format_gain(shown$gain),
      gain_range(shown$gain_low, shown$gain_high),
      if (is.na(worth)) "" else format_gain(shown[[worth]]),
      format_gain(shown$if_done), sprintf("%.3g", shown$hours)),
    if (more > 0) sprintf("    ... and %s more (--top N)", format_count(more)))
}
