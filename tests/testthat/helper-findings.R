# Findings made by hand, and what is found in made-up rows.

finding <- function(kind, done, claims, confidence = 0.9, chance = 1, low = done / 2,
    high = done * 2, task_key = paste(kind, claims[1])) {
  data.table(kind = kind, query = paste(kind, done), page = "/a", pages = "/a", clicks = 1,
    impressions = 10, ctr = 0.1, position = 5, expected_ctr = 0.2, if_done = done,
    if_done_low = low, if_done_high = high, confidence = confidence, chance = chance,
    claims = list(claims), finding_key = paste(kind, paste(claims, collapse = "-")),
    task_key = task_key,
    hours = c(low_ctr = 1, striking_distance = 4, cannibalized = 3, falling = 2)[[kind]])
}

# Lines as finders give them, with what is known of them.
looked_at <- function(...) {
  found <- rbind(...)
  set(found, j = "line", value = seq_len(nrow(found)))
  list(found = found, facts = list(), aside = NULL)
}

# A summary that knows no query.
no_queries <- list(queries = list(query = character()))

# Lines with their sentences.
lines_of <- function(found) inktide:::in_sentences(found)

kind_of <- function(rows, kind, ...) {
  lines_of(tide_find(tide_summary(as_data(rows), ...), kind = kind))
}

# What facts tell of lines that have numbers, in the package's words.
told_of <- function(facts, slots = c("evidence", "comparison", "points_to", "doubt"), lines = 1) {
  known <- inktide:::renumber_facts(facts, as.character(seq_len(1000)))
  inktide:::told(list(facts = known), as.character(lines), slots)
}

# A site of rows by day, whose queries can be changed.
by_day <- function(change, queries = 150, days = 63, seed = 3) {
  rows <- made_site(queries = queries, days = days, seed = seed, demand = rep(8, queries))
  change(rows)
}
