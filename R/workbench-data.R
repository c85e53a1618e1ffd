# What the workbench works on: findings, tasks with what they can be chosen by, rows to explore.

workbench_data <- function(findings, data = NULL, store = NULL, settings = NULL, events = NULL,
    title = "Search performance", folder = NULL, explorer = workbench_explorer(findings, data,
      settings), beside = parts_given(list())) {
  rules <- first_given(settings$rules, tide_rules(brand = findings$summary$brand))
  list2env(list(findings = findings, data = data, store = store, settings = settings,
    rules = rules, events = events, title = title, folder = folder,
    pages = findings$site_pages, tasks = workbench_tasks(findings, rules),
    segments = settings$segments, read_only = is.null(store), kept = new.env(parent = emptyenv()),
    explorer = explorer, beside = beside, undo = list(), decided_at = NULL, decisions = NULL),
    parent = emptyenv())
}

# The days that the list rests on, which its links take along; NULL without dates.
shown_window <- function(held) {
  recent <- held$findings$summary$recent
  if (isTRUE(held$findings$summary$window$dated)) {
    list(from = format(recent$from), to = format(recent$to))
  }
}

# Rows coded once; NULL where there are none with queries.
workbench_explorer <- function(findings, data, settings = NULL) {
  if (is.null(data)) return(NULL)
  rules <- first_given(settings$rules, tide_rules(brand = findings$summary$brand))
  tryCatch(tide_explorer(data, findings$curve, rules = rules), tide_error = function(e) NULL)
}

# A row a task: its leading line, the sums of all its lines, and what tasks can be chosen by.
workbench_tasks <- function(findings, rules) {
  found <- findings$findings
  leads <- in_sentences(findings, task_leads(found))
  sums <- task_sums(found, leads$task)
  site_summary <- findings$summary
  query <- match(leads$query, site_summary$queries$query)
  segment <- site_summary$queries$segment[query]
  tasks <- leads[, c("rank", "id", "task", "kind", "query", "page", "position", "clicks",
    "impressions", "confidence", "chance", "hours", "score", "action"), with = FALSE]
  set(tasks, j = c("gain", "if_done", "lines"), value = sums[, c("gain", "if_done", "lines")])
  if (!is.null(leads[["gain_value"]])) {
    set(tasks, j = "value", value = task_sums(found, leads$task, "gain_value")$gain_value)
  }
  set(tasks, j = "folder", value = page_group(leads$page, rules$page_groups))
  set(tasks, j = "intent", value = query_intent(query_key(leads$query), rules$intent))
  set(tasks, j = "brand", value = fifelse(fcoalesce(segment, "all") == "brand", "brand",
    "non-brand"))
  set(tasks, j = "band", value = as.character(position_band(leads$position, rules$bands)))
  set(tasks, j = "size", value = size_names[findInterval(tasks$if_done, c(-Inf, 5, 20, 100))])
  # What is to be done, first its verb.
  set(tasks, j = "todo", value = paste0(task_verbs(findings, leads), ": ",
    ifelse(about_page(leads), format_path(leads$page), leads$query)))
  set(tasks, j = "why", value = standing_words(leads))
  set(tasks, j = "small", value = tasks$gain < small_task_gain)
  set(tasks, j = "text", value = tolower(paste(leads$query, leads$page, leads$id, tasks$todo)))
  tasks[]
}

# Clicks per 30 days if done.
size_names <- c("under 5", "5 to 20", "20 to 100", "100 and more")

# What was decided, read again where the archive has changed since.
workbench_decisions <- function(held) {
  if (is.null(held$store)) return(held$decisions)
  path <- index_path(held$store)
  changed <- file.info(path)$mtime
  if (is.null(held$decided_at) || !identical(held$decided_at, changed)) {
    held$decisions <- as.data.table(stored_decisions(held$store))
    held$decided_at <- changed
  }
  held$decisions
}

# The decision on each task as it stands: "" for none, and whether it takes the task off the list.
tasks_decided <- function(held, today = Sys.Date()) {
  decisions <- workbench_decisions(held)
  if (is.null(decisions)) {
    none <- rep("", nrow(held$tasks))
    return(list(decision = none, note = none, away = nzchar(none)))
  }
  at_row <- match(held$tasks$task, decisions$task)
  at_row[is.na(at_row)] <- match(held$tasks$id[is.na(at_row)], decisions$id)
  made <- fcoalesce(decisions$decision[at_row], rep("", nrow(held$tasks)))
  made[made == "open"] <- ""
  list(decision = made, note = fcoalesce(decisions$note[at_row], rep("", nrow(held$tasks))),
    away = decided_away(made, decisions$until[at_row], as.IDate(today)))
}

# A result that takes time, kept for the state that it belongs to.
# Whether windows of days can be compared.
has_days <- function(held) !is.null(held$data) && "date" %in% held$explorer$dimensions

is_kept <- function(held, mark) !is.null(held$kept[[digest::digest(mark)]])

kept_result <- function(held, mark, make) {
  key <- digest::digest(mark)
  if (is.null(held$kept[[key]])) held$kept[[key]] <- list(make())
  held$kept[[key]][[1]]
}

# The sentences that the report opens with; NULL where two windows cannot be told.
workbench_opening <- function(held) {
  if (!has_days(held)) return(NULL)
  compared <- compared_state(held, read_state("{\"level\":\"page\"}"))
  if (inherits(compared, "tide_change")) opening_sentences(compared, NULL)
}

# Gain, order and tasks by the own figures as they stand.
count_again <- function(held) {
  held$findings <- with_estimates(held$findings, workbench_decisions(held))
  held$tasks <- workbench_tasks(held$findings, held$rules)
  held$kept <- new.env(parent = emptyenv())
}

# What is on the screen as files: list(content, type, name).

hand_file <- function(held, state, format) {
  name <- sprintf("ink-tide-%s.%s", state$view, format)
  file_path <- tempfile(fileext = paste0(".", format))
  on.exit(unlink(file_path))
  switch(format, png = save_figure(hand_figure(held, state), file_path, 10, 6),
    html = tide_report(hand_findings(held, state), file_path, title = held$title),
    md = tide_write(hand_findings(held, state), file_path), xlsx = if (state$view == "list") {
      tide_write(hand_findings(held, state), file_path)
    } else {
      write_whole(file_path, function(path) openxlsx::write.xlsx(hand_rows(held, state), path))
    },
    tide_write(hand_rows(held, state), file_path))
  types <- c(png = "image/png", html = "text/html; charset=utf-8", md = "text/markdown",
    xlsx = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    csv = "text/csv; charset=utf-8")
  list(content = readBin(file_path, "raw", file.size(file_path)), type = types[[format]],
    name = name)
}

hand_formats <- c("csv", "xlsx", "png", "html", "md")

# The findings of the tasks that the list shows.
hand_findings <- function(held, state) {
  findings <- held$findings
  tasks <- chosen_tasks(held, state)$tasks
  findings <- keep_lines(findings, findings$findings$task %in% tasks$task)
  # What was noted with a decision goes along.
  if (any(nzchar(tasks$note))) {
    own <- copy(findings$findings)
    set(own, j = "note", value = tasks$note[match(own$task, tasks$task)])
    findings$findings <- own
  }
  findings
}

hand_rows <- function(held, state) {
  switch(state$view, list = , map = chosen_tasks(held, state)$tasks[, !c("task", "text", "away",
    "small", "why")],
    line = tide_trace(held$findings, state$id)$cells,
    curve = setDT(as.data.frame(tidy(shown_curve(held, state)))),
    ahead = planned_forecast(held, state, held$beside("forecast")$value)$forecast$months,
    pages = setDT(as.data.frame(tide_group(hand_findings(held, state)))),
    outcomes = setDT(as.data.frame(held$beside("outcomes")$value)),
    data = setDT(as.data.frame(held$beside("check")$value$problems)),
    changes = hand_changes(held, state),
    contests = {
      made <- tasks_decided(held)
      held$tasks[kind_is(held$tasks$kind, "contest") & !made$away,
        !c("task", "text", "small", "why")]
    },
    explored(held, state)$rows)
}

# Movers in the order of the screen, all of them.
hand_changes <- function(held, state) {
  compared <- compared_state(held, state)
  rows <- setDT(as.data.frame(tidy(compared)))
  if (!inherits(compared, "tide_change")) return(rows)
  rows[match(chosen_moves(compared, state)$name, rows$name)]
}

hand_figure <- function(held, state) {
  switch(state$view, map = ggplot2::autoplot(hand_findings(held, state)),
    contests = ggplot2::autoplot(held$findings, what = "contests"),
    changes = ggplot2::autoplot(compared_state(held, state)),
    ahead = ggplot2::autoplot(
      planned_forecast(held, state, held$beside("forecast")$value)$forecast),
    ggplot2::autoplot(shown_curve(held, state)))
}
