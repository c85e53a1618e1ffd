#' A plan of what will be done, and when
#'
#' Takes tasks of the list, or a small table, as what a forecast adds.
#'
#' @details A line of a table names a task (`id`), or a `query` with or without its `page`, and a
#'   `target`: a position such as `8`, a CTR such as `12%`, or `fixed` for what the list says of the
#'   query. Empty, a task brings what the list says, and a query goes to the best place that
#'   comparable queries hold: the position that the best tenth of the site's queries reach, of the
#'   same folder and a third to three times as often shown, where 20 are, else of the whole site.
#'   `month` is when it is done (`2026-12`); without it, `hours_a_month` and the order of the lines
#'   set the months. A month that has passed is late, and counts from the first one ahead. A query
#'   that stands in two lines counts once, in the earlier. A query that the site is not shown for
#'   needs a search volume, in the table or among the facts ([tide_enrich()]): it is taken to be
#'   seen as often, for its volume, as the site's own queries are (their ratio of impressions on
#'   page one to volume), and where the two disagree widely it says so.
#'
#'   `do = "bound"` is no plan but an upper bound: every query at the best place that comparable
#'   ones hold, at once and for certain, a line for each folder.
#' @param findings A `tide_findings` object.
#' @param do How many tasks from the top of the list, `"all"`, ids, or `"bound"`; `NULL` where
#'   `table` says it.
#' @param table A data frame with `id` or `query`, and where known `page`, `target`, `month`,
#'   `chance`, `hours`, `ramp` (months until its full effect), `volume` (searches a month, of
#'   queries that the site is not shown for); or the path of such a table, or of
#'   such a list in YAML.
#' @param hours_a_month Hours of work in a month, which set the months of lines without one.
#' @param from First month of work; `NULL` takes the month after the data end.
#' @return A `tide_plan` object: a list with `lines` (a data.table: `id`, `query`, `page`, `month`,
#'   `target` (position), `target_ctr`, `position` and `ctr` (as they are), `done`, `done_low`,
#'   `done_high` (clicks per 30 days if it is real and works), `confidence` (that it is real),
#'   `chance` (that it works if it is), `hours`,
#'   `remark`, `ramp`), `per_month` (clicks of the site in 30 days, which the lines' seasons are
#'   measured by), `hours_a_month`, `bound` (whether it is an upper bound). Methods: `print`,
#'   `format`, `tidy`.
#' @section Errors: `tide_error_finding` for an id that is none; `tide_error_range` for what is
#'   wrong in a line of a table; `tide_error_nothing_left` where no line is left; `tide_error_file`
#'   and its like.
#' @seealso [tide_forecast()]
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_plan(found, do = 3, hours_a_month = 2)
#' @export
tide_plan <- function(findings, do = NULL, table = NULL, hours_a_month = NULL, from = NULL) {
  check_class(findings, "tide_findings", "findings")
  local_assumptions(findings$assumptions)
  check_number(hours_a_month, "hours_a_month", min = 0.1, null = TRUE)
  site_summary <- findings$summary
  dated <- site_summary$window$dated
  last <- if (dated) site_summary$window$to else max(site_summary$sources$exported)
  from <- check_date(from, "from")
  first <- if (is.null(from)) months_after(last, 1) else first_of_month(from)
  if (is.null(do) == is.null(table)) {
    abort_argument("do", "given, or `table`, and not both", do)
  }
  bound <- identical(do, "bound")
  lines <- if (bound) {
    lines_of_bound(findings, first)
  } else if (is.null(table)) {
    lines_of_tasks(findings, do)
  } else {
    lines_of_table(findings, if (is.character(table)) read_plan(table) else as.data.table(table),
      first)
  }
  lines <- once_each(lines)
  unset <- is.na(lines$month)
  waits <- if (is.null(hours_a_month)) {
    0 * lines$hours[unset]
  } else {
    month_by_hours(lines$hours[unset], hours_a_month)
  }
  set(lines, which(unset), "month", months_after(first, waits))
  if (is.null(lines[["ramp"]])) set(lines, j = "ramp", value = NA_real_)
  structure(list(lines = lines[], per_month = site_clicks(site_summary),
    hours_a_month = hours_a_month,
    bound = bound),
    class = c("tide_plan", "tide_result"))
}

# Months to wait for each of these hours of work in turn: one that no longer fits begins the next
# month, one that takes longer than a month keeps those after it waiting.
month_by_hours <- function(hours, a_month) {
  month <- 0
  used <- 0
  vapply(hours, function(own) {
    if (used > 0 && used + own > a_month) {
      month <<- month + ceiling(used / a_month)
      used <<- 0
    }
    used <<- used + own
    month
  }, 0)
}

# Tasks as lines: the sums of their findings.
lines_of_tasks <- function(findings, do) {
  found <- findings$findings
  leads <- task_leads(found)
  if (is.numeric(do)) {
    check_number(do, "do", min = 1)
    leads <- utils::head(leads, do)
  } else if (!identical(do, "all")) {
    check_text(do, "do", many = TRUE)
    unknown <- setdiff(do, found$id)
    if (length(unknown)) {
      abort_tide(sprintf("The list holds no finding %s.", unknown[1]),
        where = sprintf("It has %s.", format_plural(nrow(found), "finding")),
        fix = "Take ids from the list as it is now.", class = "finding", fault = "call")
    }
    leads <- leads[leads$task %in% found$task[match(do, found$id)]]
  }
  need_plan(nrow(leads), "The list holds no task.")
  task_lines(found, leads, per_month(findings$summary))
}

need_plan <- function(lines, where) {
  if (lines) return(invisible())
  abort_tide("There is nothing to plan.", where = where,
    fix = "Give a plan with lines of its own, or data that hold more.", class = "nothing_left")
}

# month: 30 days in windows.
task_lines <- function(found, leads, month) {
  each <- found[found$task %in% leads$task]
  # The lines of a task work together, and differ by themselves: what it is confident of and what
  # works of it are such that if done x confidence x chance is the gain that the list says.
  sums <- each[, list(done = sum(if_done),
    low = sum(if_done) - sqrt(sum((if_done - if_done_low)^2)),
    high = sum(if_done) + sqrt(sum((if_done_high - if_done)^2)),
    gain = sum(if_done * confidence * chance), chance = chance[1], lead = confidence[1],
    queries = list(query)),
    by = "task"]
  set(sums, j = "confidence",
    value = ifelse(sums$done * sums$chance > 0, sums$gain / (sums$done * sums$chance), sums$lead))
  at <- match(leads$task, sums$task)
  rises <- kind_is(leads$kind, "rises")
  snippet <- kind_is(leads$kind, "snippet")
  data.table(
    id = leads$id,
    query = leads$query,
    page = leads$page,
    month = as.IDate(NA),
    target = ifelse(rises, next_step(leads$position), NA_real_),
    target_ctr = ifelse(snippet, leads$ctr + leads$if_done / (leads$impressions * month), NA_real_),
    position = leads$position,
    ctr = leads$ctr,
    done = sums$done[at],
    done_low = pmax(0, sums$low[at]),
    done_high = sums$high[at],
    confidence = sums$confidence[at],
    chance = sums$chance[at],
    hours = leads$hours,
    remark = "",
    queries = sums$queries[at])
}

# A query counts once, in the first line that holds it.
once_each <- function(lines) {
  seen <- character()
  keep <- vapply(seq_len(nrow(lines)), function(i) {
    own <- query_key(unlist(lines$queries[[i]]))
    fresh <- !own %in% seen
    seen <<- c(seen, own)
    mean(fresh)
  }, 0)
  part <- keep < 1
  for (column in c("done", "done_low", "done_high")) {
    set(lines, j = column, value = lines[[column]] * keep)
  }
  # A line that says something of itself already keeps it.
  remarks <- lines$remark[part]
  set(lines, which(part), "remark",
    paste0(remarks, ifelse(nzchar(remarks), ", ", ""), "counted in an earlier line"))
  set(lines, j = "queries", value = NULL)
  lines[]
}

#' @export
tidy.tide_plan <- function(x, ...) tibble::as_tibble(x$lines)

#' @export
format.tide_plan <- function(x, width = 80, ...) {
  lines <- x$lines
  wrap_lines(c(if (x$bound) {
    "<tide_plan> upper bound: every query at the best place that comparable queries hold"
  } else {
    sprintf("<tide_plan> %s, %s", format_plural(nrow(lines), "line"),
      format_hours(sum(lines$hours)))
  },
    sprintf("  %s  %s: +%s (%s to %s)%s x chance %s%s", format_month(lines$month), lines$query,
      format_clicks(lines$done), format_clicks(lines$done_low), format_clicks(lines$done_high),
      ifelse(lines$confidence < 1, sprintf(" x confidence %s", format_sure(lines$confidence)), ""),
      format_share(lines$chance), ifelse(nzchar(lines$remark), paste0("; ", lines$remark), ""))),
    width)
}

# The best place that comparable queries hold, and what every query at it would bring.

# In: rows of the findings' pairs. Out: a position each, no worse than it is. Comparable: not brand,
# of the same folder and a third to three times as often shown; where too few are, the whole site.
best_places <- function(findings, rows, share = assumed("best_place_share")) {
  pairs <- findings$pairs[findings$pairs$judged]
  folder <- page_group(findings$summary$pages$page, NULL)
  size <- log(assumed("comparable_size"))
  best <- function(positions) stats::quantile(positions, share, names = FALSE, type = 1)
  site <- if (nrow(pairs)) best(pairs$position) else 1
  places <- vapply(seq_len(nrow(rows)), function(i) {
    near <- pairs$position[folder[pairs$page] == folder[rows$page[i]] &
      abs(log(pairs$impressions / rows$impressions[i])) <= size]
    if (length(near) >= assumed("comparable_least")) best(near) else site
  }, 0)
  pmin(places, rows$position)
}

# Each query on the page where it is clicked most, a line for each folder.
lines_of_bound <- function(findings, first) {
  site_summary <- findings$summary
  pairs <- findings$pairs[findings$pairs$tested]
  pairs <- pairs[order(-pairs$clicks, pairs$position)]
  pairs <- pairs[!duplicated(pairs$query)]
  need_plan(nrow(pairs), "No query is clicked or shown often enough to be judged.")
  stride <- step_up(site_summary, findings$curve, pairs, best_places(findings, pairs))
  folder <- page_group(site_summary$pages$page, NULL)[pairs$page]
  rows <- setDT(c(list(page = folder), lapply(stride$done, pmax, 0)))
  lines <- rows[, list(query = sprintf("%s of %s", format_plural(.N, "query", "queries"), page),
    done = sum(done), below = sqrt(sum((done - low)^2)), above = sqrt(sum((high - done)^2))),
    by = "page"]
  data.table(id = "", query = lines$query, page = lines$page, month = first, target = NA_real_,
    target_ctr = NA_real_, position = NA_real_, ctr = NA_real_, done = lines$done,
    done_low = pmax(0, lines$done - lines$below), done_high = lines$done + lines$above,
    confidence = 1, chance = 1,
    hours = 0, remark = "", queries = lapply(lines$page, function(page) paste("all of", page)))
}
