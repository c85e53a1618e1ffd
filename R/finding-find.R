#' The ranked list of opportunities
#'
#' Looks for every kind of opportunity in the recent window, gives each its worth in clicks, its
#' certainty, its evidence and its next step, and puts the best use of a working day first.
#'
#' @details Kinds of findings, each with a page of its own: [low_ctr], [striking_distance],
#'   [cannibalized], [falling] and `rising`, [tail_demand], [new_page], and where the pages of the
#'   site are known [missing_words].
#'
#' One arithmetic for all kinds: `gain` = `if_done` x `confidence` x `chance`. `if_done`: extra
#' clicks per 30 days if the finding is real and the step works, with a 90 % interval of its mean
#' (not of one month's luck). `confidence`: probability that the finding is real. `chance`:
#' probability that the step works if it is: an assumption by kind (see [tide_assumptions()]),
#' which counts as ten steps against those of the kind whose outcome is known ([tide_outcomes()]),
#' each by how likely its ratio is of a step that worked.
#' `score` = gain / hours of work, gain being money where it is known, else clicks.
#'
#' A page or query that was first seen within the window (and would have been seen before, had it
#' been there) is judged on its life so far: its clicks of 30 days are those of the days since.
#'
#' Findings that one step serves are one `task`: the largest leads, has the hours and the score of
#' all, and is ranked; the others follow after all leads, with 0 hours and a score of 0. Where two
#' findings are about the same clicks, the one with the higher score stays and names the other in
#' its reason (a sure cannibalized query stays before all else), so the sum of `gain` promises no
#' click twice.
#'
#' With `sessions` and `conversions` (and `value`) of pages added by [tide_enrich()], clicks
#' are also given in conversions and money: the page's rate, drawn to its group's by beta-binomial
#' empirical Bayes, times `if_done`; intervals include the rate's.
#'
#' @param summary A `tide_summary` object.
#' @param curve A `tide_curve` object; `NULL` fits it to `summary`.
#' @param band Positions from and to which a query is in striking distance.
#' @param target Where a step in striking distance leads: `"next"` (page one from page two, else
#'   the top three), a position for all, or a number of places such as `"+3"`.
#' @param fdr False-discovery rate of `low_ctr`, `falling` and `rising`.
#' @param min_gain Extra clicks per 30 days, if done, under which a task is not listed. `NULL`: one
#'   click; pages that compete for a query are listed however few clicks it costs, and ideas for
#'   pages where they alone are asked for.
#' @param min_impressions Pairs with fewer impressions are not looked at.
#' @param position `c(from, to)`: only pairs with an average position in it.
#' @param segment Segments whose queries are looked at; `NULL` takes all but `brand`, where
#'   several pages and odd CTR are the rule.
#' @param segments A [tide_segment()] or a list of them: only pairs in all of these are looked
#'   at. The curve and the usual spread still come from the whole summary.
#' @param rules A [tide_rules()] object, for conditions on brand, intent and page group.
#' @param kind Kinds to look for; `NULL` for all. Of a table of pages without queries `NULL` is
#'   `low_ctr`, `striking_distance` comes on wish, and the others are refused.
#' @param hours Hours of work by kind, named, where they are not low_ctr 1, rising 1, falling 2,
#'   cannibalized 3, striking_distance 4, tail_demand 4, new_page 8.
#' @param assumptions Numbers by name in place of those of [tide_assumptions()].
#' @param decisions What [tide_decisions()] gives: findings decided as harmless or later stay
#'   away, and the list has a column `decision`; the element `decided` holds what is away.
#' @param today The day for which postponed findings are judged.
#' @param outcomes What [tide_outcomes()] gives, by which chances are updated.
#' @param events A [tide_events()] object: what changed on which pages when. CTR is judged on what
#'   holds since, where the clicks bear it out; so with decisions that are done.
#' @param results_pages What [tide_results_pages()] read. Features that go with fewer clicks at
#'   equal position, beyond chance, lower what is expected of the queries that have them
#'   (`features`: by `feature` the `queries` that show what it takes, the `ratio` of clicks with its
#'   90 % interval, and whether it is `used`); titles and formats that stand above are named with
#'   each finding.
#' @param pages A `tide_pages` object: phrases that pages do not say become findings, see
#'   [missing_words].
#' @param include Reasons for which queries are set aside that are no reason here: `"topic"`, clicks
#'   taken by the results page of a whole topic.
#' @param changed Pages that somebody changed, a data frame with `page` and the day, `at`; `NULL`:
#'   those of `decisions` that are done.
#' @return A `tide_findings` object: a list with `findings`, a data.table of lines, which [tidy()]
#'   hands out as a tibble with their sentences: `rank`, `id`, `kind`, `query`, `page`, `pages`,
#'   `clicks`, `impressions`, `ctr`, `position`, `expected_ctr`, `if_done`, `if_done_low`,
#'   `if_done_high`, `confidence`, `chance`, `gain`, `hours`, `score`, `task` (lines that one step
#'   serves share it), `page_clicks` (of all queries of the page, per 30 days), `action`, `reason`
#'   (the sentences), `gain_share` (of the site's clicks, private queries included where the data
#'   tell them), where known `if_done_conversions` and `if_done_value` with `_low` and `_high`,
#'   `gain_conversions` and `gain_value`, or where no conversions are known but costs of clicks are,
#'   `if_done_cost` and `gain_cost` (what these clicks would cost as ads, a stand-in for value),
#'   then the facts that [tide_enrich()] added to query and page. Further `facts` (what the
#'   sentences are made of, numbers and codes: a list of batches, each with `slot`, `code` and
#'   `rows`, whose `line` is an id; see [tide_words()]), `steps` (by task the id of the line whose
#'   step it is), `excluded` (what was checked and left out, made of facts of that slot: `kind`,
#'   `reason`, `queries` and the `clicks` that they have in the window), `pairs` (every query x page
#'   pair with its `expected_ctr`, for figures),
#'   `curve`, `tested`, `features` (what results pages take, see `results_pages`; or `NULL`),
#'   `summary`, `assumptions` (those that were set) and `outside` (what `position` and `segments`
#'   leave out: shares of `clicks` and `impressions`, `reason`; or `NULL`), `site_pages` (the
#'   `pages` given), `assumed` (where `decisions` hold own figures: `id`, `hours` and `chance`
#'   before them). Ids stay the same on newer data. Clicks are per 30 days of the days with data.
#' @seealso [tide_group()] for the same list page by page.
#' @examples
#' data <- tide_read(tide_example()[["pairs"]])
#' found <- tide_find(tide_summary(data, brand = "fernmoor"))
#' found
#' tidy(found)
#' @export
tide_find <- function(summary, curve = NULL, band = c(4, 20), fdr = 0.1, min_gain = NULL,
    min_impressions = 1, position = NULL, segment = NULL, segments = NULL, rules = tide_rules(),
    kind = NULL, hours = NULL, target = "next", assumptions = NULL, decisions = NULL,
    outcomes = NULL, events = NULL, today = Sys.Date(), results_pages = NULL, pages = NULL,
    include = NULL, changed = NULL) {
  local_assumptions(assumptions)
  check_class(summary, "tide_summary", "summary")
  if (is.null(curve)) curve <- tide_curve(summary) else check_class(curve, "tide_curve", "curve")
  if (!is.null(results_pages)) check_class(results_pages, "tide_results_pages", "results_pages")
  if (!is.null(pages)) check_class(pages, "tide_pages", "pages")
  check_hours(hours)
  if (isTRUE(summary$of_pages)) kind <- kind_of_pages(kind)
  choices <- finding_options(kind, band, target, fdr, min_gain)
  choices$pages <- pages
  if (!is.null(include)) choices$include <- check_choice(include, set_aside_reasons, "include")
  choices$intended <- if (length(rules$intended)) intended_codes(summary, rules)
  done <- decisions[decisions$decision == "done", ]
  choices$known <- known_changes(summary, first_given(changed, done), check_events(events))
  today <- check_date(today, "today")

  evidence <- gather_evidence(summary, curve, results_pages, min_impressions, segment,
    with_position(segments, position), rules)
  found <- detect(evidence, choices) |>
    without_ignored(summary, rules) |>
    annotate(evidence, results_pages, choices) |>
    score(summary, rules, hours, outcomes) |>
    rank_findings(choices, summary) |>
    new_findings(evidence, assumptions, pages)
  if (is.null(decisions)) return(found)
  with_estimates(found, decisions) |> leave_decided(decisions, today)
}

# What every kind starts from: pairs held against the curve, with what results pages take, and which
# of them are `tested`: judged and inside the segments. Out: list(summary, curve, pairs, effects,
# outside).
gather_evidence <- function(summary, curve, results_pages, min_impressions, segment, segments,
    rules) {
  check_number(min_impressions, "min_impressions", min = 0)
  evidence <- pair_evidence(summary, curve, check_segments(segment, curve), min_impressions) |>
    with_results_pages(summary, curve, results_pages)
  pairs <- evidence$pairs
  inside <- pairs_inside(summary, summary$pairs, segments, rules)
  if (!any(inside)) abort_nothing_inside(segments)
  set(pairs, j = c("tested", "inside"), value = list(pairs$judged & inside,
    inside & (is.null(segment) | pairs$segment %in% segment)))
  list(summary = summary, curve = curve, pairs = pairs, effects = evidence$effects,
    outside = if (!all(inside)) {
      outside_shares(outside_line(summary, pairs, inside, segments), pairs)
    })
}

# Every kind that is asked for, one finder after the other: list(found: lines, each with its number
# as `line`; facts; excluded).
detect <- function(evidence, options) {
  site_summary <- evidence$summary
  # Several kinds ask for it.
  options$page_one_views <- page_one_views(site_summary)
  finders <- lapply(finding_kinds()[options$kind], `[[`, "find")
  looked <- bind_found(lapply(finders[!duplicated(finders)],
    function(find) find(site_summary, evidence$curve, evidence$pairs, options)))
  set(looked$found, j = "line", value = seq_len(nrow(looked$found)))
  # Sums of probabilities may stray from 0 and 1 by a rounding error.
  set(looked$found, j = "confidence", value = pmin(1, pmax(0, looked$found$confidence)))
  looked$found <- within_demand(looked$found, site_summary)
  judge_young(looked, site_summary) |> judge_gone(site_summary) |>
    judge_pages_alone(site_summary)
}

# What results pages, the site's own pages and the pages that queries are meant for add.
annotate <- function(looked, evidence, results_pages, options) {
  looked |>
    add_results_pages(evidence$summary, results_pages, evidence$pairs) |>
    add_page_facts(evidence$summary, options$pages) |>
    add_intended(evidence$summary, options$intended)
}

# How likely each step works, its hours and what it is worth.
score <- function(looked, summary, rules, hours, outcomes) {
  looked <- weigh_difficulty(looked, summary, outcomes) |> learn_chance(outcomes)
  set(looked$found, j = "hours", value = kind_hours(hours)[looked$found$kind])
  looked$found <- add_worth(looked$found, summary, rules)
  looked
}

# Findings of queries that are not the site's subject go; their number is given with the reason.
without_ignored <- function(looked, summary, rules) {
  if (!length(rules$ignore)) return(looked)
  reason <- said_of_queries(summary$queries$key, rules$ignore)
  shown <- unique(summary$pairs$query)
  by_reason <- split(shown, reason[shown])
  away <- !is.na(reason[match(looked$found$query, summary$queries$query)])
  looked$found <- looked$found[which(!away)]
  looked$excluded <- c(looked$excluded,
    new_excluded("", "ignored", unname(by_reason), named = names(by_reason)))
  looked
}

# Where another page should answer the query, the work is done there.
add_intended <- function(looked, summary, intended) {
  if (is.null(intended)) return(looked)
  found <- looked$found
  page_at <- intended[match(found$query, summary$queries$query)]
  elsewhere <- which(kind_is(found$kind, "intended") & page_at > 0 &
    summary$pages$page[pmax(page_at, 1L)] != found$page)
  if (!length(elsewhere)) return(looked)
  one_line <- found$line[elsewhere]
  path <- summary$pages$page[page_at[elsewhere]]
  looked$facts <- c(drop_facts(looked$facts, "step", one_line),
    new_facts("step", "answer_on_intended", one_line, query = found$query[elsewhere], path = path,
      other = found$page[elsewhere]),
    new_facts("points_to", "intended_page", one_line, path = path))
  looked
}

# Reasons for setting queries aside that an analyst may know better than the data.
set_aside_reasons <- "topic"

# What the kinds are asked. least: clicks of a task if done, and whether somebody `asked` for it.
finding_options <- function(kind, band, target, fdr, min_gain) {
  kind <- check_kind(kind)
  check_range(band, "band", null = FALSE)
  check_number(fdr, "fdr", min = 0.001, max = 0.5)
  check_number(min_gain, "min_gain", min = 0, null = TRUE)
  list(kind = kind, band = band, target = check_target(target), fdr = fdr,
    asked = !is.null(min_gain),
    # Ideas for pages that are asked for are listed apart from what each would bring at once.
    least = if (!is.null(min_gain)) min_gain else if (identical(kind, "new_page")) 0 else {
      assumed("least_if_done")
    })
}

# Pages (codes) and days on which somebody changed them: what was done, events of a few pages. What
# happens to many at once tells little of any one of them.
known_changes <- function(summary, done, marks) {
  touched <- lapply(marks$pages, touched_pages, keys = summary$pages$key)
  few <- lengths(touched) > 0 & lengths(touched) <= assumed("shift_known_pages")
  marks <- marks[few]
  touched <- touched[few]
  known <- data.table(page = c(match(page_key(as.character(done$page)), summary$pages$key),
    as.integer(unlist(touched))),
    date = as.IDate(c(as.integer(done$at), rep(as.integer(marks$date), lengths(touched)))))
  unique(known[!is.na(known$page)])
}

check_kind <- function(kind) {
  known <- names(finding_kinds())
  if (is.null(kind)) return(known)
  # "low CTR" and "low-ctr" are low_ctr, and what the list calls a kind is the kind.
  plain <- function(text) gsub("[ -]", "_", tolower(trimws(text)))
  named <- match(plain(kind), c(known, plain(kind_label(known))))
  if (anyNA(named)) {
    abort_argument("kind", paste("among", paste(known, collapse = ", ")), kind[is.na(named)])
  }
  known[sort(unique((named - 1L) %% length(known) + 1L))]
}

# Of pages without queries the CTR is judged, and on wish how near they are to a better place.
kind_of_pages <- function(kind) {
  if (is.null(kind)) return("low_ctr")
  kind <- check_kind(kind)
  lacking <- kind[!kind_is(kind, "pages_alone")]
  if (length(lacking)) {
    abort_tide(sprintf("These kinds need queries: %s.",
      paste(kind_label(lacking), collapse = ", ")),
      where = "a table by page",
      fix = "Export by query and page, or ask for low CTR or striking distance alone.",
      class = "grain", argument = "kind")
  }
  kind
}

with_position <- function(segments, position) {
  check_range(position, "position")
  c(if (!is.null(position)) {
    list(tide_segment(sprintf("position %g to %g", position[1], position[2]), position = position))
  },
    as_segments(segments))
}

# Ranked findings as the class has them: facts are about ids, `steps` says whose step a task's lines
# tell.
new_findings <- function(ranked, evidence, assumptions, site_pages = NULL) {
  found <- ranked$found
  site_summary <- evidence$summary
  set(found, j = "page_clicks", value = clicks_of_pages(found$page, site_summary))
  set(found, j = "gain_share", value = share_of(found$gain, site_clicks(site_summary)))
  inner <- c("claims", "finding_key", "task_key")
  columns <- c("rank", "id", setdiff(finding_columns, inner), "gain", "hours", "score", "task",
    "page_clicks", "gain_share", intersect(worth_columns, names(found)))
  ids <- rep(NA_character_, max(0L, found$line, ranked$most))
  ids[found$line] <- found$id
  structure(list(findings = add_facts(found[, columns, with = FALSE], site_summary),
    facts = c(renumber_facts(ranked$facts, ids), count_stakes(ranked$excluded, site_summary)),
    steps = ranked$steps,
    pairs = evidence$pairs, curve = evidence$curve, tested = sum(evidence$pairs$tested),
    features = evidence$effects, summary = site_summary, assumptions = assumptions,
    outside = evidence$outside, site_pages = site_pages),
    class = c("tide_findings", "tide_result"))
}

# What pages earn in 30 days from all their queries.
clicks_of_pages <- function(page, summary) {
  clicks <- sum_codes(summary$pairs$clicks, summary$pairs$page, nrow(summary$pages))
  clicks[chmatch(page, summary$pages$page)] * per_month(summary)
}

# Clicks of the site in 30 days of the recent window: private queries included where the data tell
# them.
site_clicks <- function(summary) {
  of_rows <- sum(summary$pairs$clicks) * per_month(summary)
  site <- summary$site_by_day
  if (is.null(site) || !summary$window$dated) return(of_rows)
  own <- site[site$date >= summary$recent$from & site$date <= summary$recent$to]
  max(of_rows, sum(own$clicks) * 30 / max(1, nrow(own)))
}

# Facts of a finding's query and page, where there are any.
add_facts <- function(found, summary) {
  for (side in c("query", "page")) {
    tbl <- if (side == "query") summary$queries else summary$pages
    columns <- fact_columns(tbl)
    at <- if (length(columns)) chmatch(found[[side]], tbl[[side]])
    for (column in columns) {
      set(found, j = if (column %in% names(found)) paste0(side, "_", column) else column,
        value = tbl[[column]][at])
    }
  }
  found[]
}

check_segments <- function(segment, curve) {
  known <- names(curve$fits)
  if (is.null(segment)) return(setdiff(known, "brand"))
  if (!is.character(segment) || !all(segment %in% known)) {
    abort_argument("segment", paste0("among '", paste(known, collapse = "', '"), "'"), segment)
  }
  segment
}
