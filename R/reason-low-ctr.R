# Low CTR in words: figures, what is expected, what else points there, doubt.

# at: the listed pairs; siblings: page_shortfalls() of their pages; judged: what is known of them.
low_ctr_reason <- function(summary, at, siblings, judged) {
  sentences(low_figures(summary, at), low_ctr_since(at), low_siblings(at, siblings),
    unsaid_words(summary, at), low_doubt(at, judged))
}

low_figures <- function(summary, at) {
  missed <- at$expected_ctr * at$impressions - at$clicks
  period <- ifelse(is.na(at$since), period_text(summary), paste("since", format_day(at$since)))
  sprintf("CTR %s at position %s (%s of %s, %s); expected %s%s.", format_rate(at$ctr),
    format_position(at$position), format_plural(at$clicks, "click"),
    format_plural(at$impressions, "impression"), period, format_rate(at$expected_ctr),
    ifelse(missed < 0.5, "", sprintf(", so %s %s missed", format_plural(missed, "click"),
      ifelse(round(missed) == 1, "is", "are"))))
}

# Where the level changed within the window.
low_ctr_since <- function(at) {
  fcase(is.na(at$since), "", at$ratio < 1,
    sprintf("Before %s the CTR was %s of what is expected, since then %s.", format_day(at$since),
      format_share(at$before), format_share(at$before * at$ratio)),
    rep(TRUE, nrow(at)), sprintf("Before %s it was %s of what is expected; days since count.",
      format_day(at$since), format_share(at$before)))
}

low_siblings <- function(at, siblings) {
  others <- format_plural(siblings$tested - 1L, "other tested query", "other tested queries")
  few <- fcase(siblings$low < siblings$tested, sprintf("%d of %d", siblings$low, siblings$tested),
    siblings$tested == 2L, "Both", rep(TRUE, nrow(at)), sprintf("All %d", siblings$tested))
  fcase(siblings$whole, sprintf(paste(
    "%s tested queries of the page are below the curve (%s missed in all), which points to its",
    "title and description."),
    few, format_plural(siblings$missed, "click")),
    siblings$tested > 1L & siblings$low <= 1L,
    sprintf("The page's %s %s as expected, so the page may not answer this query.", others,
      ifelse(siblings$tested == 2L, "is", "are")),
    siblings$tested > 1L, sprintf("%s tested queries of the page are below the curve.", few),
    rep(TRUE, nrow(at)), "")
}

low_doubt <- function(at, judged) {
  fcase(pmax(judged$by_topic, judged$unseen_topic) > 0.1,
    "Doubt: the results page may take the clicks of this topic.",
    judged$confidence < assumed("low_doubtful") & at$expected < 20,
    "Doubt: few clicks, so this may be chance.", judged$confidence < assumed("low_doubtful"),
    "Doubt: queries of this site differ by nearly as much by themselves.", rep(TRUE, nrow(judged)),
    "")
}

# Telling words of the query that the title of the page does not have, where titles are known; words
# in one query of twenty tell nothing. How usual words are, some thousands of the queries tell.
unsaid_words <- function(summary, at, common = 0.05, most = 20000L) {
  words <- word_table(query_key(words_to_say(summary, at)), function_words)
  title <- summary$pages[["title"]]
  if (!nrow(words) || is.null(title)) return("")
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
  page <- at$page[words$query]
  unsaid <- words[!in_address(words$word, page, summary$pages, address = FALSE)]
  out <- character(nrow(at))
  if (!nrow(unsaid)) return(out)
  said <- unsaid[,
    .(words = paste(sprintf("\"%s\"", utils::head(unique(word), 2)), collapse = " or ")),
    by = "query"]
  out[said$query] <- sprintf("The title does not mention %s.", said$words)
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
  said <- brand_modifiers(key[has], summary$brand)
  query[has] <- ifelse(nzchar(said), said, query[has])
  query
}

low_ctr_action <- function(summary, pairs, at, siblings) {
  query <- words_to_say(summary, at)
  page <- page_words(summary, at$page)
  promise <- c(commercial = "name range, price or delivery in the description",
    informational = "promise the answer in the description",
    other = "say in the description what the page gives")[query_intent(query)]
  keep <- keep_words(summary, pairs, at)
  ifelse(siblings$whole, sprintf(
    "Rewrite the title and description of %s: lead with \"%s\" and %s%s.", page, query, promise,
    keep),
    sprintf(paste("Name \"%s\" in the title of %s, %s, and answer it in the first paragraph%s."),
      query, page, promise, keep))
}

# The query of the page that does well and must not lose by a rewrite: the one with most clicks, if
# it is not below the curve.
keep_words <- function(summary, pairs, at) {
  well <- pairs[pairs$page %in% at$page & pairs$own >= 1 & pairs$clicks >= 5]
  setorderv(well, "clicks", -1L)
  well <- well[!duplicated(well$page)]
  own <- match(at$page, well$page)
  month <- well$clicks[own] * per_month(summary)
  ifelse(
    is.na(own) | well$query[own] == at$query | month < 5 | !nzchar(summary$pages$page[at$page]), "",
    sprintf("; keep \"%s\" in the title, it earns %s clicks a month",
      summary$queries$query[well$query[own]], format_clicks(month)))
}

# Low CTR: the arithmetic of a line, for trace and tide_trace().

low_ctr_steps <- function(summary, pairs, at, levels, done, fit, judged) {
  topic <- at$expected / pairs$expected
  seen <- log_factor(at$clicks, at$expected)
  noise <- factor_noise(at$clicks, at$expected)
  low <- fit$all$mean[2]
  usual <- fit$all$sd[1]^2
  total <- low_variance(fit$all)
  keep <- total / (total + noise)
  steps <- step_lines(sprintf("expected on the curve%s: %.2f clicks",
    ifelse(is.na(at$since), "", sprintf(" since %s", at$since)), pairs$expected),
    ifelse(topic < 0.999, sprintf(
      "the results page leaves its topic %.3f of the curve: expected %.2f", topic, at$expected),
      ""),
    sprintf("log factor = ln((%s + 0.5) / (%.2f + 0.5)) = %.3f, variance of its noise %.3f",
      format_count(at$clicks), at$expected, seen, noise),
    sprintf(paste("usual queries of this site: mean %.3f, standard deviation %.3f; low",
      "ones: mean %.3f, standard deviation %.3f"),
      fit$all$mean[1], fit$all$sd[1], low, fit$all$sd[2]),
    sprintf(paste("level today, its luck taken out: exp(%.3f + %.3f x (%.3f - %.3f) + %.4f",
      "/ 2) = %.3f of the curve (share of %.3f / (%.3f + noise) of what is", "seen)"),
      low, keep, seen, low, levels$today_var, levels$today, total, total),
    sprintf(paste("the level it would usually have: exp(%.3f + %.3f x (%.3f - %.3f) + %.4f",
      "/ 2) = %.3f (share of %.3f / (%.3f + noise))"),
      fit$all$mean[1], usual / (total + noise), seen, low, levels$usual_var, levels$usual, usual,
      total),
    odds_line("pages", "all its queries make", fit$pages$weight[["low"]], judged$page_low),
    odds_line("queries on pages that are not", "its own clicks make", fit$pairs$weight[["low"]],
      judged$pair_low),
    sprintf("confidence = (%.3f + (1 - %.3f) x %.3f)%s x (1 - %g, what no model knows)%s = %.3f",
      judged$page_low, judged$page_low, judged$pair_low,
      ifelse(judged$by_topic > 0.0005, sprintf(
        " x (1 - %.3f, the chance that the results page takes its topic's clicks)",
        judged$by_topic),
        ""),
      assumed("low_doubt"), ifelse(judged$unseen_topic > 0.0005,
        sprintf(" - %.3f (the results page may take its topic's clicks: no other page shows it)",
          judged$unseen_topic),
        ""),
      judged$confidence),
    sprintf(
      "if done = expected x (usual - today) x 30 / days = %.2f x (%.3f - %.3f) x 30 / %g = %.2f",
      at$expected, levels$usual, levels$today, at$days, done$done))
  fallen <- which(judged$fell)
  steps[fallen] <-
    shifted_steps(at[fallen], lapply(levels, `[`, fallen), judged[fallen], done$done[fallen])
  steps
}

# From how many are low to the chance that this one is: odds times what was seen.
odds_line <- function(of, evidence, before, after) {
  after <- pmin(pmax(after, 1e-9), 1 - 1e-9)
  times <- (after / (1 - after)) / (before / (1 - before))
  sprintf(paste("of %s %.3f are low; %s the odds %.3g times as high: %.3f / %.3f x %.3g =",
    "%.3g, a chance of %.3f"),
    of, before, evidence, times, before, 1 - before, times, after / (1 - after), after)
}
