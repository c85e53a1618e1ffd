# Low CTR: pairs clicked less than this site's curve says, by more than queries usually differ. A
# pair's confidence is the probability that its page or itself belongs to a low part (see
# finding-low-ctr-effects.R). Listed are the surest whose expected share of false ones is within
# `fdr`.
# What a whole topic loses to its results page is no finding: it is named beside the list.

#' Low CTR
#'
#' A kind of finding, `low_ctr`: a query x page pair that is clicked less than the site's curve
#' says at its positions, by more than queries usually differ. Either most queries of a page fall
#' short, which points to its title and description, or one query does, which points to its
#' match.
#'
#' @section Definition: Expected clicks are summed over the pair's position cells. Logs of
#'   factors (clicks to expected) of pages, and of pairs within their page, are each taken apart
#'   into a usual and a low part, and a high one where the data call for it (two-groups mixtures,
#'   Efron 2010); queries too small to be judged are evidence about their pages; whether queries
#'   differ by log-normal or gamma factors, their likelihoods say. Natural tails are taken to be
#'   as heavy below as they are seen to be above. `confidence` is the probability of a low page
#'   or query, less what a topic may have to do with it, and never above 0.96.
#' @section Formula: if done = expected x (usual factor - factor today), both posterior means, for
#'   30 days: back to where the usual spread would have the query, not to the curve.
#'   Listed are the surest lines whose expected share of false ones (one minus confidence,
#'   averaged) is at most `fdr`, the Bayesian false-discovery rate. Where CTR at equal position
#'   changed within the window, page by page and then query by query, what holds since counts; of
#'   a page or query that fell, if done = expected x (level before - level since).
#' @section Not listed: Topics (words whose queries fall short on page after page) lose their
#'   clicks to the results page, as likely as is said, and are named in `excluded` with their clicks
#'   (`include = "topic"` lists them, with a doubt); so are queries below the curve within
#'   the usual spread.
#' @section Do not trust it when: a page changed so lately that few clicks have come since; the
#'   topic's results pages answer the query themselves on one page only, where no other page can
#'   tell; the table has no dates and mixes pages or far places (the list says from where on).
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `low_ctr`.
#' @references Efron (2010), Large-Scale Inference, Cambridge University Press. Stephens (2017),
#'   Biostatistics 18, 275-294.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = "low_ctr")
#' subset(tide_assumptions(), grepl("low_ctr", moves))
#' @seealso [tide_find()]
#' @name low_ctr
NULL

find_low_ctr <- function(summary, curve, pairs, options) {
  now <- pairs_now(summary, curve, pairs, options$known)
  candidates <- which(now$judged & now$expected >= ifelse(now$shift != "" & now$ratio < 1 |
    of_long_tail(now), small_expected, 1))
  # Positions at which the table does not tell what is expected.
  unclear <- unclear_positions(curve, now, candidates)
  apart <- candidates[now$apart[candidates]]
  candidates <- setdiff(candidates, c(unclear, apart))
  untold <- c(missing_excluded(summary, pairs), apart_excluded(summary, now[apart]))
  if (!length(candidates)) return(no_findings(c(unclear_excluded(curve, now, unclear), untold)))
  few <- c(untold, few_excluded(now[candidates]))
  at <- now[candidates]
  rest <- pool_small_queries(now[-candidates], at$page)
  fit <- fit_low_ctr(c(at$clicks, rest$clicks), c(at$expected, rest$expected),
    c(at$page, rest$page), word_table(summary$queries$key[at$query]),
    rep(c(TRUE, FALSE), c(nrow(at), nrow(rest))), "topic" %in% options$include)
  own <- seq_len(nrow(at))
  set(at, j = "expected", value = fit$expected[own])
  judged <- with_shifts(fit$judged[own], at)
  # Drop certain but small losses.
  below <- (at$clicks < assumed("low_below") * at$expected | judged$fell) & at$tested
  likely <- which(below & judged$confidence > assumed("low_confidence"))
  level_texts <- shifted_levels(low_ctr_levels(at[likely], fit$all), at[likely], judged[likely])
  done <- lapply(low_ctr_done(at[likely], level_texts), `*`, 30 / at$days[likely])
  # A page is rewritten once, so its queries may be small where together they are worth it. What is
  # too small to list lends no certainty to the rest.
  shortfalls <- page_shortfalls(at, judged)
  # Without pages nothing is known of siblings.
  if (!any(nzchar(summary$pages$page))) {
    set(shortfalls, j = c("tested", "low", "whole"), value = list(1L, 1L, FALSE))
  }
  page_at <- at$page[likely]
  whole <- shortfalls$whole[match(page_at, shortfalls$page)]
  of_work <- ifelse(whole, stats::ave(done$done, page_at, FUN = sum), done$done)
  worth <- which(of_work >= options$least & done$done > 0)
  worth <- worth[within_fdr(judged$confidence[likely[worth]], options$fdr)]
  unsure <- which(below & !judged$fell & judged$confidence > assumed("low_named"))
  fell <- setdiff(which(judged$fell & at$tested), likely[worth])
  excluded <- c(unclear_excluded(curve, now, unclear), topics_excluded(fit$topics, at),
    unsure_excluded(at$query[setdiff(unsure, likely[worth])], options$fdr),
    fell_excluded(at$query[fell]),
    improved_excluded(summary, now, setdiff(candidates, candidates[likely[worth]])))
  if (!length(worth)) return(no_findings(c(excluded, few)))
  listed <- likely[worth]
  done <- lapply(done, `[`, worth)
  level_texts <- lapply(level_texts, `[`, worth)
  siblings <- shortfalls[match(at$page[listed], shortfalls$page)]
  at <- at[listed]
  chance <- ifelse(siblings$whole, assumed("rewrite_page_chance"), assumed("rewrite_query_chance"))
  found <- pair_findings("low_ctr", summary, pairs, candidates[listed], done,
    judged$confidence[listed], chance)
  # Queries that one rewrite of the page serves are one task.
  set(found, j = "task_key",
    value = ifelse(siblings$whole, paste("low_ctr", summary$pages$key[at$page]), found$finding_key))
  list(found = found, excluded = excluded, facts = c(
    low_ctr_facts(summary, pairs, at, siblings, judged[listed]),
    low_ctr_derivation(now[candidates[listed]], at, level_texts, done, fit, judged[listed])))
}

# Pages that live on queries of which none is large: what they miss is in the small ones.
of_long_tail <- function(now) {
  small <- now$judged & now$expected >= small_expected & now$expected < 1
  tail_of <- sum_codes(now$expected * small, now$page, max(now$page))
  large <- sum_codes(now$expected * (now$judged & now$expected >= 1), now$page, max(now$page))
  (tail_of >= assumed("long_tail_clicks") & tail_of > large)[now$page]
}

# Expected clicks under which a query is not looked at by itself in any case.
small_expected <- 0.1

# Queries too small to be judged are evidence about their pages all the same: as many of a page's
# together as make three expected clicks count as one query (which differs from the usual by less
# than one query does, so this is careful).
pool_small_queries <- function(pairs, pages) {
  small <- pairs[pairs$judged & pairs$expected < 1 & pairs$page %in% pages,
    c("page", "clicks", "expected")]
  setorderv(small, "page")
  sums <- cumsum(small$expected)
  before <- (sums - small$expected)[match(small$page, small$page)]
  set(small, j = "some", value = (sums - before) %/% 3)
  small <- sums_by(small, c("page", "some"), c("clicks", "expected"))
  small[small$expected >= 1]
}

unclear_positions <- function(curve, now, rows) {
  rows[beyond_clear(curve, now)[rows]]
}

unclear_excluded <- function(curve, now, rows) {
  if (!length(rows)) return(NULL)
  new_excluded("low_ctr", "mixed_places", list(unique(now$query[rows])),
    from_position = min(clear_to(curve)))
}

# Of rows that are there because they were clicked, nobody can say that they are clicked too seldom.
missing_excluded <- function(summary, pairs) {
  untold <- unique(pairs$query[pairs$tested & pairs$evident_expected == 0 & pairs$expected >= 1])
  if (is.null(summary$missing) || !length(untold)) return(NULL)
  new_excluded("low_ctr", "rows_missing", list(untold))
}

apart_excluded <- function(summary, now) {
  apart <- now[among_pairs(now, summary$apart[summary$apart$seen])]
  if (nrow(apart)) new_excluded("low_ctr", "places_apart", list(unique(apart$query)))
}

# How much data would do, where nothing was found and little could be.
few_excluded <- function(at) {
  known <- sum(at$expected >= 3)
  if (known >= assumed("low_enough")) return(NULL)
  new_excluded("low_ctr", "too_few_clicks", list(at$query), known = known,
    enough = assumed("low_enough"))
}

topics_excluded <- function(topics, at) {
  new_excluded("low_ctr", "topic_taken", lapply(topics$held, function(own) at$query[own]),
    topic = topics$word, pages = topics$pages, topic_share = topics$share,
    likely = pmin(topics$likely, 0.99))
}

unsure_excluded <- function(queries, fdr) {
  if (!length(queries)) return(NULL)
  new_excluded("low_ctr", "within_spread", list(unique(queries)), fdr = fdr)
}

fell_excluded <- function(queries) {
  if (length(queries)) new_excluded("low_ctr", "fell_unclear", list(unique(queries)))
}

# Clicks won over the window when the pair gets to where its usual spread alone would have it. Both
# that level and today's are posteriors, so what is luck in few clicks is not promised as gain.
low_ctr_done <- function(at, levels) {
  variance <- levels$usual^2 * (exp(levels$usual_var + at$curve_se^2) - 1) +
    levels$today^2 * (exp(levels$today_var) - 1) -
    2 * levels$usual * levels$today * (exp(levels$shared) - 1)
  done_interval(at$expected * (levels$usual - levels$today), at$expected * sqrt(pmax(variance, 0)))
}

# The level today and the usual one, as factors on the curve, with the variances of their logs.
low_ctr_levels <- function(at, groups) {
  level <-
    low_levels(log_factor(at$clicks, at$expected), factor_noise(at$clicks, at$expected), groups)
  list(usual = exp(level$usual + level$usual_var / 2),
    today = exp(level$today + level$today_var / 2), usual_var = level$usual_var,
    today_var = level$today_var, shared = rep_len(level$shared, nrow(at)))
}

# The surest lines whose expected share of false ones (one minus confidence, averaged) is within
# `fdr`, the Bayesian false-discovery rate.
within_fdr <- function(confidence, fdr) {
  place <- order(-confidence)
  sort(place[cumsum(1 - confidence[place]) / seq_along(place) <= fdr])
}

# Per page: pairs tested, those that fall short with more than even odds and the clicks they miss,
# and whether that is the page's doing.
page_shortfalls <- function(at, judged) {
  short <- judged$confidence > 0.5 & at$clicks < at$expected
  out <- data.table(page = at$page, low = short,
    missed = ifelse(short, pmax(0, at$expected - at$clicks), 0), whole = judged$page_low)[,
      .(tested = .N, low = sum(low), missed = sum(missed), whole = max(whole)), by = "page"]
  set(out, j = "whole",
    value = out$low >= 2 & (out$whole > assumed("weak_page_from") | out$low >= out$tested / 2))
  out[]
}
