# New pages: queries for which the site is shown far down only, on whatever page touches the topic.
# No page of the site answers them; queries that share words are one idea.

#' Idea for a page
#'
#' A kind of finding, `new_page`: queries for which the site is shown beyond position 40 only, on
#' whatever page touches the topic. Queries that share two words which mostly stand together are
#' one idea.
#'
#' @section Formula: gain = clicks of all queries of the idea at position 12 on the curve x a
#'   chance of a quarter, for 30 days; `confidence` is 0.6 throughout, since nothing on the site
#'   tells more.
#' @section Do not trust it when: the words are not the site's subject. The gain is known to a
#'   factor of three.
#' @section Assumptions: see `tide_assumptions()`, rows whose `moves` holds `new_page`.
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_find(summary, kind = "new_page", min_gain = 0)
#' @seealso [tide_find()]
#' @name new_page
NULL

# What a page written for it may reach, and how likely that is within some months. Assumptions.

find_new_page <- function(summary, curve, pairs, options) {
  best <- pairs[, .(best = min(position)), by = "query"]
  rows <- which(pairs$tested & pairs$position > assumed("new_page_from") &
    pairs$impressions >= assumed("idea_impressions"))
  rows <- rows[best$best[match(pairs$query[rows], best$query)] > assumed("new_page_from")]
  if (!length(rows)) return(no_findings())
  at <- pairs[rows]
  idea <- shared_ideas(summary$queries$key[at$query])
  there <- curve_ctr(curve, rep(assumed("new_page_reaches"), length(rows)), at$segment, at$rows,
    at$impressions)
  by_idea <- split(seq_along(rows), idea)
  sums <- rbindlist(lapply(by_idea, function(own) {
    first <- own[which.max(at$impressions[own])]
    asked <- at[own]
    gain <- assumed("new_page_chance") * sum(asked$impressions * there[own]) * per_month(summary)
    # The chance is known to a factor of two or so.
    list(
      earned = sum(asked$impressions * there[own]),
      query = summary$queries$query[at$query[first]],
      page = summary$pages$page[at$page[first]],
      clicks = sum(asked$clicks),
      impressions = sum(asked$impressions),
      position = sum(asked$impressions * asked$position) / sum(asked$impressions),
      expected = sum(asked$expected),
      gain = gain,
      queries = length(unique(asked$query)),
      others = paste(utils::head(setdiff(
        unique(summary$queries$query[asked$query[order(-asked$impressions)]]),
        summary$queries$query[at$query[first]]),
        3),
        collapse = "\", \""))
  }))
  sums[, c("row", "idea") := list(seq_len(nrow(sums)), names(by_idea))]
  sums <- sums[sums$gain >= options$least]
  if (!nrow(sums)) return(no_findings())
  list(found = data.table(
    kind = "new_page",
    query = sums$query,
    page = sums$page,
    pages = sums$page,
    clicks = sums$clicks,
    impressions = sums$impressions,
    ctr = sums$clicks / sums$impressions,
    position = sums$position,
    expected_ctr = sums$expected / sums$impressions,
    gain = sums$gain,
    gain_low = sums$gain * assumed("new_page_low"),
    gain_high = sums$gain * assumed("new_page_high"),
    confidence = assumed("new_page_confidence"),
    action = sprintf(paste("Write a page of its own for \"%s\" and link to it from %s, which is",
      "shown for it now without answering it."),
      sums$query, format_path(sums$page)),
    reason = sprintf(paste("%s shown %s times %s, no nearer than position %s: the engine sees the",
      "topic on this site, but no page answers it.%s"),
      format_plural(sums$queries, "query", "queries"), format_count(sums$impressions),
      in_period(summary), format_position(sums$position),
      ifelse(nzchar(sums$others), sprintf(" Asked too: \"%s\".", sums$others), "")),
    claims = lapply(by_idea[sums$row], function(own) rows[own]),
    identity = paste("new_page", sums$idea),
    work = paste("new_page", sums$idea),
    how = step_lines(sprintf(
      "at position %d their %s impressions would earn %.2f clicks on the curve",
      as.integer(assumed("new_page_reaches")), format_count(sums$impressions), sums$earned),
      sprintf("gain = chance of getting there x clicks x 30 / days = %.2f x %.2f x 30 / %d = %.2f",
        assumed("new_page_chance"), sums$earned, as.integer(summary$recent$days), sums$gain),
      rep(sprintf("confidence is taken as %g, and the gain as known to a factor of two or three",
        assumed("new_page_confidence")),
        nrow(sums)))))
}

# Queries that share two words which mostly stand together are one idea; what shares no two joins
# the idea that its rarest word stands in, or those with the same rarest word. In: queries in lower
# case. Out: a label each.
shared_ideas <- function(queries) {
  words <- word_table(queries)
  # A letter or a number tells no idea, nor does a word that a good part of all of them hold.
  words <- words[!grepl("^([a-z]|[0-9]+)$", words$word)]
  words[, "holding" := .N, by = "word"]
  words <- words[words$holding >= 2 & words$holding <= max(3, 0.25 * length(queries))]
  out <- queries
  if (!nrow(words)) return(out)
  two <- words[words, on = "query", allow.cartesian = TRUE]
  two <- two[two$word < two$i.word]
  two[, "both" := .N, by = c("word", "i.word")]
  two <- two[two$both >= 2]
  two[, "tie" := both^2 / (holding * i.holding) * log1p(both)]
  setorderv(two, c("query", "tie", "word", "i.word"), c(1L, -1L, 1L, 1L))
  best <- two[!duplicated(two$query)]
  setorderv(words, c("query", "holding", "word"))
  rarest <- words[!duplicated(words$query) & !words$query %in% best$query]
  setorderv(best, "tie", -1L)
  of_word <- c(best$word, best$i.word)
  joins <- best[(match(rarest$word, of_word) - 1L) %% nrow(best) + 1L]
  out[best$query] <- paste(best$word, best$i.word)
  out[rarest$query] <- ifelse(is.na(joins$word), rarest$word, paste(joins$word, joins$i.word))
  out
}
