# Striking distance: where it stands, what the step could bring, why, doubt, the step, and the
# arithmetic.

striking_facts <- function(summary, pairs, at, target, step) {
  line <- seq_len(nrow(at))
  rivals <- competing_pages(pairs, at)
  trend <- position_trend(summary, at)
  moved <- fcoalesce(trend$first / trend$last, 1)
  c(
    new_facts("evidence", "position_and_target", line, position = at$position,
      impressions = at$impressions, clicks = at$clicks, window = window_days(summary),
      target = target, clicks_then = at$impressions * step$wider * step$there * at$own,
      wider = ifelse(step$wider > 1.05, step$wider, NA)),
    new_facts("points_to", fcase(moved > 1.15, "position_improved", moved < 1 / 1.15,
      "position_fell", rep(TRUE, nrow(at)), ""),
      line, first = trend$first, last = trend$last, window = window_days(summary)),
    new_facts("points_to", ifelse(at$own > 1.2, "ctr_above", ""), line, times = at$own),
    new_facts("doubt", ifelse(rivals > 0, "doubt_other_pages", ""), line, rivals = rivals),
    # Links with the exact words of the query can put the linking page in front, so they vary.
    new_facts("step", ifelse(target <= assumed("top_three_ends"), "go_deeper", "own_passage"), line,
      query = summary$queries$query[at$query], page = summary$pages$page[at$page],
      lacks = empty_unknown(words_title_lacks(summary, at)),
      sources = link_sources(summary, pairs, at)))
}

# What a step up is made of; sure: what is told of its confidence (new_facts()).
step_up_derivation <- function(summary, at, target, step, sure) {
  line <- seq_len(nrow(at))
  tell <- function(code, ...) new_facts("derivation", code, line, ...)
  there <- at$impressions * step$wider * step$there
  c(tell("expected_on_curve", expected = at$expected), own_factor_facts(at),
    tell("step_there", target = target, impressions = at$impressions, wider = step$wider,
      curve = step$there, expected = there),
    tell("step_done", own = at$own, there = there, today_clicks = step$today,
      days = summary$recent$with_data, if_done = step$done$done),
    step_chance_facts(at, target, step), sure)
}

# Pages that get clicks from queries which share telling words with a query, as a list: up to two a
# query, not those that are shown for it themselves. looked: the pairs with most clicks are looked
# at.
link_sources <- function(summary, pairs, at, looked = 20000L) {
  none <- rep(list(character()), nrow(at))
  if (nrow(summary$pages) < 3 || !nrow(at)) return(none)
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
  if (!nrow(held)) return(none)
  by_word <- sums_by(held, c("word", "page"), "clicks")
  pages_of <- sums_by(by_word, "word", "clicks", count = "pages")
  pages <- pages_of$pages[match(by_word$word, pages_of$word)]
  # A word on many pages names no topic.
  by_word <- by_word[pages <= pmax(5, 0.1 * nrow(summary$pages)) & pages > 1]
  setorderv(by_word, c("word", "clicks"), c(1L, -1L))
  by_word <- by_word[rowid(by_word$word) <= 8]
  near <- by_word[asked, on = "word", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(near)) return(none)
  near <- sums_by(near, c("query", "page"), "clicks")
  setnames(near, "query", "row")
  competing <- data.table(query = at$query[near$row], page = near$page)
  shown <- pairs[competing, on = c("query", "page"), which = TRUE]
  near <- near[is.na(shown)]
  setorderv(near, c("row", "clicks", "page"), c(1L, -1L, 1L))
  near <- near[rowid(near$row) <= 2]
  by_row <- split(summary$pages$page[near$page], near$row)
  replace(none, as.integer(names(by_row)), unname(by_row))
}
