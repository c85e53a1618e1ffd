#' What the archive holds, and what is wrong with it
#'
#' Per table its rows and window; the share of clicks and impressions that the rows with queries
#' explain, by month, against totals without queries; and problems, each with its consequence and
#' what to do: days missing inside the window, days far from their neighbours, days exported before
#' they were finished and not since, days whose figures
#' were revised by much, sudden changes of the number of rows, tables that look cut, damaged
#' parts, no totals to measure against; and, as remarks, addresses in several spellings and
#' spellings of the brand that the brand words miss.
#'
#' @param store A `tide_store` object, or a [tide_source()].
#' @param brand Brand words; with them, spellings of the brand that they miss are looked for.
#' @param rules A [tide_rules()] object; with `intended` pages, those that do not rank or are
#'   outranked in the last 90 days are remarked on, see [tide_intended()].
#' @return A `tide_check` object: a list with `held` (`grain`, `rows`, `days`, `from`, `to`,
#'   `clicks`, `impressions`), `coverage` (`month`, `clicks`, `impressions` as shares, or `NULL`),
#'   `kept` (answers kept beside the archive, so that the same is not worked out twice: `answers`,
#'   their `bytes`, files among them that are `unreadable`; deleting them loses nothing; `NULL` of a
#'   source) and `problems` (`problem`, `grain`, `where`, `consequence`, `fix`, `weight`: `problem`
#'   or `remark`).
#' @details A day is far from its neighbours when its clicks differ from the median of the seven
#'   days before and after by more than six robust standard deviations (1.4826 times the median
#'   absolute deviation) and by more than half. The number of rows changes suddenly where the
#'   median of the fourteen days from a day on is more than one and a half times (or less than
#'   two thirds of) that of the fourteen days before, and clicks did not change alike.
#' @references Rousseeuw, Croux (1993), Journal of the American Statistical Association 88,
#'   1273-1283.
#' @examplesIf requireNamespace("nanoparquet", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' tide_load(store, tide_example()[c("pairs", "totals")])
#' tide_check(store)
#' @export
tide_check <- function(store, brand = NULL, rules = tide_rules()) {
  check_class(rules, "tide_rules", "rules")
  account <- if (inherits(store, "tide_source")) source_account(store) else store_account(store)
  days <- account$days
  if (!nrow(days)) {
    return(structure(list(held = days, coverage = NULL, problems = no_problems()),
      class = c("tide_check", "tide_result")))
  }
  site_summary <- days[, .(rows = sum(rows), days = .N, from = min(day), to = max(day),
    clicks = sum(clicks), impressions = sum(impressions)),
    by = "grain"]
  dated <- split(days[days$day > 0], by = "grain")
  problems <- rbindlist(c(
    list(no_problems()),
    lapply(dated, missing_days),
    unusual_days(dated),
    list(never_finished(days, account$all)),
    lapply(split(account$all[account$all$day > 0], by = "grain"), revised_days),
    lapply(dated, row_changes),
    list(capped_tables(days), damaged_parts(store, account$parts, account$current),
      missing_totals(site_summary), spelling_problems(page_spellings(store)),
      if (length(brand)) missed_spellings(store, brand), intended_problems(store, rules))))
  structure(list(held = site_summary, coverage = monthly_coverage(days), problems = problems,
    kept = if (inherits(store, "tide_store")) kept_state(store)),
    class = c("tide_check", "tide_result"))
}

# What is known of an archive by day: list(days: those that count, all: of every import, parts,
# current: which import a day is taken from).
store_account <- function(store) {
  check_class(store, "tide_store", "store")
  with_store(store, write = FALSE,
    function(con) list(
      days = setDT(DBI::dbGetQuery(con, paste(
        "SELECT c.import, c.grain, c.day, c.exported, c.rows, c.clicks, c.impressions, i.stated",
        "FROM current c JOIN imports i ON i.id = c.import ORDER BY c.grain, c.day"))),
      all = setDT(DBI::dbGetQuery(con, paste(
        "SELECT d.import, d.grain, d.day, d.rows, d.clicks FROM days d JOIN",
        "imports i ON i.id = d.import WHERE i.undone = 0"))),
      parts = setDT(DBI::dbGetQuery(con, "SELECT p.file, p.import, p.grain, p.month,
        p.checksum FROM parts p JOIN imports i ON i.id = p.import
        WHERE i.undone = 0")),
      current = setDT(DBI::dbGetQuery(con, "SELECT import, grain, day FROM current"))))
}

# A database has its days once, and no parts.
source_account <- function(source) {
  days <- source_days(source)
  list(days = days, all = days, current = days)
}

no_problems <- function() {
  data.table(problem = character(), grain = character(), where = character(),
    consequence = character(), fix = character(), weight = character())
}

# weight: a "problem" falsifies figures; a "remark" is worth knowing.
a_problem <- function(problem, grain, where, consequence, fix, weight = "problem") {
  data.table(problem = problem, grain = grain, where = where, consequence = consequence, fix = fix,
    weight = weight)
}

# "2026-03-01 to 2026-03-04, 2026-03-09"
day_runs <- function(days) {
  days <- sort(unique(days))
  starts <- days[c(TRUE, diff(days) > 1)]
  ends <- days[c(diff(days) > 1, TRUE)]
  runs <-
    ifelse(starts == ends, format(as.IDate(starts)), format_days(as.IDate(starts), as.IDate(ends)))
  if (length(runs) > 4) runs <- c(runs[1:4], sprintf("and %d more", length(runs) - 4L))
  paste(runs, collapse = ", ")
}

missing_days <- function(days) {
  # Dates that are weeks or months are not days with gaps.
  if (days_each(as.IDate(sort(unique(days$day)))) > 1) return(NULL)
  gone <- setdiff(seq(min(days$day), max(days$day)), days$day)
  if (!length(gone)) return(NULL)
  a_problem("days missing", days$grain[1], day_runs(gone),
    "Trends and gains per 30 days count them as if nothing happened.",
    "Export these days and load them.")
}

# A day that is far off in several tables is named once.
unusual_days <- function(dated) {
  named <- NULL
  lapply(dated, function(days) {
    if (nrow(days) < 21) return(NULL)
    odd <- unusual_runs(
      data.table(date = as.IDate(days$day), clicks = days$clicks, impressions = days$impressions),
      1L)
    odd <- odd[odd$what != "no rows" & !paste(odd$from, odd$what) %in% named]
    if (!nrow(odd)) return(NULL)
    named <<- c(named, paste(odd$from, odd$what))
    a_problem("days far from their neighbours", days$grain[1],
      paste(unusual_run_lines(utils::head(odd, 3)), collapse = "; "),
      "Comparisons and trends leave these days out; totals and the list hold them.",
      "Look at these days; leave them out of everything if they are faults.")
  })
}

# Days that were unfinished when they were exported and were never exported again.
never_finished <- function(days, all, lag = 3L) {
  dated <- days[days$day > 0]
  if (!nrow(dated)) return(NULL)
  ends <- tapply(all$day[all$day > 0], all$import[all$day > 0], range)
  own <- split(dated, dated$import)
  problems <- vapply(own, function(of) {
    days <- ends[[as.character(of$import[1])]]
    as.integer(export_day(max(of$exported), of$stated[1], days[1], days[2]))
  }, 0L)
  is_open <- dated$day >= problems[as.character(dated$import)] - lag &
    dated$day < as.integer(stored_export_day(days)) - lag
  rbindlist(lapply(split(dated, by = "grain"), function(of) {
    at <- which(of$day %in% dated$day[is_open & dated$grain == of$grain[1]])
    if (!length(at) || days_each(as.IDate(sort(of$day))) > 1) return(NULL)
    usual <- if (nrow(of) >= 21) usual_counts(of$clicks, of$day %% 7L, 29L)[at]
    share <- sum(of$clicks[at]) / sum(usual)
    a_problem("days exported before they were finished", of$grain[1],
      paste0(day_runs(of$day[at]), if (is.null(usual)) {
        ""
      } else {
        sprintf(" (%s of the usual clicks)", format_share(share))
      }),
      "They are kept, and their clicks may be too low.", "Export these days again and load them.",
      if (is.null(usual) || share > 0.9) "remark" else "problem")
  }))
}

# The day from which on the number of rows is another, where clicks do not follow.
row_changes <- function(days) {
  n <- nrow(days)
  if (n < 42) return(NULL)
  middle <- function(x, at) stats::median(x[at])
  at <- 15:(n - 13)
  change <- vapply(at,
    function(i) log(middle(days$rows, i:(i + 13)) / middle(days$rows, (i - 14):(i - 1))), 0)
  clicks <- vapply(at, function(i) log(
    (middle(days$clicks, i:(i + 13)) + 1) / (middle(days$clicks, (i - 14):(i - 1)) + 1)),
    0)
  sudden <- abs(change) > log(1.5) & abs(change - clicks) > log(1.3)
  if (!any(sudden)) return(NULL)
  # The change shows on days before and after it alike: it lies in the middle.
  run <- cumsum(c(TRUE, diff(at[sudden]) > 1))
  middles <- round(tapply(at[sudden], run, stats::median))
  a_problem("sudden change of the number of rows", days$grain[1],
    paste("about", day_runs(days$day[middles])),
    "An export with another cap or filter would pass for a change of the site.",
    "Compare the exports before and after that day; the history of imports tells which.")
}

revised_days <- function(all) {
  change <- all[, .(old = clicks[which.min(import)], new = clicks[which.max(import)], times = .N),
    by = "day"]
  much <- change$times > 1 & abs(change$new - change$old) > 0.2 * pmax(change$old, 10)
  if (!any(much)) return(NULL)
  a_problem("days revised by more than a fifth", all$grain[1], day_runs(change$day[much]),
    "Either these days were unfinished before, or one of the exports is partial.",
    "See the history of imports; undo one that is partial.")
}

capped_tables <- function(days) {
  whole <- days[days$day == 0 & days$rows %in% round_caps]
  if (!nrow(whole)) return(NULL)
  rbindlist(lapply(seq_len(nrow(whole)), function(i) a_problem("table looks cut at a row cap",
    whole$grain[i], sprintf("%s rows", format_count(whole$rows[i])),
    "Rows with few clicks are missing, so CTR reads too high.",
    "Export by page, or in shorter windows.")))
}

damaged_parts <- function(store, parts, current) {
  if (is.null(parts)) return(NULL)
  bad <- !part_whole(store, parts)
  if (!any(bad)) return(NULL)
  counts <- paste(parts$import, parts$grain, parts$month) %in%
    paste(current$import, current$grain, month_start(current$day))
  a_problem("damaged part", parts$grain[bad], parts$file[bad],
    ifelse(counts[bad], "Its rows are left out of every result.",
      "None: a newer export holds all of its days."),
    "Load its export again: the part is then written anew.",
    ifelse(counts[bad], "problem", "remark"))
}

missing_totals <- function(held) {
  with_query <- grepl("query", held$grain)
  totals <- grepl("date", held$grain) & !grepl("query|page", held$grain)
  if (!any(with_query) || any(totals)) {
    return(NULL)
  }
  a_problem("no totals without queries", "", "",
    "How many clicks are hidden with private queries is not known.",
    "Export totals by date, without queries, and load them.")
}

# Share of the totals by date that the finest dated table with queries explains, by month.
monthly_coverage <- function(days) {
  grains <- unique(days$grain)
  fine <- grains[grepl("date", grains) & grepl("query", grains)]
  if (!length(fine) || !"date" %in% grains) return(NULL)
  fine <- fine[which.max(nchar(fine))]
  both <- merge(days[days$grain == fine], days[days$grain == "date"], by = "day",
    suffixes = c("", "_site"))
  if (!nrow(both)) return(NULL)
  both[, .(clicks = sum(clicks) / sum(clicks_site),
    impressions = sum(impressions) / sum(impressions_site)),
    by = .(month = format(as.Date(as.IDate(day)), "%Y-%m"))]
}

#' @rdname tide_check
#' @param x,object A `tide_check` object.
#' @param ... Not used.
#' @export
tidy.tide_check <- function(x, ...) tibble::as_tibble(x$problems)

#' @rdname tide_check
#' @export
summary.tide_check <- function(object, ...) tibble::as_tibble(object$held)

#' @export
format.tide_check <- function(x, details = TRUE, ...) {
  if (!nrow(x$held)) return("The archive is empty.")
  span <- ifelse(x$held$from > 0, sprintf("%s, %s",
    format_days(as.IDate(x$held$from), as.IDate(x$held$to)), format_plural(x$held$days, "day")),
    "no dates")
  c(
    "Stored",
    sprintf("  %s: %s (%s); %s clicks, %s impressions", x$held$grain,
      format_plural(x$held$rows, "row"), span, format_count(x$held$clicks),
      format_count(x$held$impressions)),
    if (!is.null(x$coverage)) {
      c(
        "",
        sprintf("queries explain %s of clicks and %s of impressions by month; the rest is private",
          range_words(x$coverage$clicks), range_words(x$coverage$impressions)),
        if (details) {
          c("  month    clicks  impressions",
            sprintf("  %s  %6s  %11s", x$coverage$month, format_share(x$coverage$clicks),
              format_share(x$coverage$impressions)))
        })
    },
    if (!is.null(x$kept) && (details || x$kept$unreadable)) c("", kept_line(x$kept)),
    "",
    problem_lines("Problems", x$problems[x$problems$weight == "problem"], details),
    if (!any(x$problems$weight == "problem")) "No problems found.",
    problem_lines(c("", "Remarks"), x$problems[x$problems$weight == "remark"], details))
}

# "Kept answers: 14 (19.5 MB), 1 file that cannot be read; deleting them loses nothing."
kept_line <- function(kept) {
  sprintf("Kept answers: %s (%s)%s; deleting them loses nothing.", format_count(kept$answers),
    paste(format_size(kept$bytes), "MB"), if (kept$unreadable) {
      sprintf(", %s that cannot be read", format_plural(kept$unreadable, "file"))
    } else {
      ""
    })
}

# "94% to 97%"
range_words <- function(shares) {
  ends <- unique(format_share(range(shares, na.rm = TRUE)))
  paste(ends, collapse = " to ")
}

# details: what follows from each, too.
problem_lines <- function(head, problems, details) {
  if (!nrow(problems)) return(NULL)
  c(head, unlist(lapply(seq_len(nrow(problems)), function(i) {
    p <- problems[i]
    c(
      sprintf("  %s%s%s", p$problem, if (nzchar(p$grain)) paste0(" in ", p$grain) else "",
        if (nzchar(p$where)) paste0(": ", p$where) else ""),
      if (details) sprintf("    so:   %s", p$consequence),
      sprintf("    fix:  %s", p$fix))
  })))
}
