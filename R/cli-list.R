# The ranked list for a terminal: two lines a task, the figures first, then where it is and what it
# is called.

# findings: those to show; all: the whole list, for totals and what is left.
findings_lines <- function(findings, all, width) {
  leads <- task_leads(findings$findings)
  if (!nrow(leads)) {
    return(c(sprintf("Nothing to fix among %s.",
      format_plural(findings$tested, "tested query x page pair")),
      excluded_text(findings, width)))
  }
  c(
    list_rows(findings$findings, leads, width),
    wrap_lines(more_line(leads, all), width),
    "",
    strwrap(total_line(all), width),
    excluded_text(findings, width),
    "",
    "First steps",
    first_steps(in_sentences(findings, utils::head(leads, 3)), width))
}

first_steps <- function(lines, width) {
  unlist(lapply(seq_len(nrow(lines)), function(i) {
    c(strwrap(sprintf("%d. %s", lines$rank[i], lines$action[i]), width, exdent = 3),
      strwrap(lines$reason[i], width, indent = 3, exdent = 3))
  }))
}

list_rows <- function(found, leads, width) {
  facts <- intersect(c("gain_value", "gain_cost"), names(found))
  query <- max(16, width - 53 - 9 * length(facts))
  sums <- task_sums(found, leads$task)
  text_line <- function(rank, query_text, gain, done, sure, chance, position, ctr, expected, hours,
      facts) {
    paste0(pad_left(rank, 3), " ", fit_text(query_text, query), pad_left(gain, 6),
      pad_left(done, 8), pad_left(sure, 6), pad_left(chance, 7), pad_left(position, 6),
      pad_left(ctr, 6), pad_left(expected, 6), pad_left(hours, 4), facts)
  }
  columns <- function(of) do.call(paste0, c(lapply(facts, of), ""))
  shown <- cbind(sums[, c("gain", "if_done")],
    leads[, c("confidence", "chance", "position", "ctr", "expected_ctr", "hours")])
  figures <- lapply(names(shown), function(name) column_text(name, shown[[name]]))
  rows <- do.call(text_line, c(list(leads$rank, leads$query), figures,
    list(columns(function(name) pad_left(format_count(leads[[name]]), 9)))))
  under <- paste0("    ", fit_text(kind_words(leads$kind, "short"), 10), fit_text(leads$id, 13),
    ifelse(sums$lines > 1, sprintf("+%s, ", format_plural(sums$lines - 1L, "query", "queries")),
      ""),
    sprintf("%s of %s  ", format_plural(leads$clicks, "click"), format_count(leads$impressions)),
    if (!is.null(leads[["volume"]])) {
      ifelse(is.na(leads$volume), "", sprintf("volume %s  ", format_count(leads$volume)))
    },
    if (is.null(leads[["decision"]])) {
      ""
    } else {
      ifelse(nzchar(leads$decision), sprintf("[%s]  ", leads$decision), "")
    })
  page_at <- format_path(leads$page)
  heads <- column_words(c("rank", "query", "gain", "if_done", "confidence", "chance", "position",
    "ctr", "expected_ctr", "hours"), "short")
  c(sub(" +$", "", do.call(text_line, c(as.list(heads),
    list(columns(function(name) pad_left(column_words(name, "short"), 9)))))),
    rbind(rows, sub(" +$", "",
      paste0(under, mapply(fit_path, page_at, pmax(8, width - nchar(under, "width") - 1L))))))
}

# What is not shown brings what is missing of the total as it is printed, so that the column adds
# up.
more_line <- function(leads, findings) {
  whole_list <- findings$findings
  rest <- task_leads(whole_list)
  rest <- rest[!rest$task %in% leads$task]
  if (!nrow(rest)) return(NULL)
  printed <- function(x) as.numeric(gsub(",", "", format_clicks(x), fixed = TRUE))
  gain <- printed(list_total(findings)$gain) - sum(printed(task_sums(whole_list, leads$task)$gain))
  sprintf("    ... and %s with +%s in %s (--top N, or --format csv for all)",
    format_plural(nrow(rest), "more task", "more tasks"),
    sub("[.]0$", "", formatC(gain, format = "f", digits = 1, big.mark = ",")),
    format_hours(sum(rest$hours)))
}

total_line <- function(findings) {
  found <- findings$findings
  total <- list_total(findings)
  sprintf(paste("All %s: +%s clicks per 30 days (90 %% interval %s to %s)%s%s, in %s. gain = if",
    "done x confidence x chance; if done: extra clicks per 30 days if the finding is real and the",
    "step works; conf.: that it is real; chance: that the step works; exp.: expected CTR at",
    "these positions; h: hours; second line: clicks of impressions in the window. In order of %s",
    "per hour."),
    format_plural(nrow(task_leads(found)), "task"), format_clicks(total$gain),
    format_clicks(total$low), format_clicks(total$high), worth_text(found),
    site_share_words(found), format_hours(sum(found$hours)),
    if (is.null(found[["gain_value"]])) "gain" else "gain in money")
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
  rows <- findings$excluded[order(-findings$excluded$queries)]
  c(
    "",
    "Checked and left out",
    unlist(lapply(sprintf("%s, %s: %s", format_plural(rows$queries, "query", "queries"),
      format_plural(rows$clicks, "click"), rows$reason),
      strwrap, width = width, indent = 2, exdent = 4)))
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
      paste0("+", format_clicks(shown$gain)),
      gain_range(shown$gain_low, shown$gain_high),
      if (is.na(worth)) "" else paste0("+", format_clicks(shown[[worth]])),
      paste0("+", format_clicks(shown$if_done)), sprintf("%.3g", shown$hours)),
    if (more > 0) sprintf("    ... and %s more (--top N)", format_count(more)))
}
