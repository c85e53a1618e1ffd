#' A plan of what will be done, and when
#'
#' Takes tasks of the list, or a small table, as what a forecast adds.
#'
#' @details A line of a table names a task (`id`), or a `query` with or without its `page`, and a
#'   `target`: a position such as `8`, or empty for what the list says. `month` is when it is done
#'   (`2026-12`); without it, `hours_a_month` and the order of the lines set the months. A query
#'   that stands in two lines counts once, in the earlier. A query that the site is not shown for
#'   needs a search volume ([tide_enrich()]): it is taken to be seen as often, for its volume, as
#'   the site's own queries are (their ratio of impressions on page one to volume).
#' @param findings A `tide_findings` object.
#' @param do How many tasks from the top of the list, `"all"`, or ids; `NULL` where `table` says it.
#' @param table A data frame with `id` or `query`, and where known `page`, `target`, `month`,
#'   `chance`, `hours`; or the path of such a table.
#' @param hours_a_month Hours of work in a month, which set the months of lines without one.
#' @param from First month of work; `NULL` takes the month after the data end.
#' @return A `tide_plan` object: a list with `lines` (a data.table: `id`, `query`, `page`, `month`,
#'   `target`, `done`, `done_low`, `done_high` (clicks per 30 days if it works), `chance` (of
#'   being real and working), `hours`, `remark`), `per_month` (clicks of the site in 30 days, which
#'   the lines' seasons are measured by), `rules`. Methods: `print`, `format`, `tidy`.
#' @section Errors: `tide_error_finding` for an id that is none; `tide_error_range` for what is
#'   wrong in a line of a table; `tide_error_file` and its like.
#' @seealso [tide_forecast()]
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_plan(found, do = 3, hours_a_month = 2)
#' @export
tide_plan <- function(findings, do = NULL, table = NULL, hours_a_month = NULL, from = NULL) {
  check_class(findings, "tide_findings", "findings")
  check_number(hours_a_month, "hours_a_month", min = 0.1, null = TRUE)
  summary <- findings$summary
  last <- if (summary$window$dated) summary$window$to else max(summary$sources$exported)
  from <- check_date(from, "from")
  first <- if (is.null(from)) months_after(last, 1) else first_of_month(from)
  if (is.null(do) == is.null(table)) {
    abort_argument("do", "given, or `table`, and not both", do)
  }
  lines <- if (is.null(table)) {
    lines_of_tasks(findings, do)
  } else {
    lines_of_table(findings, if (is.character(table)) read_plan(table) else as.data.table(table),
      first)
  }
  lines <- once_each(lines)
  unset <- is.na(lines$month)
  before <- cumsum(ifelse(unset, lines$hours, 0)) - lines$hours
  waits <- if (is.null(hours_a_month)) 0 * before else before %/% hours_a_month
  set(lines, which(unset), "month", months_after(first, waits[unset]))
  structure(list(lines = lines[], per_month = site_clicks(summary), hours_a_month = hours_a_month),
    class = "tide_plan")
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
  task_lines(found, leads)
}

task_lines <- function(found, leads) {
  each <- found[found$task %in% leads$task]
  # The lines of a task work together, and differ by themselves.
  sums <- each[, list(done = sum(if_done * confidence / confidence[1] * chance / chance[1]),
    low = sum(if_done) - sqrt(sum((if_done - if_done_low)^2)),
    high = sum(if_done) + sqrt(sum((if_done_high - if_done)^2)), whole = sum(if_done),
    chance = confidence[1] * chance[1], queries = list(query)),
    by = "task"]
  at <- match(leads$task, sums$task)
  ratio <- ifelse(sums$whole > 0, sums$done / sums$whole, 1)[at]
  data.table(id = leads$id, query = leads$query, page = leads$page, month = as.IDate(NA),
    target = NA_real_, done = sums$done[at], done_low = pmax(0, sums$low[at] * ratio),
    done_high = sums$high[at] * ratio, chance = sums$chance[at], hours = leads$hours, remark = "",
    queries = sums$queries[at])
}

# Lines of a table, each checked.
lines_of_table <- function(findings, table, first) {
  text <- function(column) {
    value <- if (is.null(table[[column]])) rep("", nrow(table)) else as.character(table[[column]])
    fcoalesce(trimws(value), "")
  }
  number <- function(column, low, high) {
    own <- suppressWarnings(as.numeric(text(column)))
    bad <- which(nzchar(text(column)) & (is.na(own) | own < low | own > high))
    if (length(bad)) {
      bad_plan(bad[1], column, text(column)[bad[1]], sprintf("a number from %g to %g", low, high))
    }
    own
  }
  target <- number("target", 1, 100)
  chance <- number("chance", 0, 1)
  hours <- number("hours", 0, 1e4)
  month <- plan_months(text("month"), first)
  rows <- lapply(seq_len(nrow(table)), function(i) {
    id <- text("id")[i]
    line <- if (nzchar(id) && id %in% findings$findings$id) {
      lines_of_tasks(findings, id)
    } else if (nzchar(text("query")[i])) {
      query_line(findings, text("query")[i], text("page")[i], target[i], i)
    } else {
      bad_plan(i, if (nzchar(id)) "id" else "query", id, "an id of the list, or a query")
    }
    set(line, j = c("month", "target"), value = list(month[i], target[i]))
    if (!is.na(chance[i])) set(line, j = "chance", value = chance[i])
    if (!is.na(hours[i])) set(line, j = "hours", value = hours[i])
    line
  })
  rbindlist(rows)
}

bad_plan <- function(row, column, value, must) {
  abort_tide(sprintf("The plan's `%s` must be %s.", column, must),
    where = sprintf("line %d of the plan: '%s'.", row, value), fix = "Change that line.",
    class = "range", column = column, lines = row)
}

plan_months <- function(text, first) {
  month <- month_of_text(text)
  bad <- which(nzchar(text) & is.na(month))
  if (length(bad)) bad_plan(bad[1], "month", text[bad[1]], "a month such as 2026-12")
  month <- first_of_month(month)
  past <- which(month < first)
  if (length(past)) {
    bad_plan(past[1], "month", text[past[1]], sprintf("no earlier than %s", format_month(first)))
  }
  month
}

# What a query earns at its target more than today.
query_line <- function(findings, query, page, target, row) {
  summary <- findings$summary
  code <- match(query_key(query), summary$queries$key)
  shown <- findings$pairs[findings$pairs$query %in% code]
  if (nzchar(page)) {
    of_page <- summary$pages$key[shown$page] %in% known_page_keys(page, summary$pages$key)
    shown <- shown[which(of_page)]
  }
  if (is.na(code) || !nrow(shown)) return(new_query_line(findings, query, page, target, row))
  shown <- shown[which.max(shown$clicks + shown$impressions / 1e6)]
  if (is.na(target)) target <- next_step(shown$position)
  step <- step_up(summary, findings$curve, shown, target)
  data.table(id = "", query = query, page = summary$pages$page[shown$page], month = as.IDate(NA),
    target = target, done = pmax(0, step$done$done), done_low = pmax(0, step$done$low),
    done_high = pmax(0, step$done$high), chance = step$reach, hours = 1,
    remark = if (target >= shown$position) "already there" else "", queries = list(list(query)))
}

# A query that is not shown yet, by its search volume.
new_query_line <- function(findings, query, page, target, row) {
  summary <- findings$summary
  at <- match(query_key(query), summary$queries$key)
  volume <- if (is.na(at)) NA else as.numeric(summary$queries[["volume"]][at])
  if (!length(volume) || is.na(volume)) {
    bad_plan(row, "query", query, "a query of the data, or one with a search volume")
  }
  if (is.na(target)) target <- assumed("target_from_page_two")
  ratio <- volume_ratio(findings)
  segment <- setdiff(names(findings$curve$fits), "brand")[1]
  ctr <- curve_at(findings$curve, target, segment)$ctr
  done <- volume * ratio$ratio * ctr
  data.table(id = "", query = query, page = page, month = as.IDate(NA), target = target,
    done = done, done_low = done * exp(-stats::qnorm(0.95) * ratio$spread),
    done_high = done * exp(stats::qnorm(0.95) * ratio$spread), chance = assumed("new_page_chance"),
    hours = kind_hours()[["new_page"]],
    remark = sprintf("not shown yet: volume %s x %.2f seen", format_count(volume), ratio$ratio),
    queries = list(list(query)))
}

# Impressions in 30 days to search volume, of the site's own queries on page one.
volume_ratio <- function(findings) {
  summary <- findings$summary
  volume <- as.numeric(summary$queries[["volume"]])
  shown <- findings$pairs[findings$pairs$position <= assumed("page_one_ends")]
  shown <- shown[which(volume[shown$query] > 0)]
  if (nrow(shown) < 5) return(list(ratio = 1, spread = 1))
  log_ratio <- log(shown$impressions * per_month(summary) / volume[shown$query])
  list(ratio = exp(stats::median(log_ratio)), spread = stats::mad(log_ratio))
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
  set(lines, which(part), "remark", "counted in an earlier line")
  set(lines, j = "queries", value = NULL)
  lines[]
}

#' @export
tidy.tide_plan <- function(x, ...) tibble::as_tibble(x$lines)

#' @export
format.tide_plan <- function(x, width = 80, ...) {
  lines <- x$lines
  wrap_lines(c(sprintf("<tide_plan> %s, %s", format_plural(nrow(lines), "line"),
    format_hours(sum(lines$hours))),
    sprintf("  %s  %s: +%s (%s to %s) x chance %s%s", format_month(lines$month), lines$query,
      format_clicks(lines$done), format_clicks(lines$done_low), format_clicks(lines$done_high),
      format_share(lines$chance), ifelse(nzchar(lines$remark), paste0("; ", lines$remark), ""))),
    width)
}
