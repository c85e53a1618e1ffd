# Striking distance in words: where it stands, what the step could bring, why, doubt.

striking_reason <- function(summary, at, target, step, rivals) {
  sentences(striking_figures(summary, at, target, step), striking_trend(summary, at),
    ifelse(at$own > 1.2, sprintf(
      "CTR is %.1f times what is expected, which suggests that searchers want this page.", at$own),
      ""),
    ifelse(rivals > 0, sprintf("Doubt: %s of the site %s shown for it too.",
      format_plural(rivals, "other page"), ifelse(rivals == 1, "is", "are")),
      ""))
}

striking_figures <- function(summary, at, target, step) {
  then <- at$impressions * step$wider * step$there * at$own
  sprintf("Position %s, %s, %s in %s. At position %s about %s could be expected%s.",
    format_position(at$position), format_plural(at$impressions, "impression"),
    format_plural(at$clicks, "click"), period_text(summary), format_place(target),
    format_plural(then, "click"),
    ifelse(step$wider > 1.05, sprintf(": page one is seen %.1f times as often", step$wider), ""))
}

striking_trend <- function(summary, at) {
  trend <- position_trend(summary, at)
  moved <- fcoalesce(trend$first / trend$last, 1)
  course <- sprintf("from %s to %s in %s", format_position(trend$first),
    format_position(trend$last), period_text(summary))
  fcase(moved > 1.15, sprintf("Position improved %s.", course), moved < 1 / 1.15,
    sprintf("Position fell %s.", course), rep(TRUE, nrow(at)), "")
}

# Words that the title lacks, and which pages to link from. Links with the exact words of the query
# can put the linking page in front, so they vary.
striking_action <- function(summary, pairs, at, target) {
  query <- summary$queries$query[at$query]
  page <- page_words(summary, at$page)
  missing <- sub("^The title does not mention (.*)[.]$", "; the title lacks \\1",
    rep_len(unsaid_words(summary, at), nrow(at)))
  sources <- link_sources(summary, pairs, at)
  what <- ifelse(target <= assumed("top_three_ends"),
    sprintf("Answer \"%s\" in the first paragraph of %s and go deeper%s.", query, page, missing),
    sprintf("Give \"%s\" a heading and a passage of its own on %s%s.", query, page, missing))
  sprintf("%s Link to it in varied words from %s.", what, sources)
}

# Pages that get clicks from queries which share telling words with a query: up to two a query, not
# those that are shown for it themselves. looked: the pairs with most clicks are looked at.
link_sources <- function(summary, pairs, at, looked = 20000L) {
  default <- "older pages on the topic that rank"
  if (nrow(summary$pages) < 3 || !nrow(at)) return(rep(default, nrow(at)))
  asked <- word_table(summary$queries$key[at$query], function_words)
  known <- pairs[which(pairs$clicks > 0), c("query", "page", "clicks")]
  if (nrow(known) > looked) {
    known <- known[order(known$clicks, decreasing = TRUE)[seq_len(looked)]]
  }
  queries <- unique(known$query)
  words <- word_table(summary$queries$key[queries], function_words)
  words <- words[words$word %in% asked$word]
  set(words, j = "query", value = queries[words$query])
  held <- known[words, on = "query", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(held)) return(rep(default, nrow(at)))
  by_word <- sums_by(held, c("word", "page"), "clicks")
  pages_of <- sums_by(by_word, "word", "clicks", count = "pages")
  pages <- pages_of$pages[match(by_word$word, pages_of$word)]
  # A word on many pages names no topic.
  by_word <- by_word[pages <= pmax(5, 0.1 * nrow(summary$pages)) & pages > 1]
  setorderv(by_word, c("word", "clicks"), c(1L, -1L))
  by_word <- by_word[rowid(by_word$word) <= 8]
  near <- by_word[asked, on = "word", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(near)) return(rep(default, nrow(at)))
  near <- sums_by(near, c("query", "page"), "clicks")
  setnames(near, "query", "row")
  competing <- data.table(query = at$query[near$row], page = near$page)
  shown <- pairs[competing, on = c("query", "page"), which = TRUE]
  near <- near[is.na(shown)]
  setorderv(near, c("row", "clicks", "page"), c(1L, -1L, 1L))
  near <- near[rowid(near$row) <= 2]
  path <- format_path(summary$pages$page[near$page])
  out <- rep(default, nrow(at))
  first <- !duplicated(near$row)
  out[near$row[first]] <- path[first]
  out[near$row[!first]] <- paste(out[near$row[!first]], "and", path[!first])
  out
}
