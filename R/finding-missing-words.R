#' Phrases that a page does not say
#'
#' A kind of finding, `missing_words`: a query for which a page leads up to position 30, and whose
#' phrase stands neither in its title nor in a heading. Listed where the pages of the site are
#' known.
#'
#' @section Definition, formula: see [tide_missing_words()]. `confidence` is the probability that
#'   saying a phrase helps the position on this site; listed from 0.8. All phrases of a page are one
#'   task.
#' @section Do not trust it when: few pages say what they are asked for, so little can be compared;
#'   phrases in titles were chosen because the page ranked for them.
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
#' @details What it brings is measured on this site: within pages, queries whose phrase stands in
#'   title or heading are compared with those of which it stands in the text only, or nowhere, by
#'   the log of their position (weighted least squares with a normal prior on the effect, see
#'   [tide_assumptions()], `said_effect`). Queries of one page share its strength, so that is like
#'   against like; but a phrase that was put into a title may have been the page's subject anyway,
#'   so this is no proof. if done = impressions x own factor x (CTR on the curve at the position
#'   times that effect, less today's), for 30 days; its interval is that of the effect.
#' @param summary A `tide_summary` object.
#' @param pages A `tide_pages` object.
#' @param curve A `tide_curve` object; `NULL` fits it to `summary`.
#' @param assumptions Values of one's own, named as in [tide_assumptions()].
#' @return A tibble, those worth most first: the columns of [tide_page_words()], `if_done`,
#'   `if_done_low`, `if_done_high` (90 %, clicks per 30 days). Its attribute `effect` holds what
#'   saying a phrase does to the position (`said` in `heading` or `text` against nowhere, `times`,
#'   `low`, `high`, `pairs` it rests on).
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
  found <- missing_words(summary, pages, curve, evidence)
  effect <- found$effect
  out <- tibble::as_tibble(found$words)
  attr(out, "effect") <- tibble::tibble(said = c("heading", "text"), times = exp(effect$mean),
    low = exp(effect$mean - stats::qnorm(0.95) * effect$sd),
    high = exp(effect$mean + stats::qnorm(0.95) * effect$sd), pairs = effect$pairs)
  out
}

# In: pairs of pair_evidence(). Out: list(words: rows as tide_missing_words() gives them; at: the
# rows of pairs, `row` their number; stands: where each phrase stands; effect).
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
  stands <- fcase(words$in_title > 0 | words$in_heading > 0, "heading", words$in_text > 0, "text",
    rep(TRUE, nrow(words)), "none")
  effect <- said_effect(at, stands)
  lacks <- which(stands != "heading" & at$position <= assumed("said_until"))
  done <- phrase_gain(summary, curve, at[lacks], stands[lacks], effect)
  out <- cbind(words[lacks], setDT(done))
  out <- out[order(-round(out$if_done, 1), -out$impressions, out$query)]
  in_order <- match(paste(out$query, out$page), paste(words$query, words$page)[lacks])
  list(words = out, at = at[lacks[in_order]], stands = stands[lacks[in_order]], effect = effect)
}

# The same as findings, one task a page: `confidence` is the probability that saying a phrase helps
# on this site.
find_missing_words <- function(summary, curve, pairs, options) {
  if (is.null(options$pages)) return(no_findings())
  found <- missing_words(summary, options$pages, curve, pairs)
  effect <- found$effect
  confidence <- stats::pnorm(0,
    ifelse(found$stands == "text", effect$mean[1] - effect$mean[2], effect$mean[1]), effect$sd[1])
  of_page <- stats::ave(found$words$if_done, found$words$page, FUN = sum)
  keep <- which(found$at$tested & of_page >= options$least & found$words$if_done > 0 &
    confidence >= assumed("said_confidence"))
  if (!length(keep)) return(no_findings())
  words <- found$words[keep]
  at <- found$at[keep]
  times <- exp(effect$mean[1])
  one_line <- seq_along(keep)
  out <- pair_findings("missing_words", summary, pairs, at$row,
    list(done = words$if_done, low = words$if_done_low, high = words$if_done_high),
    confidence[keep], assumed("said_chance"))
  set(out, j = "task_key", value = paste("missing_words", summary$pages$key[at$page]))
  list(found = out, facts = c(
    new_facts("evidence", "position_alone", one_line, position = at$position,
      impressions = at$impressions),
    new_facts("evidence", "phrase_stands", one_line,
      where = ifelse(words$in_text > 0, "text", "none"),
      phrase = ifelse(nzchar(words$missing), words$missing, NA)),
    new_facts("comparison", if (times < 1) "phrase_ranks_higher" else "", one_line,
      higher = 1 - times,
      pairs = effect$pairs),
    new_facts("step", "say_phrase", one_line, query = words$query, page = words$page),
    own_factor_facts(at),
    new_facts("derivation", "phrase_done", one_line, position = at$position, times = times,
      if_done = words$if_done),
    new_facts("derivation", "phrase_confidence", one_line, confidence = confidence[keep])))
}

# Log of the position where a phrase stands in title or heading, and in the text only, beside where
# it stands nowhere, within pages: list(mean, sd: of both; cover: their covariance; pairs).
said_effect <- function(at, stands) {
  use <- which(at$impressions >= 10 & at$position <= 2 * assumed("said_until"))
  x <- cbind(stands[use] == "heading", stands[use] == "text")
  y <- log(at$position[use])
  weight <- pmin(at$impressions[use], 100) / 100
  make_within <- function(v) {
    v - rowsum(v * weight, at$page[use])[match(at$page[use], sort(unique(at$page[use])))] /
      rowsum(weight, at$page[use])[match(at$page[use], sort(unique(at$page[use])))]
  }
  prior_mean <- -assumed("said_effect") * c(1, 0.5)
  prior <- diag(1 / assumed("said_effect_sd")^2, 2)
  if (length(use) < 20) {
    return(list(mean = prior_mean, cover = solve(prior), sd = rep(assumed("said_effect_sd"), 2),
      pairs = length(use)))
  }
  x <- apply(x + 0, 2, make_within)
  y <- make_within(y)
  spread <- sum(weight * y^2) / max(1, length(use) - length(unique(at$page[use])))
  fit <- linear_posterior(x, y, weight / spread, prior, prior_mean)
  c(fit, list(sd = sqrt(diag(fit$cover)), pairs = length(use)))
}

# Clicks per 30 days of saying a phrase: list(if_done, if_done_low, if_done_high).
phrase_gain <- function(summary, curve, at, stands, effect) {
  step <- ifelse(stands == "text", effect$mean[1] - effect$mean[2], effect$mean[1])
  spread_sd <- ifelse(stands == "text",
    sqrt(max(0, effect$cover[1, 1] + effect$cover[2, 2] - 2 * effect$cover[1, 2])), effect$sd[1])
  clicks <- function(step) {
    there <- pmax(1, at$position * exp(pmin(0, step)))
    ctr <- curve_ctr(curve, there, at$segment, at$rows, at$impressions) * at$taken
    pmax(0, at$own * (at$impressions * ctr - at$expected) * (step < 0)) * per_month(summary)
  }
  reach <- stats::qnorm(0.95) * spread_sd
  list(if_done = clicks(step), if_done_low = clicks(step + reach),
    if_done_high = clicks(step - reach))
}
