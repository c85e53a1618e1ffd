# Kinds of finding: the only registry. Each kind is one file with one function (summary, curve,
# pairs, options) that returns list(found, facts, excluded): lines with the columns of
# `finding_columns` (`claims`: the rows of `pairs` whose clicks it is about; `finding_key`: what its
# id is made of; `task_key`: the kind and what one step serves), what is known of them
# (finding-facts.R), and what was checked and left out. To add a kind, add its file, its words in
# inst/words and one entry here.
finding_kinds <- function() {
  list(
    low_ctr = finding_kind(find_low_ctr, "L", 1, c("young", "format", "snippet",
      "pages_alone"),
      colour = "#b23a2e", mark = 25, sign = "\u25bc"),
    striking_distance = finding_kind(find_striking_distance, "S", 4, c("young", "window", "harder",
      "format", "intended", "links", "rises", "pages_alone"),
      colour = "#1f7a8c", mark = 21, sign = "\u25cf"),
    cannibalized = finding_kind(find_cannibalized, "C", 3, "contest",
      colour = "#5b3a8c", mark = 23, sign = "\u25c6"),
    falling = finding_kind(find_moving, "F", 2, colour = "#8a6d00", mark = 6,
      sign = "\u25bd"),
    rising = finding_kind(find_moving, "R", 1, colour = "#2f7d32", mark = 24,
      sign = "\u25b2"),
    tail_demand = finding_kind(find_tail_demand, "T", 4, c("young", "window", "harder", "format",
      "intended", "links"),
      colour = "#00695c", mark = 22, sign = "\u25a0"),
    new_page = finding_kind(find_new_page, "N", 8, c("young", "window", "harder", "format",
      "intended", "idea"),
      colour = "#455a64", mark = 3, sign = "\u271a"),
    missing_words = finding_kind(find_missing_words, "P", 1, "links",
      colour = "#a0522d", mark = 4, sign = "\u2715"))
}

# initial: of its ids; hours: of work, unless given otherwise; colour, mark, sign: in figures, each
# known by any of them. traits: young, its pages and queries may be new; window, its clicks are
# those of the whole window; harder, its step is harder where a query is difficult; format, a title
# may need the format of the results page; intended, its step is done on the intended page; links,
# its step needs links; snippet, its step is a new title and description; rises, its step is a
# better position; contest, its pages compete; idea, its page is not there yet;
# pages_alone, pages without queries show it.
finding_kind <- function(find, initial, hours, traits = character(), colour, mark, sign) {
  as.list(environment())
}

# One fact of each of these kinds.
kind_fact <- function(kind, fact) unname(unlist(lapply(finding_kinds(), `[[`, fact))[kind])

# Whether each of these kinds has a trait.
kind_is <- function(kind, trait) {
  having <- vapply(finding_kinds(), function(one) trait %in% one$traits, NA)
  kind %in% names(having)[having]
}

# Whether a task is about its page: without pages, and where one is still to be written, it is about
# its query.
about_page <- function(lines) nzchar(lines$page) & !kind_is(lines$kind, "idea")

finding_columns <- c("kind", "query", "page", "pages", "clicks", "impressions", "ctr", "position",
  "expected_ctr", "if_done", "if_done_low", "if_done_high", "confidence", "chance", "claims",
  "finding_key", "task_key")

empty_findings <- function() {
  text <- character()
  number <- numeric()
  data.table(kind = text, query = text, page = text, pages = text, clicks = number,
    impressions = number, ctr = number, position = number, expected_ctr = number, if_done = number,
    if_done_low = number, if_done_high = number, confidence = number, chance = number,
    claims = list(), finding_key = text, task_key = text)
}
