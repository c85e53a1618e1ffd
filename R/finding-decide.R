#' Decide about opportunities, and have it stick
#'
#' What was decided about a finding is kept in the project, with the facts it was decided on. In
#' the next list harmless findings stay away until their facts change.
#'
#' @details
#' \describe{
#'   \item{`fix`}{to be done: stays in the list, marked}
#'   \item{`later`}{away for 30 days, or until `until`}
#'   \item{`harmless`}{looked at, nothing to do: away until its facts change}
#'   \item{`done`}{fixed on that day: away until its facts change, and followed by
#'     [tide_outcomes()]}
#'   \item{`open`}{takes back what was decided: in the list as if nothing had been}
#' }
#' A decision is about a task: one step on one page, with all queries that it serves, also those
#' that come later. Facts have changed when what the task brings if done is at least half as large
#' again as it was, and beyond the upper end that it had; what is back says why. The last decision
#' about a task counts; earlier ones are kept.
#'
#' Hours and chance of a task can be set by hand, with any decision (`open` leaves the task in the
#' list as it was): they take the place of those assumed of its kind until they are set again.
#'
#' @param store A `tide_store` object; a project without an archive gets one for its decisions.
#' @param findings A `tide_findings` object that holds the findings.
#' @param id What is decided about: ids of findings or tasks, pages (all tasks of the page), or
#'   ranks of the list, one or more.
#' @param decision `fix`, `later`, `harmless`, `done` or `open`; one for all or one each.
#' @param note,by What to remember, and who decided; one for all or one each.
#' @param at Day of the decision (for `done`: the day it was fixed).
#' @param until For `later`: the day on which it comes back.
#' @param hours,chance The task's own hours and its chance to work (a fraction), for all of `id`;
#'   `NULL` leaves what was set before, 0 takes it back.
#' @return `tide_decide()` and `tide_decisions()`: a tibble with a row per line of each task (of
#'   its last decision): `id`, `decision`, `at`, `until`, `note`, `by`, `kind`, `query`, `page`,
#'   `pages`, `task`, `if_done`, `if_done_high`, `clicks`, `impressions`, `position`,
#'   `hours` and `chance` (those set by hand, the last of each, or `NA`).
#' @section Errors: `tide_error_finding` for an id, page or rank that the list does not hold, with
#'   the nearest; `tide_error_argument` for a day in the future, or `until` in the past.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' store <- tide_store(tempfile("project"))
#' tide_decide(store, found, tidy(found)$id[1], "harmless", note = "the results page answers it")
#' nrow(tide_find(found$summary, decisions = tide_decisions(store)))
#' @export
tide_decide <- function(store, findings, id, decision, note = "", by = "", at = Sys.Date(),
    until = NULL, hours = NULL, chance = NULL) {
  check_class(store, "tide_store", "store")
  check_class(findings, "tide_findings", "findings")
  check_text(decision, "decision", many = TRUE)
  for (one in unique(decision)) check_choice(one, names(decision_kinds), "decision")
  at <- check_date(at, "at")
  if (at > Sys.Date()) abort_argument("at", "a day that has come", format(at))
  until <- check_date(until, "until")
  if (is.null(until)) until <- at + 30
  if (until <= at) abort_argument("until", "a day after the decision", format(until))
  check_number(hours, "hours", min = 0, null = TRUE)
  check_number(chance, "chance", min = 0, max = 1, null = TRUE)
  lines <- rbind(findings$findings, findings$decided, fill = TRUE)
  chosen <- unique(rbindlist(Map(function(one, ...) list(task = tasks_named(one, lines), ...),
    as.character(id), decision = decision, note = note, by = by)),
    by = "task", fromLast = TRUE)
  chosen_lines <- lines[lines$task %in% chosen$task]
  about <- chosen[match(chosen_lines$task, chosen$task)]
  rows <- data.table(id = chosen_lines$id, decision = about$decision, at = format(at),
    until = ifelse(about$decision == "later", format(until), ""), note = about$note, by = about$by,
    chosen_lines[, decision_facts, with = FALSE], hours = first_given(hours, NA_real_),
    chance = first_given(chance, NA_real_))
  with_store(store, write = TRUE, function(con) {
    last <- DBI::dbGetQuery(con, "SELECT coalesce(max(number), 0) AS n FROM decisions")$n
    DBI::dbAppendTable(con, "decisions", rows)
    record_rows(store, "decision",
      DBI::dbGetQuery(con, "SELECT * FROM decisions WHERE number > ?", list(last)))
  })
  tide_decisions(store)
}

# Tasks that an id, a task, a page or a rank stands for.
tasks_named <- function(what, lines) {
  at_row <- which(lines$id == what | lines$task == what |
    (grepl("^[0-9]+$", what) & lines$rank == suppressWarnings(as.integer(what))))
  if (!length(at_row)) {
    at_row <- which(lines$page == what | format_path(lines$page) == what |
      grepl("/", what, fixed = TRUE) & page_key(lines$page) == page_key(what))
  }
  if (length(at_row)) return(unique(lines$task[at_row]))
  abort_tide(sprintf("The list holds no finding %s.", what),
    where = sprintf("It has %s.", format_plural(nrow(lines), "finding")),
    fix = if (nrow(lines)) {
      "Name an id, a page or a rank of the list."
    } else {
      "There is nothing to decide about."
    },
    class = "finding", fault = "call")
}

decision_kinds <- c(fix = "fix", later = "later", harmless = "harmless", done = "done",
  open = "open again")

decision_facts <- c("kind", "query", "page", "pages", "task", "if_done", "if_done_high", "clicks",
  "impressions", "position")

#' @rdname tide_decide
#' @export
tide_decisions <- function(store) {
  check_class(store, "tide_store", "store")
  tibble::as_tibble(stored_decisions(store))
}

stored_decisions <- function(store) {
  # Before the fifth format a decision was about one line, and kept what it was expected to bring.
  rows <- setDT(read_index(store, "decisions",
    function(con) DBI::dbGetQuery(con, paste(
      "SELECT id, decision, at, until, note, by, kind, query, page, pages,",
      "coalesce(task, id) AS task, coalesce(if_done, gain) AS if_done,",
      "coalesce(if_done_high, gain_high) AS if_done_high, clicks, impressions, position,",
      "hours, chance FROM decisions ORDER BY number"))))
  set(rows, j = c("hours", "chance"), value = last_estimates(rows))
  set(rows, j = "at", value = as.IDate(rows$at))
  set(rows, j = "until", value = as.IDate(ifelse(nzchar(rows$until), rows$until, NA)))
  rows <- rows[!duplicated(rows[, c("id", "task")], fromLast = TRUE)]
  # Of a task the last decision counts.
  last <- rows[!duplicated(rows$task, fromLast = TRUE)]
  decision_columns <- c("decision", "at", "until", "note", "by")
  set(rows, j = decision_columns, value = last[match(rows$task, last$task), decision_columns,
    with = FALSE])
  setDF(rows)[]
}

# The findings without those that are away.
leave_decided <- function(findings, decisions, today) {
  today <- check_date(today, "today")
  found <- copy(findings$findings)
  if (!nrow(found)) return(findings)
  decided <- as.data.table(decisions)
  tasks <- sums_by(decided, "task", c("if_done", "if_done_high"))
  # A decision of an earlier version is about one id.
  at_row <- fcoalesce(match(found$task, decided$task), match(found$id, decided$id))
  last <- decided[at_row]
  known <- !is.na(at_row) & last$decision != "open"
  was <- tasks[match(last$task, tasks$task)]
  now <- task_total(found$if_done, found$task)
  changed <- known & now > 1.5 * was$if_done & now > was$if_done_high & now >= 1
  away <- known & decided_away(last$decision, last$until, today, changed)
  set(found, j = "decision", value = ifelse(known, last$decision, ""))
  back <- which(known & !away & last$decision != "fix" & found$hours > 0)
  later <- last$decision[back] == "later"
  findings$facts <- c(findings$facts, new_facts("points_to", ifelse(later, "back_later",
    "back_grown"),
    found$id[back], decision = last$decision[back], decided = last$at[back],
    clicks_if_done = was$if_done[back], clicks_now = now[back]))
  findings$decided <- found[away]
  findings$findings <- found
  keep_lines(findings, !away)
}

# Whether a decision takes a task off the list. changed: its facts have, since.
decided_away <- function(decision, until, today, changed = FALSE) {
  ((decision == "later" & until > today) |
    (decision %in% c("harmless", "done") & !changed)) %in% TRUE
}

# What came of steps, as it was last judged: kept for the chances of the next list.
keep_outcomes <- function(store, outcomes) {
  with_store(store, write = TRUE, function(con) {
    DBI::dbExecute(con, "DELETE FROM outcomes")
    DBI::dbAppendTable(con, "outcomes", data.frame(task = outcomes$task, kind = outcomes$kind,
      done = format(outcomes$done), verdict = outcomes$verdict, ratio = outcomes$ratio,
      ratio_sd = outcomes$ratio_sd))
  })
}

kept_outcomes <- function(store) {
  read_index(store, "outcomes", function(con) DBI::dbReadTable(con, "outcomes"))
}
