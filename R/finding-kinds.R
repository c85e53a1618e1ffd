# Kinds of finding. Each kind is one file with one function (summary, curve, pairs, options) that
# returns list(found, aside): findings with the columns of `finding_columns` (`claims`: the rows of
# `pairs` whose clicks it is about; `identity`: what its id is made of; `work`: what is mended in
# one go; `how`: the arithmetic of its gain and confidence, as lines), and what was recognised and
# is no finding (`kind`, `reason`, `queries`). To add a kind, add its file and one entry here.

finding_kinds <- function() {
  list(low_ctr = kind_entry(find_low_ctr, "low CTR", "low CTR", "L", hours = 1, of_place = FALSE),
    striking_distance = kind_entry(find_striking_distance, "in striking distance", "striking", "S",
      hours = 4),
    cannibalized = kind_entry(find_cannibalized, "cannibalized", "cannibal.", "C", hours = 3),
    falling = kind_entry(find_falling, "falling", "falling", "F", hours = 2),
    rising = kind_entry(find_rising, "rising", "rising", "R", hours = 1),
    tail_demand = kind_entry(find_tail_demand, "demand in the tail", "tail", "T", hours = 4),
    new_page = kind_entry(find_new_page, "idea for a page", "new page", "N", hours = 8))
}

# label: in sentences; short: in narrow columns; initial: of its ids; hours: of work, unless told
# otherwise; of_place: about where a page stands, which nobody can judge while pages compete, not
# about how it is clicked there.
kind_entry <- function(find, label, short, initial, hours, of_place = TRUE) {
  list(find = find, label = label, short = short, initial = initial, hours = hours,
    of_place = of_place)
}

kind_fact <- function(kind, fact) unname(unlist(lapply(finding_kinds(), `[[`, fact))[kind])

kind_label <- function(kind) kind_fact(kind, "label")

finding_columns <- c("kind", "query", "page", "pages", "clicks", "impressions", "ctr", "position",
  "expected_ctr", "gain", "gain_low", "gain_high", "confidence", "action", "reason", "claims",
  "identity", "work", "how")
