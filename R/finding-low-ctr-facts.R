# Low CTR: the facts of listed lines: figures, what is expected, what else points there, doubt, the
# step.

# at: the listed pairs; siblings: page_shortfalls() of their pages; judged: what is known of them.
low_ctr_facts <- function(summary, pairs, at, siblings, judged) {
  one_line <- seq_len(nrow(at))
  c(low_figures(summary, at, one_line), low_since(at, one_line), low_siblings(siblings, one_line),
    title_lacks_facts(summary, at, one_line), low_doubt(at, judged, one_line),
    low_step(summary, pairs, at, siblings, one_line))
}

low_figures <- function(summary, at, line) {
  missed <- at$expected_ctr * at$impressions - at$clicks
  new_facts("evidence", ifelse(is.na(at$since), "ctr_of_window", "ctr_since"), line, ctr = at$ctr,
    position = at$position, clicks = at$clicks, impressions = at$impressions,
    window = window_days(summary), since = at$since, expected_ctr = at$expected_ctr,
    missed = ifelse(missed < 0.5, NA, missed))
}

# Where the level changed within the window.
low_since <- function(at, line) {
  new_facts("comparison", fcase(is.na(at$since), "", at$ratio < 1, "ctr_fell", rep(TRUE, nrow(at)),
    "ctr_rose"),
    line, since = at$since, before = at$before, today = at$before * at$ratio)
}

low_siblings <- function(siblings, line) {
  how_many <- fcase(siblings$low < siblings$tested, "some", siblings$tested == 2L, "both",
    rep(TRUE, nrow(siblings)), "all")
  code <- fcase(siblings$whole, paste0("page_low_", how_many),
    siblings$tested > 1L & siblings$low <= 1L, "query_low_alone", siblings$tested > 1L,
    paste0("queries_low_", how_many), rep(TRUE, nrow(siblings)), "")
  new_facts("points_to", code, line, low = siblings$low, tested = siblings$tested,
    others_tested = siblings$tested - 1L, missed = siblings$missed)
}

low_doubt <- function(at, judged, line) {
  new_facts("doubt", fcase(pmax(judged$by_topic, judged$unseen_topic) > 0.1, "doubt_topic",
    judged$confidence < assumed("low_doubtful") & at$expected < 20, "doubt_few_clicks",
    judged$confidence < assumed("low_doubtful"), "doubt_spread", rep(TRUE, nrow(judged)), ""),
    line)
}

title_lacks_facts <- function(summary, at, line) {
  words <- words_title_lacks(summary, at)
  new_facts("points_to", ifelse(lengths(words) > 0, "title_lacks", ""), line, words = words)
}

# Telling words of the query that the title of the page does not have, two at most, a vector a pair;
# words in one query of twenty tell nothing. How usual words are, some thousands of the queries
# tell.
words_title_lacks <- function(summary, at, common = 0.05, most = 20000L) {
  out <- rep(list(character()), nrow(at))
  words <- word_table(query_key(words_to_say(summary, at)), function_words)
  title <- summary$pages[["title"]]
  if (!nrow(words) || is.null(title)) return(out)
  words <- words[!is.na(title[at$page[words$query]])]
  queries <- unique(summary$pairs$query)
  if (length(queries) > most) {
    queries <- queries[as.integer(seq(1, length(queries), length.out = most))]
  }
  share <- word_table(summary$queries$key[queries], function_words)[, .(share = .N), by = "word"]
  usual <- share$word[share$share > max(3, common * length(queries))]
  # "seed" is no news where "seeds" is not.
  stem <- function(word) sub("e?s$", "", word)
  words <- words[!stem(words$word) %in% stem(usual)]
  page_at <- at$page[words$query]
  lacking <- words[!in_address(words$word, page_at, summary$pages, address = FALSE)]
  if (!nrow(lacking)) return(out)
  by_query <- split(lacking$word, lacking$query)
  out[as.integer(names(by_query))] <-
    lapply(unname(by_query), function(word) utils::head(unique(word), 2))
  out
}

# The query as a title should say it: without the brand where the title has that.
words_to_say <- function(summary, at) {
  query <- summary$queries$query[at$query]
  title <- summary$pages[["title"]]
  if (is.null(title) || !length(summary$brand)) return(query)
  key <- summary$queries$key[at$query]
  has <- which(is_brand(key, summary$brand) &
    is_brand(query_key(fcoalesce(as.character(title[at$page]), "")), summary$brand))
  beside_brand <- brand_modifiers(key[has], summary$brand)
  query[has] <- ifelse(nzchar(beside_brand), beside_brand, query[has])
  query
}

low_step <- function(summary, pairs, at, siblings, line) {
  if (isTRUE(summary$of_pages)) {
    return(new_facts("step", "rewrite_page_snippet", line, page = summary$pages$page[at$page]))
  }
  query <- words_to_say(summary, at)
  keep <- query_to_keep(summary, pairs, at)
  new_facts("step", ifelse(siblings$whole, "rewrite_snippet", "name_in_title"), line,
    query = query, page = summary$pages$page[at$page], promise = query_intent(query),
    keep_query = keep$query, keep_clicks = keep$clicks)
}

# The query of the page that does well and must not lose by a rewrite, and its clicks a month: the
# one with most clicks, if it is not below the curve; NA for none.
query_to_keep <- function(summary, pairs, at) {
  well <- pairs[pairs$page %in% at$page & pairs$own >= 1 & pairs$clicks >= 5]
  setorderv(well, "clicks", -1L)
  well <- well[!duplicated(well$page)]
  own <- match(at$page, well$page)
  month <- well$clicks[own] * per_month(summary)
  none <- is.na(own) | well$query[own] == at$query | month < 5 |
    !nzchar(summary$pages$page[at$page])
  list(query = ifelse(none, NA, summary$queries$query[well$query[own]]),
    clicks = ifelse(none, NA, month))
}

# The arithmetic of a line.
low_ctr_derivation <- function(pairs, at, levels, done, fit, judged) {
  topic <- at$expected / pairs$expected
  noise <- factor_noise(at$clicks, at$expected)
  usual <- fit$all$sd[1]^2
  total <- low_variance(fit$all)
  one_line <- ifelse(judged$fell, NA, seq_len(nrow(at)))
  tell <- function(code, ...) new_facts("derivation", ifelse(is.na(one_line), "", code), one_line,
      ...)
  seen <- log_factor(at$clicks, at$expected)
  figures <- list(low_mean = fit$all$mean[2], seen = seen, noise = noise, total = total)
  c(tell("low_expected", first_day = as.IDate(at$since), expected = pairs$expected),
    tell(ifelse(topic < 0.999, "low_topic", ""), topic = topic, expected = at$expected),
    tell("low_seen", clicks = at$clicks, expected = at$expected, seen = seen, noise = noise),
    tell("low_usual", usual_mean = fit$all$mean[1], usual_sd = fit$all$sd[1],
      low_mean = fit$all$mean[2], low_sd = fit$all$sd[2]),
    do.call(tell, c(list("low_today", keeps = total / (total + noise), variance = levels$today_var,
      level = levels$today), figures)),
    do.call(tell, c(list("low_level_usual", usual_mean = fit$all$mean[1],
      keeps = usual / (total + noise), usual = usual,
      variance = levels$usual_var, level = levels$usual), figures)),
    tell("low_odds_pages", share = fit$pages$weight[["low"]], after = judged$page_low),
    tell("low_odds_queries", share = fit$pairs$weight[["low"]], after = judged$pair_low),
    tell("low_confidence", page_low = judged$page_low, pair_low = judged$pair_low,
      by_topic = ifelse(judged$by_topic > 0.0005, judged$by_topic, NA),
      no_model = assumed("low_doubt"),
      unseen_topic = ifelse(judged$unseen_topic > 0.0005, judged$unseen_topic, NA),
      confidence = judged$confidence),
    tell("low_done", expected = at$expected, usual = levels$usual, level = levels$today,
      days = at$days, if_done = done$done),
    shifted_derivation(at, levels, judged, done$done))
}
