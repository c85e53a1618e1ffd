#' Write a result to a file
#'
#' The kind of file follows from its ending. CSV and JSON hold the table for machines, with rates
#' as plain fractions and cells that a spreadsheet would take for a formula made harmless; a
#' workbook is for people, with a sheet per view, notes on the columns and, of findings, a column
#' `decision` to be filled in and read back; Markdown is a checklist for the writer, page by
#' page.
#'
#' @param x `tide_findings`, a `tide_change` ([tide_compare()]) or a `tide_inventory`, for a
#'   workbook also a list of several changes; for CSV and JSON anything with a `tidy()` method, or a
#'   table.
#' @param file Path that ends in `.csv`, `.json`, `.xlsx` or, of findings, `.md`. Written whole
#'   or not at all.
#' @return `file`, invisibly.
#' @section Errors: `tide_error_argument` for another ending, or one that `x` has no form for;
#'   `tide_error_write` where the file cannot be written.
#' @examples
#' found <- tide_find(tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor"))
#' tide_write(found, tempfile(fileext = ".xlsx"))
#' file <- tide_write(found, tempfile(fileext = ".md"))
#' writeLines(head(readLines(file), 12))
#' @export
tide_write <- function(x, file) {
  check_text(file, "file")
  ending <- check_choice(tolower(tools::file_ext(file)), c("csv", "json", "xlsx", "md"), "file")
  if (ending == "xlsx") {
    check_books(x)
    write_workbook(x, file)
  } else {
    if (ending == "md") check_class(x, "tide_findings", "x")
    lines <- switch(ending, md = checklist_lines(x, Inf), csv = csv_lines(as_rows(x)),
      json = json_lines(as_rows(x)))
    write_whole(file, function(path) write_lines(lines, path))
  }
  invisible(file)
}

# What a workbook is made of.
check_books <- function(x) {
  changes <- if (inherits(x, "tide_change") || !is.list(x)) list(x) else x
  if (inherits(x, c("tide_findings", "tide_inventory", "tide_forecast"))) return(invisible())
  for (one in changes) check_class(one, "tide_change", "x")
}

as_rows <- function(x) if (is.data.frame(x)) as.data.table(x) else as.data.table(generics::tidy(x))

csv_lines <- function(rows) {
  path <- tempfile(fileext = ".csv")
  on.exit(unlink(path))
  rows <- defuse_formulas(visible_rows(rows))
  # Ten digits are more than anything here is known to, and the same whatever the order of the rows
  # summed.
  for (column in names(rows)) {
    if (is.double(rows[[column]])) set(rows, j = column, value = signif(rows[[column]], 10))
  }
  fwrite(rows, path)
  readLines(path, encoding = "UTF-8")
}

json_lines <- function(rows) {
  escape_json(as.character(jsonlite::toJSON(as.data.frame(rows), dataframe = "rows", digits = I(10),
    na = "null", pretty = 1)))
}

# A checklist for the writer, in Markdown, page by page: what to do in order, with the reason and
# what it is worth.
checklist_lines <- function(findings, top = 50) {
  by_page <- utils::head(tide_group(findings), top)
  found <- in_sentences(findings)
  plain <- function(text) escape_markdown(visible_text(text))
  brief <- findings_brief(findings)
  unlist(c(
    "# What to do, page by page",
    "",
    lapply(seq_len(nrow(by_page)), function(i) {
      sections <- brief[brief$page == by_page$page[i], ]
      own <- found[found$page == by_page$page[i]]
      leads <- task_leads(own)
      gain <- task_sums(own, leads$task)$gain
      c(
        sprintf("## %s", if (nzchar(by_page$page[i])) {
          plain(format_path(by_page$page[i]))
        } else {
          "Queries, without their pages"
        }),
        "",
        sprintf("About %s clicks per 30 days (%s to %s), %s.", format_gain(by_page$gain[i]),
          format_clicks(by_page$gain_low[i]), format_clicks(by_page$gain_high[i]),
          format_hours(by_page$hours[i])),
        "",
        unlist(lapply(seq_len(nrow(leads)), function(k) {
          along <- own[own$task == leads$task[k] & own$hours == 0]
          c(
            sprintf("- [ ] %s (%s, %s)", plain(leads$action[k]), format_gain(gain[k]),
              leads$id[k]),
            sprintf("  %s", plain(leads$reason[k])),
            if (nzchar(first_given(leads[["note"]][k], ""))) {
              sprintf("  Noted: %s.", plain(sub("[.]$", "", leads$note[k])))
            },
            if (nrow(along)) {
              sprintf("  The same step serves: %s.",
                paste(sprintf("\"%s\" (%s)", plain(along$query), format_gain(along$gain)),
                  collapse = ", "))
            })
        })),
        if (nrow(sections)) c("", section_lines(sections, plain)),
        "")
    })))
}

# Sections that pages lack, where pages were read; no row where none were.
findings_brief <- function(findings) {
  if (is.null(findings$site_pages)) return(data.table(page = character()))
  tide_page_brief(tide_page_words(findings$summary, findings$site_pages))
}

# The brief of one page: a line for each section and its queries.
section_lines <- function(sections, plain) {
  c(
    "Sections the page lacks (the first query as the heading; impressions):",
    "",
    vapply(split(sections, sections$section), function(own) {
      items <- sprintf("%s (%s)", plain(own$query), format_count(own$impressions))
      sprintf("- %s", paste(
        c(sprintf("**%s** (%s)", plain(own$query[1]), format_count(own$impressions[1])), items[-1]),
        collapse = ", "))
    }, "", USE.NAMES = FALSE))
}
