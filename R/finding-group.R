#' The ranked list page by page, or by query, folder or topic
#'
#' Work happens on pages: what is the whole gain of touching each page once? Every finding
#' belongs to one page (for cannibalized queries the page to keep), so the gains of the pages add
#' up to those of the list; and so do those of queries, folders and topics (the query's head
#' term, see [tide_terms()]).
#'
#' @param findings A `tide_findings` object.
#' @param by `page`, `query`, `folder` or `topic`.
#' @param rules A [tide_rules()] object, for groups of pages instead of first folders.
#' @return A tibble, best first: `rank`, the name under `by`, `findings` (their number), `kinds`,
#'   `if_done`, `gain` (clicks per 30 days, sums of its findings), `gain_low`, `gain_high` (a 90 %
#'   interval of what they bring together), `hours`, `score` (that of its tasks), `ids`; where
#'   values of pages are known also `gain_conversions` and `gain_value`.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_group(found)
#' tide_group(found, by = "topic")
#' @export
tide_group <- function(findings, by = c("page", "query", "folder", "topic"), rules = tide_rules()) {
  check_class(findings, "tide_findings", "findings")
  by <- check_choice(by, c("page", "query", "folder", "topic"), "by")
  found <- copy(as.data.table(findings$findings))
  set(found, j = "name", value = switch(by, page = found$page, query = found$query,
    folder = page_group(found$page, rules$page_groups), topic = finding_topics(findings, found)))
  grouped <- found[, list(findings = .N, kinds = paste(unique(.SD$kind), collapse = " "),
    hours = sum(.SD$hours), score = sum(.SD$score), ids = paste(.SD$id, collapse = " ")),
    by = "name", .SDcols = c("kind", "hours", "score", "id")]
  local_assumptions(findings$assumptions)
  total <- total_gains(found, found$name)
  grouped <- cbind(grouped[, c("name", "findings", "kinds")],
    total[match(grouped$name, total$group), c("if_done", "gain", "gain_low", "gain_high")],
    grouped[, c("hours", "score", "ids")])
  for (column in intersect(c("gain_conversions", "gain_value"), names(found))) {
    known <- data.table(name = found$name, worth = fcoalesce(found[[column]], 0))
    sums <- sums_by(known, "name", "worth")
    set(grouped, j = column, value = sums$worth[match(grouped$name, sums$name)])
  }
  setorderv(grouped, c("score", "gain", "name"), c(-1L, -1L, 1L))
  grouped[, "rank" := seq_len(.N)]
  setcolorder(grouped, "rank")
  setnames(grouped, "name", by)
  tibble::as_tibble(grouped)
}

finding_topics <- function(findings, found) {
  site_summary <- findings$summary
  heads <- query_topics(list(rows = site_summary$pairs,
    queries = list(keys = site_summary$queries$key)))
  fcoalesce(heads[match(found$query, site_summary$queries$query)], "(no topic)")
}

# The whole list, under what was assumed for it.
list_total <- function(findings) {
  local_assumptions(findings$assumptions)
  total_gain(findings$findings)
}

# The tasks that bring most of the gain, in order; at least three.
useful_tasks <- function(findings) {
  local_assumptions(findings$assumptions)
  share <- assumed("list_share")
  found <- findings$findings
  leads <- task_leads(found)
  gain <- task_sums(found, leads$task)$gain
  before <- cumsum(gain) - gain
  tide_choose(findings, top = max(3, sum(before < share * sum(gain))))
}

# Tasks of fewer clicks in 30 days are one line together, until all are asked for.
small_task_gain <- 0.3

# Sums of the lines of each task.
task_sums <- function(found, tasks, of = c("gain", "if_done")) {
  sums <- sums_by(found, "task", of, count = "lines")
  sums[match(tasks, sums$task)]
}

# What all of it is expected to bring, with a 90 % interval: list(if_done, gain, low, high).
total_gain <- function(found) {
  if (!nrow(found)) return(list(if_done = 0, gain = 0, low = 0, high = 0))
  total <- total_gains(found, 1L)
  list(if_done = total$if_done, gain = total$gain, low = total$gain_low, high = total$gain_high)
}

# The same of each group of lines: each line is real or not, each task works or not (its lines
# together), what it brings then is known to its interval, and how far the chances of a kind are
# off, all its tasks share.
total_gains <- function(found, group) {
  lines <- data.table(group = group, task = found$task, kind = found$kind, gain = found$gain,
    if_done = found$if_done, confirmed = found$confidence * found$if_done,
    variance = found$confidence * ((1 - found$confidence) * found$if_done^2 + done_variance(found)))
  tasks <- sums_by(lines, c("group", "task", "kind"), c("gain", "if_done", "confirmed", "variance"))
  chance <- ifelse(tasks$confirmed > 0, tasks$gain / tasks$confirmed, 0)
  set(tasks, j = "own", value = chance * tasks$variance + chance * (1 - chance) * tasks$confirmed^2)
  kinds <- sums_by(tasks, c("group", "kind"), c("gain", "if_done", "own"))
  set(kinds, j = "shared", value = (assumed("chance_sd") * kinds$gain)^2)
  out <- sums_by(kinds, "group", c("if_done", "gain", "own", "shared"))
  reach <- stats::qnorm(0.95) * sqrt(out$own + out$shared)
  set(out, j = "gain_low", value = pmax(0, out$gain - reach))
  set(out, j = "gain_high", value = out$gain + reach)
  out[]
}

done_variance <- function(found) {
  ((found$if_done_high - found$if_done_low) / (2 * stats::qnorm(0.95)))^2
}

#' Choose what fits a working day
#'
#' @param findings A `tide_findings` object.
#' @param budget Hours of work there are: tasks are taken by score, and one that no longer fits is
#'   skipped for the next that does. `NULL`: all.
#' @param per_page At most so many tasks of one page. `NULL`: all.
#' @param top At most so many tasks. `NULL`: all.
#' @param sort Order of the tasks: `"score"`, `"gain"` or `"value"` (of the gain, in money or
#'   conversions).
#' @return The `tide_findings` object with the lines of fewer tasks, ranked anew.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_choose(found, budget = 8)
#' @export
tide_choose <- function(findings, budget = NULL, per_page = NULL, top = NULL, sort = "score") {
  check_class(findings, "tide_findings", "findings")
  check_number(budget, "budget", min = 0, null = TRUE)
  check_number(per_page, "per_page", min = 1, null = TRUE)
  check_number(top, "top", min = 1, null = TRUE)
  findings <- sort_tasks(findings, check_choice(sort, list_orders, "sort"))
  leads <- task_leads(findings$findings)
  if (!is.null(per_page)) leads <- leads[rowid(leads$page) <= per_page]
  taken <- if (is.null(budget)) leads$task else tasks_within(leads, budget)
  if (!is.null(top)) taken <- utils::head(taken, top)
  keep_lines(findings, findings$findings$task %in% taken)
}

list_orders <- c("score", "gain", "value")

# What a gain is worth, where values of pages are known: in money, else in conversions.
worth_column <- function(found) intersect(c("gain_value", "gain_conversions"), names(found))[1]

# Tasks by the sum of their gains, or of what these are worth.
sort_tasks <- function(findings, by) {
  if (by == "score") return(findings)
  found <- findings$findings
  column <- if (by == "gain") "gain" else worth_column(found)
  if (is.na(column)) {
    abort_argument("sort", "score or gain, since no page has conversions", by)
  }
  tasks <- unique(found$task)
  sums <- task_sums(found, tasks, column)[[column]]
  place <- match(found$task, tasks)
  findings$findings <- found[order(-fcoalesce(sums, 0)[place], place, found$rank)]
  keep_lines(findings, rep(TRUE, nrow(found)))
}

keep_lines <- function(findings, keep) {
  found <- findings$findings[which(keep)]
  findings$findings <- set(found, j = "rank", value = seq_len(nrow(found)))[]
  findings
}

tasks_within <- function(leads, hours) {
  left <- hours
  taken <- logical(nrow(leads))
  for (i in seq_len(nrow(leads))) {
    if (leads$hours[i] <= left + 1e-9) {
      taken[i] <- TRUE
      left <- left - leads$hours[i]
    }
  }
  leads$task[taken]
}
