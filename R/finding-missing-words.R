#' Phrases that a page does not say
#'
#' A kind of finding, `missing_words`: a query for which a page leads up to position 30, and whose
#' phrase stands neither in its title nor in a heading. Listed where the pages of the site are
#' known.
#'
#' @section Definition, formula: see [tide_missing_words()]. `confidence` is that of reading: that
#'   the phrase is missing. All phrases of a page are one task.
#' @section Not listed: queries in the top three, unless they are clicked less than their position
#'   earns.
#' @section Do not trust it when: much hangs on what saying a phrase brings. That is an assumption,
#'   a small one, until outcomes of your own tell: that pages rank better for what their titles say
#'   shows nothing, since both come of what a page is about.
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `missing_words`.
#' @examples
#' subset(tide_assumptions(), moves == "missing_words")
#' @seealso [tide_find()], [tide_missing_words()]
#' @name missing_words
NULL

#' Queries that their page does not say
#'
#' Queries for which a page leads up to position 30 and whose phrase stands neither in its title nor
#' in a heading, with what saying it there could bring.
#'
#' @details What it brings is assumed (`said_effect` of [tide_assumptions()]: by how much the log of
#'   the position falls; half where the text says the phrase), not measured: that phrases in titles
#'   go with better positions on a site proves nothing, since a page's title says what the page was
#'   made for. if done = impressions x own factor x (CTR on the curve at the better position, less
#'   today's), for 30 days; its interval goes from nothing to twice that step. How often it works is
#'   learnt from outcomes.
#' @param summary A `tide_summary` object.
#' @param pages A `tide_pages` object.
#' @param curve A `tide_curve` object; `NULL` fits it to `summary`.
#' @param assumptions Values of one's own, named as in [tide_assumptions()].
#' @return A tibble, those worth most first: the columns of [tide_page_words()], `if_done`,
#'   `if_done_low`, `if_done_high` (90 %, clicks per 30 days).
#' @section Errors: `tide_error_argument`.
#' @seealso [tide_page_words()], [tide_pages_read()]
#' @examples
#' dir <- tempfile("pages")
#' dir.create(file.path(dir, "guides", "how-to-grow-radish"), recursive = TRUE)
#' writeLines("<html><head><title>Radishes</title></head><body><h1>Radishes</h1></body></html>",
#'   file.path(dir, "guides", "how-to-grow-radish", "index.html"))
#' pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_missing_words(summary, pages)[, c("query", "position", "missing", "if_done")]
#' @export
tide_missing_words <- function(summary, pages, curve = NULL, assumptions = NULL) {
  local_assumptions(assumptions)
  check_class(summary, "tide_summary", "summary")
  check_class(pages, "tide_pages", "pages")
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
  evidence <- pair_evidence(summary, curve, setdiff(names(curve$fits), "brand"))
  tibble::as_tibble(missing_words(summary, pages, curve, evidence)$words)
}

# In: pairs of pair_evidence(). Out: list(words: rows as tide_missing_words() gives them; at: the
# rows of pairs, `row` their number).
missing_words <- function(summary, pages, curve, evidence) {
  words <- setDT(as.data.frame(tide_page_words(summary, pages)))
  at_row <- evidence[setDT(list(query = match(words$query, summary$queries$query),
    page = match(words$page, summary$pages$page))),
    on = c("query", "page"), which = TRUE]
  at <- evidence[at_row]
  set(at, j = "row", value = at_row)
  # A page that stands behind another of the site need not say the phrase, and shows nothing.
  leads <- leading_pages(summary$pairs, nrow(summary$queries))[at$query] == at$page
  judged <- which(at$judged & leads)
  words <- words[judged]
  at <- at[judged]
  lacks <- which(words$in_title == 0 & words$in_heading == 0 &
    at$position <= assumed("said_until"))
  done <- phrase_gain(summary, curve, at[lacks],
    assumed("said_effect") * ifelse(words$in_text[lacks] > 0, 0.5, 1))
  out <- cbind(words[lacks], setDT(done))
  out <- out[order(-round(out$if_done, 1), -out$impressions, out$query)]
  in_order <- match(paste(out$query, out$page), paste(words$query, words$page)[lacks])
  list(words = out, at = at[lacks[in_order]])
}

# The same as findings, one task a page.
find_missing_words <- function(summary, curve, pairs, options) {
  if (is.null(options$pages)) return(no_findings())
  found <- missing_words(summary, options$pages, curve, pairs)
  # In the top three there is nowhere to go, unless searchers pass the page by.
  improvable <- found$at$position > assumed("top_three_ends") | found$at$own < assumed("low_below")
  of_page <- stats::ave(found$words$if_done, found$words$page, FUN = sum)
  keep <- which(found$at$tested & improvable & of_page >= options$least & found$words$if_done > 0)
  if (!length(keep)) return(no_findings())
  words <- found$words[keep]
  at <- found$at[keep]
  times <- exp(-assumed("said_effect") * ifelse(words$in_text > 0, 0.5, 1))
  one_line <- seq_along(keep)
  out <- pair_findings("missing_words", summary, pairs, at$row,
    list(done = words$if_done, low = words$if_done_low, high = words$if_done_high),
    assumed("said_confidence"), assumed("said_chance"))
  set(out, j = "task_key", value = paste("missing_words", summary$pages$key[at$page]))
  list(found = out, facts = c(
    new_facts("evidence", "position_alone", one_line, position = at$position,
      impressions = at$impressions),
    new_facts("evidence", "phrase_stands", one_line,
      where = ifelse(words$in_text > 0, "text", "none"),
      phrase = ifelse(nzchar(words$missing), words$missing, NA)),
    new_facts("step", "say_phrase", one_line, query = words$query, page = words$page),
    own_factor_facts(at),
    new_facts("derivation", "phrase_done", one_line, position = at$position, times = times,
      if_done = words$if_done),
    new_facts("derivation", "phrase_confidence", one_line, confidence = out$confidence)))
}

# Clicks per 30 days of a position better by a step (of its log): list(if_done, if_done_low,
# if_done_high).
phrase_gain <- function(summary, curve, at, stride) {
  clicks <- function(times) {
    there <- pmax(1, at$position * exp(-stride * times))
    ctr <- curve_ctr(curve, there, at$segment, at$rows, at$impressions) * at$taken * at$audience
    pmax(0, at$own * (at$impressions * ctr - at$expected)) * per_month(summary)
  }
  list(if_done = clicks(1), if_done_low = 0 * at$position, if_done_high = clicks(2))
}
