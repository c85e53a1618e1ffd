# Views beside the list: months ahead, the site's own pages, outcomes and watched queries, the data.
# What they take longer for is worked out once the list is shown; each part comes when it is ready.

# In: values by name, as far as they are there. Out: a function of a part's name that gives
# list(ready, value): "forecast", "watched", "outcomes", "check".
parts_given <- function(values) function(name) list(ready = TRUE, value = values[[name]])

# A part in HTML: what is shown of it, that it is still being worked out, that there is `none`, or
# what went wrong.
part_html <- function(part, show, none) {
  if (!part$ready) return("<p class='soft' role='status'>This is being worked out.</p>")
  if (inherits(part$value, "condition")) {
    return(sprintf("<p>%s %s</p>", escape(part$value$what), escape(part$value$fix)))
  }
  if (!NROW(part$value)) return(sprintf("<p class='soft'>%s</p>", escape(none)))
  show(part$value)
}

# A view of parts, which asks again until they are there.
view_of_parts <- function(html, ...) {
  structure(html, waiting = !all(vapply(list(...), `[[`, NA, "ready")))
}

# What is expected, and what the tasks that fit into these hours add.
ahead_view <- function(held, state) {
  part <- held$beside("forecast")
  view_of_parts(paste0("<h1 tabindex='-1'>Months ahead</h1>", part_html(part,
    function(forecast) ahead_html(planned_forecast(held, state, forecast)),
    "Too few months are known: data of a year, or a table of months, tell what is ahead.")),
    part)
}

ahead_html <- function(planned) {
  tasks <- planned$tasks
  sprintf(paste0("<div class='tools'>%s <span class='soft'>the tasks of the list that fit, done ",
    "in the first month</span></div>%s%s"),
    text_box("hours", "Hours of work", format(planned$hours), "number", 5),
    report_forecast(planned$forecast),
    if (!nrow(tasks)) "" else paste0("<h2>The plan</h2>", html_table(shown_columns(tasks,
      c("task", "gain", "if_done", "confidence", "chance", "hours"),
      text = list(task = task_links(tasks))), look = "data", wide = "task")))
}

# list(forecast, tasks, hours): the site's months with the tasks that fit as the one plan.
planned_forecast <- function(held, state, forecast) {
  local_assumptions(held$findings$assumptions)
  hours <- state_number(state$hours, 8)
  tasks <- chosen_tasks(held, state)$tasks
  fits <- tasks$task %in% tasks_within(tasks, hours)
  tasks <- tasks[fits]
  plans <- if (nrow(tasks)) {
    stats::setNames(list(tide_plan(held$findings, do = tasks$id)), format_hours(hours))
  }
  list(forecast = with_plans(forecast, plans), tasks = tasks, hours = hours)
}

task_links <- function(tasks) {
  as_html(sprintf("<button type='button' class='row' %s>%s</button>",
    go_each("line", "id", tasks$id), escape(tasks$todo)))
}

# The site's own pages as they were read, and each page's steps with the sections it lacks.
pages_view <- function(held, state) {
  findings <- hand_findings(held, state)
  sprintf("<h1 tabindex='-1'>Pages</h1>%s<h2>Page by page</h2>%s",
    if (is.null(held$pages)) {
      paste("<p class='soft'>The site's pages were not read: 'inktide pages SITE-OR-FOLDER' reads",
        "titles, links and texts.</p>")
    } else {
      report_pages(findings)
    },
    if (nrow(findings$findings)) report_checklist(findings) else "<p>The list is empty.</p>")
}

# What came of what was done, and of the queries that are watched.
outcomes_view <- function(held, state) {
  outcomes <- held$beside("outcomes")
  watched <- held$beside("watched")
  view_of_parts(sprintf(paste0("<h1 tabindex='-1'>Outcomes</h1>",
    "<h2>What came of what was done</h2>%s<h2>Watched queries</h2>%s"),
    part_html(outcomes, function(judged) {
      html_table(outcome_columns(setDT(as.data.frame(judged))), look = "data prose")
    }, "Nothing was marked as done yet."),
    part_html(watched, report_watched,
      "No queries are watched: name lists of them under 'watched' in inktide.yml.")),
    outcomes, watched)
}

# Of steps already taken on the page of a task.
line_outcomes <- function(held, line) {
  judged <- held$beside("outcomes")$value
  if (!is.data.frame(judged)) return("")
  own <- setDT(as.data.frame(judged[judged$page == line$page, ]))
  if (!nrow(own)) return("")
  sprintf("<section><h2>What was done on this page</h2>%s</section>",
    html_table(outcome_columns(own), look = "data prose"))
}

outcome_columns <- function(judged) {
  shown_columns(judged, c("verdict", "query", "page", "kind", "done", "clicks_before",
    "clicks_since", "won", "won_range"),
    text = list(
      query = paste0(judged$query, ifelse(judged$queries > 1,
        sprintf(" and %d more", judged$queries - 1L), "")),
      won_range = ifelse(is.na(judged$won), "",
        sprintf("%s to %s", signed_count(judged$won_low), signed_count(judged$won_high)))))
}

# What is loaded, what is wrong with it, what was left out.
data_view <- function(held, state) {
  check <- held$beside("check")
  unusual <- if (!is.null(held$data)) days_not_usual(held)
  view_of_parts(sprintf(
    "<h1 tabindex='-1'>Data</h1>%s<h2>What the list rests on</h2>%s%s",
    part_html(check, check_tables, "No archive stands behind these rows."),
    report_read(held$findings$summary, held$findings$outside),
    if (NROW(unusual)) {
      paste0("<h2>Unusual days</h2>",
        html_list(unusual_run_lines(setnames(copy(unusual), "date", "from"))))
    } else {
      ""
    }), check)
}

check_tables <- function(check) {
  if (!nrow(check$held)) return("<p>The archive is empty.</p>")
  stored <- check$held
  span <- ifelse(stored$from > 0,
    format_days(as.IDate(stored$from), as.IDate(stored$to)), "no dates")
  problems <- check$problems[order(check$problems$weight != "problem")]
  paste0("<h2>Stored</h2>",
    html_table(shown_columns(stored, c("grain", "rows", "window", "days", "clicks", "impressions"),
      text = list(window = span, days = ifelse(stored$from > 0, format_count(stored$days), ""))),
      look = "data narrow"),
    if (!is.null(check$kept)) sprintf("<p class='soft'>%s</p>", escape(kept_line(check$kept))),
    "<h2>Problems and remarks</h2>",
    if (nrow(problems)) {
      html_table(shown_columns(problems, c("weight", "trouble", "consequence", "fix"),
        text = list(trouble = paste0(problems$problem,
          ifelse(nzchar(problems$grain), paste0(" in ", problems$grain), ""),
          ifelse(nzchar(problems$where), paste0(": ", problems$where), "")))), look = "data prose")
    } else {
      "<p>No problems found.</p>"
    },
    if (!is.null(check$coverage)) {
      paste0("<h2>Share that rows with queries explain</h2>",
        html_table(shown_columns(check$coverage, c("month", "clicks_explained",
          "impressions_explained"),
          text = list(month = format_month(as.IDate(paste0(check$coverage$month, "-01"))),
            clicks_explained = format_share(check$coverage$clicks),
            impressions_explained = format_share(check$coverage$impressions))),
          look = "data narrow"))
    })
}
