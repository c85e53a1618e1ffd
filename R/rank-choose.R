#' Choose what fits a working day
#'
#' @param findings A `tide_findings` object.
#' @param hours Hours of work there are: pieces of work are taken by score (worth for an hour,
#'   times certainty), and one
#'   that no longer fits is passed over for the next that does. `NULL`: all.
#' @param per_page At most so many findings of one page. `NULL`: all.
#' @return The `tide_findings` object with fewer findings, ranked anew.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_choose(found, hours = 8)
#' @export
tide_choose <- function(findings, hours = NULL, per_page = NULL) {
  check_class(findings, "tide_findings", "findings")
  check_number(hours, "hours", min = 0, null = TRUE)
  check_number(per_page, "per_page", min = 1, null = TRUE)
  found <- findings$findings
  if (!is.null(per_page) && nrow(found)) found <- found[rowid(found$page) <= per_page]
  if (!is.null(hours) && nrow(found)) {
    taken <- tasks_within(found[found$id == found$task], hours)
    found <- found[found$task %in% taken]
  }
  findings$findings <- copy(found)[, "rank" := seq_len(nrow(found))][]
  findings
}

tasks_within <- function(leads, hours) {
  left <- hours
  taken <- logical(nrow(leads))
  for (i in seq_len(nrow(leads))) if (leads$hours[i] <= left + 1e-9) {
    taken[i] <- TRUE
    left <- left - leads$hours[i]
  }
  leads$task[taken]
}
