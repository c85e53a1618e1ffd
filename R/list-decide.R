#' Decide about opportunities, and have it stick
#'
#' What was decided about a finding is kept in the project, with the facts it was decided on. In
#' the next list dismissed findings stay away until their facts change.
#'
#' @details
#' \describe{
#'   \item{`fix`}{to be done: stays in the list, marked}
#'   \item{`later`}{not now: away for 30 days, or until `until`}
#'   \item{`harmless`}{looked at and dismissed: away until its facts change}
#'   \item{`done`}{fixed on that day: away until its facts change, and followed by
#'     [tide_outcomes()]}
#' }
#' Facts have changed when the expected gain is at least half as large again as it was, and
#' beyond the upper end that it had; what is back says why. The last decision about a finding
#' counts; earlier ones are kept.
#'
#' @param store A `tide_store` object; a project without an archive gets one for its decisions.
#' @param findings A `tide_findings` object that holds the findings.
#' @param id Ids of findings, one or more.
#' @param decision `fix`, `later`, `harmless` or `done`; one for all or one each.
#' @param note,by What to remember, and who decided; one for all or one each.
#' @param at Day of the decision (for `done`: the day it was fixed).
#' @param until For `later`: the day on which it comes back.
#' @return `tide_decide()` and `tide_decisions()`: a tibble with a row per decision (all, and the
#'   last of each finding): `id`, `decision`, `at`, `until`, `note`, `by`, `kind`, `query`,
#'   `page`, `pages`, `gain`, `gain_high`, `clicks`, `impressions`, `position`.
#' @section Errors: `tide_error_finding` for an id that the list does not hold, with the nearest.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' store <- tide_store(tempfile("project"))
#' tide_decide(store, found, tidy(found)$id[1], "harmless", note = "the results page answers it")
#' nrow(tide_find(found$summary, decisions = tide_decisions(store)))
#' @export
tide_decide <- function(store, findings, id, decision, note = "", by = "", at = Sys.Date(),
    until = NULL) {
  check_class(store, "tide_store", "store")
  check_class(findings, "tide_findings", "findings")
  check_text(id, "id", many = TRUE)
  check_text(decision, "decision", many = TRUE)
  for (one in unique(decision)) check_choice(one, names(decision_kinds), "decision")
  found <- findings$findings
  held <- rbind(found, findings$decided, fill = TRUE)
  missing <- setdiff(id, held$id)
  if (length(missing)) {
    abort_tide(sprintf("The list holds no finding %s.", missing[1]),
      where = sprintf("It has %s.", format_plural(nrow(held), "finding")),
      fix = if (nrow(held)) {
        sprintf("Did you mean %s? Ids stand in the list as CSV and in the report.",
          nearest_name(missing[1], held$id))
      } else {
        "There is nothing to decide about."
      },
      class = "finding", fault = "call")
  }
  at <- check_date(at, "at")
  until <- check_date(until, "until")
  if (is.null(until)) until <- at + 30
  at_row <- match(id, held$id)
  facts <- held[at_row]
  rows <- data.table(id = id, decision = decision, at = format(at),
    until = ifelse(decision == "later", format(until), ""), note = note, by = by,
    facts[, decision_facts, with = FALSE])
  with_store(store, write = TRUE, function(con) {
    last <- DBI::dbGetQuery(con, "SELECT coalesce(max(number), 0) AS n FROM decisions")$n
    DBI::dbAppendTable(con, "decisions", rows)
    record_rows(store, "decision",
      DBI::dbGetQuery(con, "SELECT * FROM decisions WHERE number > ?", list(last)))
  })
  tide_decisions(store)
}

decision_kinds <- c(fix = "to be done", later = "not now", harmless = "dismissed", done = "mended")

decision_facts <-
  c("kind", "query", "page", "pages", "gain", "gain_high", "clicks", "impressions", "position")

#' @rdname tide_decide
#' @export
tide_decisions <- function(store) {
  check_class(store, "tide_store", "store")
  rows <- setDT(with_store(store, write = FALSE,
    function(con) DBI::dbGetQuery(con, "SELECT * FROM decisions ORDER BY number")))
  set(rows, j = "at", value = as.IDate(rows$at))
  set(rows, j = "until", value = as.IDate(ifelse(nzchar(rows$until), rows$until, NA)))
  tibble::as_tibble(rows[!duplicated(rows$id, fromLast = TRUE), !"number"])
}

# The findings without those that are away.
leave_decided <- function(findings, decisions, today) {
  today <- check_date(today, "today")
  found <- copy(findings$findings)
  if (!nrow(found)) return(findings)
  last <- as.data.table(decisions)[match(found$id, decisions$id)]
  known <- !is.na(last$id)
  changed <- known & found$gain > 1.5 * last$gain & found$gain > last$gain_high & found$gain >= 1
  away <- known & ((last$decision == "later" & last$until > today) |
    (last$decision %in% c("harmless", "done") & !changed)) %in% TRUE
  set(found, j = "decision", value = ifelse(known, last$decision, ""))
  back <- which(known & !away & last$decision != "fix")
  set(found, back, "reason", sprintf("%s Back: %s on %s at +%s clicks%s.", found$reason[back],
    decision_kinds[last$decision[back]], format(last$at[back]), format_clicks(last$gain[back]),
    ifelse(last$decision[back] == "later", ", and its time has come",
      sprintf(", now +%s", format_clicks(found$gain[back])))))
  findings$decided <- found[away]
  findings$findings <- found[!away][, "rank" := seq_len(.N)][]
  findings
}
