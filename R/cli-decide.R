# Commands about decisions and what came of them.

command_decide <- function(shared) {
  list(
    job = "record what was decided about findings, so that it sticks",
    files = "RANK|ID|PAGE... fix|later|harmless|done|open",
    example = "inktide decide 3 harmless --note \"answered above\"",
    options = c(shared, list(text_option("--note", "TEXT", "what to remember"),
      text_option("--by", "NAME", "who decided"),
      text_option("--at", "DATE", "day of the decision; of done: when it was [today]"),
      text_option("--until", "DATE", "of later: when it comes back [in 30 days]"),
      number_option("--hours", "N", "hours of the task, in place of those assumed; 0: as assumed"),
      number_option("--chance", "N", "its chance to work, such as 0.5, likewise"),
      text_option("--sheet", "FILE", "decisions filled into the list as xlsx or csv"),
      switch_option("--list", "show what was decided"))),
    run = run_decide)
}

run_decide <- function(options, files) {
  input <- resolve_project(options)
  store <- tide_store(input$folder)
  if (options$list) {
    return(cli_result(options, tide_decisions(store), decision_lines(tide_decisions(store))))
  }
  words <- setdiff(files, names(decision_kinds))
  decision <- intersect(files, names(decision_kinds))
  if (is.null(options$sheet) && (!length(words) || length(decision) != 1)) {
    abort_call("Which finding, and what about it?",
      paste("inktide decide", paste(files, collapse = " ")),
      paste("Name ranks, ids or pages and one of fix, later, harmless, done, open, as in: inktide",
        "decide 3 harmless --note \"answered above\""))
  }
  rows <- if (!is.null(options$sheet)) {
    read_decisions(options$sheet, names(decision_kinds))
  } else {
    data.table(id = last_list_ids(input$folder, words), decision = decision, note = "")
  }
  findings <- find_input(utils::modifyList(options, list(all = TRUE, hours = NULL, remarks = NULL)),
    input)
  text <- function(value) if (is.null(value)) "" else value
  if (!is.null(options$note)) set(rows, j = "note", value = options$note)
  today <- format(Sys.Date())
  decided <- tide_decide(store, findings, rows$id, rows$decision, note = rows$note,
    by = text(options$by), at = first_given(options$at, today), until = options$until,
    hours = options$hours, chance = options$chance)
  lines <- rbind(findings$findings, findings$decided, fill = TRUE)
  named <- unique(unlist(lapply(rows$id, tasks_named, lines)))
  cli_out(decision_lines(decided[decided$task %in% named, ]))
  remark_next(options, "inktide find", "inktide decide ID open (to take it back)")
}

# A project, which its exports or archive must belong to.
resolve_project <- function(options) {
  needed_project(options)
  resolve_input(options, character())
}

decision_lines <- function(decisions) {
  if (!nrow(decisions)) return("Nothing was decided yet.")
  leads <- decisions[!duplicated(decisions$task), ]
  along <- as.vector(table(factor(decisions$task, leads$task))) - 1L
  paste0(sprintf("%s  %-8s %s  %s: \"%s\"", leads$id, leads$decision, format(leads$at),
    format_path(leads$page), leads$query),
    ifelse(along > 0, sprintf(" and %s", format_plural(along, "other query", "other queries")), ""),
    ifelse(leads$decision == "later", sprintf(", back on %s", format(leads$until)), ""),
    ifelse(is.na(leads$hours), "", sprintf(", %s by hand", format_hours(leads$hours))),
    ifelse(is.na(leads$chance), "", sprintf(", chance %s by hand", format_share(leads$chance))),
    ifelse(nzchar(leads$note), sprintf(" (%s)", leads$note), ""))
}

command_outcome <- function(shared) {
  list(
    job = "did what was done work, compared with untouched queries",
    files = "",
    example = "inktide outcome --project my-site",
    options = c(shared,
      list(number_option("--since", "N", "days before and since that are compared [28]", 28))),
    arguments = c(days = "--since"),
    run = run_outcome)
}

run_outcome <- function(options, files) {
  input <- resolve_project(options)
  decisions <- tide_decisions(tide_store(input$folder))
  if (!any(decisions$decision == "done")) {
    abort_tide("Nothing was marked as done yet.", where = sprintf("'%s'.", input$folder),
      fix = "When something is done: inktide decide ID done --at DATE", class = "finding")
  }
  input_data <- read_input(options, input)
  site_summary <- summarise_input(options, input, input_data)
  judged <- tide_outcomes(input_data, decisions, tide_curve(site_summary), days = options$since,
    pages = input$pages)
  # What was learnt from some rows only is shown, not kept: the list learns its chances from it.
  if (!length(all_segments(input)) && !chose_window(options)) {
    keep_outcomes(tide_store(input$folder), judged)
  }
  cli_result(options, judged, wrap_lines(outcome_lines(judged, options$since), terminal_width()))
}

outcome_lines <- function(judged, since) {
  unlist(lapply(seq_len(nrow(judged)), function(i) {
    own <- judged[i, ]
    c(
      sprintf("%s: \"%s\"%s on %s (%s, done %s)", own$verdict, own$query,
        if (own$queries > 1) sprintf(" and %d more", own$queries - 1L) else "",
        format_path(own$page), kind_label(own$kind), format(own$done)),
      if (own$verdict == "too few days before") {
        sprintf("   The data begin %s before it; %g are compared.",
          format_plural(own$days_before, "day"), since)
      },
      if (own$verdict == "too early") {
        sprintf("   %s of data since; at least 14 are needed.", format_plural(own$days, "day"))
      },
      if (!is.na(own$ratio)) {
        c(
          sprintf(
            "   %s clicks per 30 days before, %s since; expected from %s untouched queries: %s.",
            format_clicks(own$clicks_before), format_clicks(own$clicks_since),
            format_count(own$untouched), format_clicks(own$clicks_since - own$won)),
          sprintf("   %.2f times as many (%.2f to %.2f): %+.1f clicks (%+.1f to %+.1f).", own$ratio,
            own$ratio_low, own$ratio_high, own$won, own$won_low, own$won_high))
      },
      if (nzchar(own$linking_shown)) {
        sprintf("   %s to it and began to be shown for the query: say it less there.",
          paste(format_path(strsplit(own$linking_shown, " ", fixed = TRUE)[[1]]), "links",
            collapse = ", "))
      })
  }))
}
