# Methods of tide_findings.

#' Findings as a table
#'
#' @param x A `tide_findings` object.
#' @param words A [tide_words()] object: the sentences of `action` and `reason` in other words.
#' @param ... Not used.
#' @return `tidy()`: the tibble of findings, `as.data.frame()` the same; `nrow()` counts them,
#'   `head()` and `[` keep some, `$` also gives a column. `glance()`: one row: `tested` (pairs
#'   looked at), `findings`,
#'   `if_done`, `gain`, `gain_low`, `gain_high` of the whole list, in clicks per 30 days.
#' @name tide_findings_tables
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' glance(found)
#' nrow(found)
#' head(found, 2)
NULL

#' @rdname tide_findings_tables
#' @export
tidy.tide_findings <- function(x, words = NULL, ...) {
  if (!is.null(words)) {
    check_class(words, "tide_words", "words")
    x$words <- words
  }
  tibble::as_tibble(in_sentences(x))
}

#' @rdname tide_findings_tables
#' @export
dim.tide_findings <- function(x) dim(x$findings)

#' @rdname tide_findings_tables
#' @param i Which findings: numbers, or `TRUE` and `FALSE`.
#' @param j Which columns, as of a table: with them the rows are a tibble.
#' @export
`[.tide_findings` <- function(x, i, j) {
  if (!missing(i)) x$findings <- x$findings[i]
  if (missing(j)) x else tidy(x)[, j]
}

#' @rdname tide_findings_tables
#' @param name A part of the object, or a column of its table.
#' @export
`$.tide_findings` <- function(x, name) {
  if (name %in% c("action", "reason")) return(in_sentences(x)[[name]])
  if (name == "excluded") return(excluded_lines(x))
  if (name %in% names(x)) .subset2(x, name) else .subset2(x, "findings")[[name]]
}

#' @rdname tide_findings_tables
#' @param n How many.
#' @importFrom utils head
#' @export
head.tide_findings <- function(x, n = 6L, ...) x[seq_len(min(n, nrow(x)))]

#' @rdname tide_findings_tables
#' @export
glance.tide_findings <- function(x, ...) {
  total <- list_total(x)
  tibble::tibble(tested = x$tested, findings = nrow(x$findings), if_done = total$if_done,
    gain = total$gain, gain_low = total$low, gain_high = total$high)
}

#' @export
format.tide_findings <- function(x, n = 10, ...) {
  leads <- task_leads(x$findings)
  found <- utils::head(leads, n)
  total <- list_total(x)
  heading <- sprintf(paste("<tide_findings> %s in %s from %s; together +%s clicks per 30 days",
    "(%s to %s)%s"),
    format_plural(nrow(x$findings), "finding"), format_plural(nrow(leads), "task"),
    format_plural(x$tested, "tested query x page pair"), format_clicks(total$gain),
    format_clicks(total$low), format_clicks(total$high), site_share_words(x$findings))
  if (!nrow(found)) return(heading)
  sums <- task_sums(x$findings, found$task)
  first <- in_sentences(x, utils::head(found, 3))
  lines <- sprintf("%3d  %s  %s: %s%s on %s: +%s (+%s if done, confidence %s, chance %s)",
    found$rank, found$id, kind_label(found$kind), found$query,
    ifelse(sums$lines > 1, sprintf(" and %d more", sums$lines - 1L), ""), format_path(found$page),
    format_clicks(sums$gain), format_clicks(sums$if_done), format_sure(found$confidence),
    format_share(found$chance))
  more <- nrow(leads) - nrow(found)
  c(
    heading,
    lines,
    if (more > 0) {
      sprintf("     ... and %s", format_plural(more, "more task", "more tasks"))
    },
    "First steps",
    sprintf("%3d  %s", first$rank, first$action))
}

# ", 3% of the site's clicks", where the site has any.
site_share_words <- function(found) {
  share <- sum(found$gain_share)
  if (is.na(share)) "" else sprintf(", %s of the site's clicks", format_share(share))
}

#' @export
summary.tide_findings <- function(object, ...) {
  found <- as.data.table(object$findings)
  tibble::as_tibble(rbindlist(lapply(split(found, by = "kind"), function(own) {
    total <- total_gain(own)
    list(kind = own$kind[1], findings = nrow(own), if_done = total$if_done, gain = total$gain,
      gain_low = total$low, gain_high = total$high)
  })))
}
