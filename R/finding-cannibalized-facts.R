# Cannibalized: what is told of each kind of harm, the step, and the arithmetic.

contest_codes <- c(swapping = "pages_take_turns", splitting = "pages_shown_together",
  `wrong page leads` = "wrong_page_leads", unknown = "pages_share")

# judged: as test_contests() gives it, with `other_clicks`, what the page that gives way earns in 30
# days from its other queries, and whether it may `redirect`.
contest_facts <- function(summary, judged) {
  one_line <- seq_len(nrow(judged))
  keep <- summary$pages$page[judged$keep]
  other <- summary$pages$page[judged$other]
  query <- summary$queries$query[judged$query]
  swapping <- judged$harm == "swapping"
  wrong <- judged$harm == "wrong page leads"
  c(
    new_facts("evidence", contest_codes[judged$harm], one_line, keep = keep, other = other,
      stands = judged$stands, stands_other = judged$held_other, led_keep = judged[["led_keep"]],
      led_other = judged[["led_other"]], changes = judged[["changes"]],
      together = judged[["together"]], clicks = judged$leader_clicks,
      expected_clicks = judged$leader_expected),
    new_facts("points_to", ifelse(wrong, ifelse(judged$intended, "page_intended", "words_match"),
      ifelse(swapping & judged$level | judged$harm == "splitting", "one_page_may_rise", "")),
      one_line, keep = keep, query = query, stands = judged$stands),
    if (any(swapping)) {
      new_facts("points_to", ifelse(swapping, "leads_since", ""), one_line, since = judged$since,
        leader = ifelse(judged$keep_leads, keep, other))
    },
    new_facts("doubt", ifelse(judged$harm == "unknown", "doubt_undated", ""), one_line),
    new_facts("step", fcase(judged$harm == "unknown", "export_by_date", !wrong & judged$redirect,
      "merge_pages", rep(TRUE, nrow(judged)), "keep_page"),
      one_line, query = query, keep = keep, other = other,
      other_clicks = ifelse(judged$other_clicks >= 1, judged$other_clicks, NA)))
}

contest_derivation <- function(summary, judged, worth) {
  one_line <- seq_len(nrow(judged))
  tell <- function(code, ...) new_facts("derivation", code, one_line, ...)
  c(tell("contest_searches", searches = judged$searches, expected = judged$expected),
    tell("own_factor", prior = 1 / worth$spread, clicks = judged$clicks,
      expected = judged$expected, own = worth$own),
    tell("contest_one_page", position = judged$held, searches = judged$searches,
      wider = ifelse(worth$wider > 1, worth$wider, NA),
      curve = worth$at_held / judged$searches / worth$wider, there = worth$at_held),
    tell("contest_done", there = worth$at_held, factor = worth$factor, expected = judged$expected,
      own = worth$own, days = summary$recent$with_data, if_done = worth$done),
    tell(ifelse(judged$merged, "contest_assumed", ""),
      position = judged$held * assumed("merge_best") / assumed("merge_rise"),
      there = worth$at_best),
    contest_confidence_facts(judged))
}

# How sure each kind of harm is. judged$confidence of a wrong leader: see passed_by_chance().
contest_confidence_facts <- function(judged) {
  share <- assumed("mismatch_share")
  odds <- judged$confidence / (1 - judged$confidence)
  wrong <- judged$harm == "wrong page leads"
  new_facts("derivation", fcase(judged$harm == "swapping", "swap_confidence",
    wrong & judged$intended, "intended_confidence", wrong, "passed_by_confidence",
    rep(TRUE, nrow(judged)), "taken_confidence"),
    seq_len(nrow(judged)), confidence = judged$confidence,
    changed = judged$confidence / judged$goes_on, goes_on = judged$goes_on,
    clicks_1 = judged$leader_clicks, expected_1 = judged$leader_expected,
    clicks_2 = judged$clicks - judged$leader_clicks,
    expected_2 = judged$expected - judged$leader_expected, times = odds / (share / (1 - share)),
    factor = assumed("mismatch_factor"), share = share, rest = 1 - share, odds = odds)
}
