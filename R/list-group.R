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
#'   `gain`, `gain_low`, `gain_high` (clicks per 30 days; the intervals of its findings
#'   combined), `hours`, `score` (that of its pieces of work), `ids`.
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
  # Those that come along with a task have no score of their own to add.
  set(found, which(found$task != found$id), "score", 0)
  grouped <- found[, {
    total <- total_gain(.SD)
    list(findings = .N, kinds = paste(unique(.SD$kind), collapse = " "), gain = total$gain,
      gain_low = total$low, gain_high = total$high, hours = sum(.SD$hours), score = sum(.SD$score),
      ids = paste(.SD$id, collapse = " "))
  }, by = "name"]
  setorderv(grouped, c("score", "gain", "name"), c(-1L, -1L, 1L))
  grouped[, "rank" := seq_len(.N)]
  setcolorder(grouped, "rank")
  setnames(grouped, "name", by)
  tibble::as_tibble(grouped)
}

finding_topics <- function(findings, found) {
  summary <- findings$summary
  heads <- head_terms(summary$queries$key, leading_pages(summary$pairs, nrow(summary$queries)))
  fcoalesce(heads[match(found$query, summary$queries$query)], "(no topic)")
}

# Sum of gains with an interval. Half-widths of independent findings add up in squares; those that
# rest on one assumption about the chance of a step in full.
total_gain <- function(found) {
  shared <- found$kind %in% c("striking_distance", "tail_demand", "new_page", "falling", "rising")
  width <- function(each) sqrt(sum(each[!shared]^2) + sum(each[shared])^2)
  gain <- sum(found$gain)
  list(gain = gain, low = max(0, gain - width(found$gain - found$gain_low)),
    high = gain + width(found$gain_high - found$gain))
}

#' Choose what fits a working day
#'
#' @param findings A `tide_findings` object.
#' @param budget Hours of work there are: pieces of work are taken by score (worth for an hour,
#'   times certainty), and one that no longer fits is passed over for the next that does. `NULL`:
#'   all.
#' @param per_page At most so many findings of one page. `NULL`: all.
#' @return The `tide_findings` object with fewer findings, ranked anew.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_choose(found, budget = 8)
#' @export
tide_choose <- function(findings, budget = NULL, per_page = NULL) {
  check_class(findings, "tide_findings", "findings")
  check_number(budget, "budget", min = 0, null = TRUE)
  check_number(per_page, "per_page", min = 1, null = TRUE)
  found <- findings$findings
  if (!is.null(per_page) && nrow(found)) found <- found[rowid(found$page) <= per_page]
  if (!is.null(budget) && nrow(found)) {
    taken <- tasks_within(found[found$id == found$task], budget)
    found <- found[found$task %in% taken]
  }
  findings$findings <- copy(found)[, "rank" := seq_len(nrow(found))][]
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
