# Kinds of finding. Each kind is one file with one function (summary, curve, pairs, options) that returns
# findings with the columns of `finding_columns` and, in `claims`, the rows of `pairs` whose clicks it is about.
# To add a kind, add its file and one entry here.

finding_kinds <- function() {
  list(
    low_ctr = list(find = find_low_ctr, hours = 1),
    striking_distance = list(find = find_striking_distance, hours = 4),
    cannibalized = list(find = find_cannibalized, hours = 3)
  )
}

finding_columns <- c("kind", "query", "page", "pages", "clicks", "impressions", "ctr", "position", "expected_ctr",
  "gain", "gain_low", "gain_high", "confidence", "action", "reason", "claims", "identity")

# Findings of one kind on single pairs. `rows`: which rows of `pairs`.
pair_findings <- function(kind, summary, pairs, rows, gain, confidence, action, reason) {
  at <- pairs[rows]
  page <- summary$pages$page[at$page]
  data.table(kind = kind, query = summary$queries$query[at$query], page = page, pages = page,
    clicks = at$clicks, impressions = at$impressions, ctr = at$ctr, position = at$position,
    expected_ctr = at$expected_ctr, gain = gain$gain, gain_low = gain$low, gain_high = gain$high,
    confidence = confidence, action = action, reason = reason, claims = as.list(rows),
    identity = paste(kind, summary$queries$key[at$query], summary$pages$key[at$page]))
}

no_findings <- function() NULL

# Words that the reasons share.
in_period <- function(summary) {
  if (summary$window$assumed) "in the file" else sprintf("in %s days", format_count(summary$recent$days))
}
