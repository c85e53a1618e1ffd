#' A checklist for the writer
#'
#' Markdown, page by page: what to do in order, with the reason and what it is worth.
#'
#' @param findings A `tide_findings` object.
#' @param top Pages at most.
#' @return The lines of the text.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' writeLines(utils::head(tide_checklist(found), 12))
#' @export
tide_checklist <- function(findings, top = 50) {
  check_class(findings, "tide_findings", "findings")
  check_number(top, "top", min = 1)
  by_page <- utils::head(tide_pages(findings), top)
  found <- findings$findings
  plain <- function(text) escape_markdown(visible_text(text))
  unlist(c("# What to do, page by page", "", lapply(seq_len(nrow(by_page)), function(i) {
    own <- found[found$page == by_page$page[i]]
    leads <- own[own$id == own$task]
    c(sprintf("## %s",
      if (nzchar(by_page$page[i])) plain(format_path(by_page$page[i])) else "Queries, without their pages"),
      "", sprintf("About +%s clicks per 30 days (%s to %s), %s.", format_clicks(by_page$gain[i]),
        format_clicks(by_page$gain_low[i]), format_clicks(by_page$gain_high[i]),
        format_hours(by_page$hours[i])), "",
      unlist(lapply(seq_len(nrow(leads)), function(k) {
        along <- own[own$task == leads$task[k] & own$id != leads$id[k]]
        c(sprintf("- [ ] %s (+%s, %s)", plain(leads$action[k]), format_clicks(leads$task_gain[k]),
          leads$id[k]),
          sprintf("  %s", plain(leads$reason[k])),
          if (nrow(along)) sprintf("  The same step serves: %s.",
            paste(sprintf("\"%s\" (+%s)", plain(along$query), format_clicks(along$gain)),
            collapse = ", ")))
      })), "")
  })))
}
