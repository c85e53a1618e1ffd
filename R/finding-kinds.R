# Kinds of finding: the only registry. Each kind is one file with one function (summary, curve,
# pairs, options) that returns list(found, facts, aside): lines with the columns of `finding_columns`
# (`claims`: the rows of `pairs` whose clicks it is about; `identity`: what its id is made of;
# `work`: the kind and what one step serves), what is known of them (finding-facts.R), and what was
# checked and left out (`kind`, `reason`, `queries`). To add a kind, add its file, its sentences in
# inst/words and one entry here.
finding_kinds <- function() {
  list(
    low_ctr = finding_kind(find_low_ctr, "low CTR", "low CTR", "L", hours = 1, of_place = FALSE,
      colour = "#b23a2e", mark = 25, meaning = paste(
        "Seen in its place and clicked less than the curve says, by more than",
        "queries usually differ. If most queries of a page fall short, rewrite its title and",
        "description once for all of them; if one does, improve the match.")),
    striking_distance = finding_kind(find_striking_distance, "in striking distance", "striking",
      "S", hours = 4, colour = "#1f7a8c", mark = 21,
      meaning = paste("Close to the next worthwhile step: page one, or the top three. Needs depth",
        "and links more than a new title.")),
    cannibalized = finding_kind(find_cannibalized, "cannibalized", "cannibal.", "C", hours = 3,
      colour = "#5b3a8c", mark = 23, meaning = paste(
        "Several pages answer one query and swap the lead, hold each other back, or",
        "the wrong one leads. Section links, tracking copies, language versions, brand site links,",
        "pages far down and one-day blips are not counted.")),
    falling = finding_kind(find_moving, "falling", "falling", "F", hours = 2, colour = "#8a6d00",
      mark = 6, meaning = paste(
        "Fewer clicks for a search in the last four weeks than in the four before,",
        "beyond chance. Less demand is no fall.")),
    rising = finding_kind(find_moving, "rising", "rising", "R", hours = 1, colour = "#2f7d32",
      mark = 24, meaning = paste(
        "More clicks for a search in the last four weeks than in the four before,",
        "beyond chance.")),
    tail_demand = finding_kind(find_tail_demand, "demand in the tail", "tail", "T", hours = 4,
      colour = "#00695c", mark = 22,
      meaning = "Clicked although far down: nothing above answers it."),
    new_page = finding_kind(find_new_page, "idea for a page", "new page", "N", hours = 8,
      colour = "#455a64", mark = 3, meaning = paste(
        "Shown far down only, on whatever page touches the topic: no page of the",
        "site answers it.")),
    missing_words = finding_kind(find_missing_words, "phrase missing", "phrase", "P", hours = 1,
      colour = "#a0522d", mark = 4, meaning = paste(
        "The page says the phrase neither in its title nor in a heading. What saying it",
        "does to the position is measured on this site's own pages.")))
}

# label: in sentences; short: in narrow columns; initial: of its ids; hours: of work, unless given
# otherwise; of_place: about where a page stands, which nobody can judge while pages compete, not
# about how it is clicked there; colour, mark: in figures, each known by either.
finding_kind <- function(find, label, short, initial, hours, of_place = TRUE, colour, mark,
    meaning) {
  as.list(environment())
}

# One fact of each of these kinds.
kind_fact <- function(kind, fact) unname(unlist(lapply(finding_kinds(), `[[`, fact))[kind])

kind_label <- function(kind) kind_fact(kind, "label")

finding_columns <- c("kind", "query", "page", "pages", "clicks", "impressions", "ctr", "position",
  "expected_ctr", "if_done", "if_done_low", "if_done_high", "confidence", "chance", "claims",
  "identity", "work")

empty_findings <- function() {
  text <- character()
  number <- numeric()
  data.table(kind = text, query = text, page = text, pages = text, clicks = number,
    impressions = number, ctr = number, position = number, expected_ctr = number, if_done = number,
    if_done_low = number, if_done_high = number, confidence = number, chance = number,
    claims = list(), identity = text, work = text)
}
