# Low CTR in words. A reason opens with what decides the cure (does the whole page fall short, or
# this query alone?), goes on with the figures, and ends with what else is known: since when it is
# so, and which words the page does not say.

# at: the listed pairs; siblings: page_shortfalls() of their pages; gain: what each is worth.
low_ctr_reason <- function(summary, at, siblings, gain) {
  # The query that most is lost on speaks for its page.
  speaks <- !duplicated(at$page[order(-gain)])[order(order(-gain))]
  sentences(low_opening(summary, at, siblings, speaks), low_figures(summary, at),
    low_ctr_since(at), unsaid_words(summary, at))
}

low_opening <- function(summary, at, siblings, speaks) {
  page <- page_words(summary, at$page)
  others <- format_plural(siblings$tested - 1L, "other tested query", "other tested queries")
  fcase(siblings$whole & speaks,
    page_opening(page, siblings, (at$expected - at$clicks) / siblings$missed),
    siblings$whole & at$clicks < at$expected / 4,
    sprintf("Hardly clicked at all, like much else that %s is shown for, and mended with it.",
      page),
    siblings$whole & siblings$low == 2L,
    sprintf("The other query that %s loses, mended by the same rewrite.", page), siblings$whole,
    sprintf("One of %d queries that %s loses, mended by the same rewrite.", siblings$low, page),
    siblings$tested > 1L & siblings$low <= 1L,
    sprintf("%s does as usual for its %s, so it is the match with this one that fails.", page,
      others),
    siblings$tested > 1L, sprintf(
      "%d of %d tested queries of %s fall short, each for reasons of its own.", siblings$low,
      siblings$tested, page),
    at$position < 1.6, "Whoever asks this sees it first, and most go past it.", at$position < 3.6,
    "Near the top, and passed over.", at$position < 10.6, "On page one, and passed over.",
    rep(TRUE, nrow(at)), "Far down, and passed over even by those who look there.")
}

# What a page loses as a whole, and how much of it on the query that speaks for it.
page_opening <- function(page, siblings, share) {
  few <- fcase(siblings$low < siblings$tested, sprintf("%d of %d", siblings$low, siblings$tested),
    siblings$tested == 2L, "both", rep(TRUE, length(page)), sprintf("all %d", siblings$tested))
  many <- sub("^a", "A", sub("^b", "B", few))
  missed <- format_plural(siblings$missed, "click")
  fcase(share > 0.6, sprintf(paste(
    "%s puts searchers off: %s tested queries are clicked less than usual,",
    "and this one has %s of the %s missed. Title and description are the", "likely cause."),
    page, few, format_share(share), missed),
    share < 0.35, sprintf(paste(
      "The shortfall runs through %s tested queries of %s, %s missed in all,",
      "which points at its title and description; most is to be won on this", "one."),
      few, page, missed),
    rep(TRUE, length(page)), sprintf(paste(
      "%s tested queries of %s are clicked less than usual, %s missed in all",
      "and %s of them on this one, so its title and description are the likely", "cause."),
      many, page, missed, format_share(share)))
}

low_figures <- function(summary, at) {
  seen <- format_count(at$impressions)
  clicked <- format_count(at$clicks)
  place <- format_position(at$position)
  rate <- format_rate(at$ctr)
  usual <- format_rate(at$expected_ctr)
  were <- ifelse(at$clicks == 1, "was", "were")
  lost <- at$expected - at$clicks
  missed <- sprintf("%s missed %s",
    ifelse(lost < 0.5, "less than a click", format_plural(lost, "click")), in_period(summary))
  fcase(at$clicks == 0, sprintf(
    "Not one of %s impressions at position %s was clicked, where %s is usual: %s.", seen, place,
    usual, missed),
    at$position < 1.6, sprintf(paste(
      "Of %s impressions in first place %s %s clicked: %s, where this site",
      "usually gets %s. That is %s."),
      seen, clicked, were, rate, usual, missed),
    at$clicks < at$expected / 3, sprintf(paste(
      "Less than a third of what position %s brings on this site: %s for a",
      "usual %s (%s of %s impressions), or %s."),
      place, rate, usual, clicked, seen, missed),
    at$position < 3.6, sprintf(
      "At position %s, %s of %s impressions %s clicked (%s; usual: %s), which makes %s.", place,
      clicked, seen, were, rate, usual, missed),
    at$position < 10.6, sprintf(
      "%s for %s impressions at position %s are %s; queries of this site earn %s there. %s.",
      format_plural(at$clicks, "click"), seen, place, rate, usual, missed),
    rep(TRUE, nrow(at)), sprintf(
      "%s of %s impressions at position %s (%s), where even that far down %s is usual: %s.",
      clicked, seen, place, rate, usual, missed))
}

# Since when, where the level changed within the window.
low_ctr_since <- function(at) {
  fcase(is.na(at$since), "", at$ratio < 1, sprintf(
    "It was %s of what is expected before %s, and is %s since.", format_share(at$before),
    format_day(at$since), format_share(at$before * at$ratio)),
    rep(TRUE, nrow(at)), sprintf("Judged on the days since %s, when CTR rose from %s of it.",
      format_day(at$since), format_share(at$before)))
}

# Telling words of the query that neither address nor title of the page say; words in one query of
# twenty tell nothing. How usual words are, some thousands of the queries tell.
unsaid_words <- function(summary, at, common = 0.05, most = 20000L) {
  words <- word_table(summary$queries$key[at$query], function_words)
  if (!nrow(words) || !any(nzchar(summary$pages$page))) return("")
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
  unsaid <- words[!in_address(words$word, page, summary$pages)]
  out <- character(nrow(at))
  if (!nrow(unsaid)) return(out)
  said <- unsaid[,
    .(words = paste(sprintf("\"%s\"", utils::head(unique(word), 2)), collapse = " nor ")),
    by = "query"]
  where <- if (is.null(summary$pages[["title"]])) {
    "Its address does not say"
  } else {
    "Neither its title nor its address says"
  }
  out[said$query] <- sprintf("%s %s.", where, said$words)
  out
}

low_ctr_action <- function(summary, at, siblings) {
  query <- summary$queries$query[at$query]
  page <- page_words(summary, at$page)
  promise <- c(commercial = "name range, price or delivery in the description",
    informational = "promise the answer in the description",
    uncategorised = "say in the description what the page gives")[query_intent(query)]
  ifelse(siblings$whole, sprintf(
    "Rewrite title and description of %s for all its queries; lead with \"%s\" and %s.", page,
    query, promise),
    sprintf(paste("Put \"%s\" at the front of the title of %s and %s; check that the first",
      "paragraph answers it."),
      query, page, promise))
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
    ifelse(topic < 0.999,
      sprintf("its topic earns %.3f of the curve anyway: expected %.2f", topic, at$expected), ""),
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
      ifelse(judged$by_topic > 0.0005,
        sprintf(" x (1 - %.3f, the chance that its topic is held back)", judged$by_topic), ""),
      assumed("low_doubt"), ifelse(judged$unseen_topic > 0.0005,
        sprintf(" - %.3f (its topic may be held back: no other page shows it)",
          judged$unseen_topic),
        ""),
      judged$confidence),
    sprintf("if done = expected x (usual - today) x 30 / days = %.2f x (%.3f - %.3f) x 30 / %g = %.2f",
      at$expected, levels$usual, levels$today, at$days, done$done))
  fallen <- which(judged$fell)
  steps[fallen] <- shifted_steps(at[fallen], lapply(levels, `[`, fallen), judged[fallen],
    done$done[fallen])
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
