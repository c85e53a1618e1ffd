# What every command does first: settle the input, read, filter, reduce. Notes go to standard error.

cli_note <- function(options, ...) {
  if (!isTRUE(options$quiet)) {
    cli_err(wrap_lines(unlist(strsplit(paste0(...), "\n", fixed = TRUE)), terminal_width()))
  }
}

# Work that may take seconds is announced, but only to a person at a terminal.
progress_to_terminal <- function(options) {
  if (is.function(options$progress)) return(options$progress)
  if (isTRUE(options$quiet) || !isatty(stderr())) return(NULL)
  # One line that the answer takes the place of, where a terminal can do that.
  if (Sys.getenv("TERM") %in% c("", "dumb")) return(function(text) cli_err(paste0(text, " ...")))
  function(text) {
    progress_line$shown <- TRUE
    cat("\r\033[K", substr(visible_text(text), 1, terminal_width() - 5L), " ...",
      file = stderr(), sep = "")
  }
}

progress_line <- new.env(parent = emptyenv())

clear_progress <- function() {
  if (isTRUE(progress_line$shown)) cat("\r\033[K", file = stderr())
  progress_line$shown <- FALSE
}

# Out: list(files, store, archive, source, settings, title, folder, pages: of the site, where
# stored): from named files, from a database, from the project's archive, or from the exports that
# its settings name where nothing was loaded yet. Options go before settings. guess: whether files
# of no project may tell their brand themselves.
resolve_input <- function(options, files, guess = TRUE) {
  folder <- if (!is.null(options$project)) {
    options$project
  } else if (!length(files)) {
    find_project(".")
  }
  if (is.null(folder) && !length(files)) {
    abort_call("No data to work on.", "No file is named, and no folder upwards holds inktide.yml.",
      "Name CSV files, or a project with --project DIR. To try it out: inktide demo")
  }
  settings <- if (!is.null(folder)) tide_settings(folder) else list(rules = tide_rules())
  no_brand <- identical(tolower(options$brand), "none")
  if (!is.null(options$brand)) {
    settings$rules["brand"] <- list(if (!no_brand) options$brand)
  } else if (guess && is.null(folder)) {
    settings$rules["brand"] <- list(guessed_brand(options, files, settings))
  }
  if (isTRUE(options$brand_exact) && length(settings$rules$brand)) {
    settings$rules$brand <- I(settings$rules$brand)
  }
  use_words(if (length(settings$words)) tide_words(named_files(settings, "words")))
  archive <- if (!length(files) && has_archive(folder)) tide_store(folder)
  decisions <- if (!is.null(archive)) stored_decisions(archive)
  # A source that is named goes before the archive's rows; facts and pages stay.
  store <- if (is.null(options$source)) archive
  # An archive may hold decisions and no rows yet.
  if (!is.null(store) && !nrow(import_history(store))) store <- NULL
  origin <- chosen_source(options, settings, files, store)
  if (!length(files) && is.null(store) && is.null(origin)) {
    files <- named_files(settings, "exports")
  }
  if (!length(files) && is.null(store) && is.null(origin)) {
    abort_tide("The project holds no data yet.",
      where = sprintf("'%s' has no archive and names no exports.", folder),
      fix = "Load some: inktide load FILE... --project DIR", class = "settings")
  }
  if (!is.null(store) || !is.null(origin)) {
    refuse_given(options, file_flags, "These options say how a file is read.", paste("Leave them",
      "out: what is stored was read when it was loaded. Or name the files."))
  }
  check_names_of(options$intent, c(names(settings$rules$intent), "other"), "--intent")
  groups <- names(settings$rules$page_groups)
  if (length(groups)) check_names_of(options$page_group, c(groups, "other"), "--page-group")
  site <- if (is.null(settings$site)) {
    ""
  } else {
    sub("/$", "", sub("^https?://(www\\.)?", "", settings$site))
  }
  input <- list(files = files, store = store, archive = archive, source = origin,
    settings = settings, decisions = decisions, folder = folder,
    title = if (nzchar(site)) site else "Search performance",
    pages = if (!is.null(archive)) stored_site_pages(archive))
  c(input, chosen_segments(options, settings))
}

# The folder of the project that a call is about: named, or the nearest upwards; NULL for none.
project_folder <- function(options) {
  if (!is.null(options$project)) options$project else find_project(".")
}

needed_project <- function(options) {
  folder <- project_folder(options)
  if (is.null(folder)) {
    abort_call("No project.", "No folder upwards holds inktide.yml.",
      "Name one with --project DIR; 'inktide init' begins one.")
  }
  folder
}

# Names of lists are checked before anything is read.
check_names_of <- function(given, known, flag) {
  unknown <- setdiff(tolower(given), tolower(known))
  if (length(unknown)) {
    abort_call(sprintf("Unknown name '%s'.", unknown[1]), flag,
      sprintf("Did you mean '%s'? Known: %s.", nearest_name(unknown[1], known),
        paste(known, collapse = ", ")))
  }
}

reading_rules <- function(options, settings) {
  # Names of facts are about tables of facts.
  own <- options$columns[!names(options$columns) %in% names(fact_spellings)]
  list(columns = first_given(if (length(own)) own, settings$columns),
    date_order = first_given(options$date_order, settings$date_order),
    decimal = first_given(options$decimal, settings$decimal),
    clicks_above = first_given(options$clicks_above, settings$clicks_above, "leave out"),
    repeats = first_given(options$repeats, settings$repeats, "ask"))
}

# Only the dimensions a run needs are read: skipping a column is the cheapest filter. Who searched
# tells what is expected.
needed_dimensions <- function(input, also = character()) {
  asked <- names(all_conditions(input$rows))
  c("date", "query", "page", part_dimensions, intersect("rich_result", c(asked, also)))
}

chosen_lag <- function(options, input) first_given(options$lag, input$settings$windows$lag, 3)

# What is to be worked on, read, and filtered by all segments. months: whether an archive may be
# gone through month by month, and a large file block by block, which leaves segments on pairs to
# the summary; else what is left of it is held.
read_input <- function(options, input, months = FALSE, also = character()) {
  threads <- use_threads(0)
  on.exit(use_threads(threads))
  span <- options[c("from", "to", "days")]
  dimensions <- needed_dimensions(input, also)
  segments <- c(input$rows, if (!months) waiting_segments(input))
  rows_from <- first_given(input$source, input$store)
  if (!is.null(rows_from)) {
    if (!is.null(span$days) && !"--days" %in% options$given) {
      span["days"] <- list(days_unless_undated(rows_from, span$days))
    }
    input_data <- tide_stored(rows_from, by_month = months, from = span$from, to = span$to,
      days = span$days, lag = chosen_lag(options, input), dimensions = dimensions,
      exported = options$exported)
    return(tide_filter(input_data, segments = segments, rules = input$settings$rules,
      without = days_out(options$without, input_data)))
  }
  input_data <- do.call(tide_read, c(list(input$files, lag = chosen_lag(options, input),
    exported = options$exported, dimensions = dimensions, progress = progress_to_terminal(options),
    by_block = TRUE),
    reading_rules(options, input$settings)))
  input_data <- tide_filter(input_data, from = span$from, to = span$to, days = span$days,
    segments = segments, rules = input$settings$rules,
    without = days_out(options$without, input_data))
  if (months) input_data else held_data(input_data)
}

# Days of --without: named, or found.
days_out <- function(text, data) {
  if (is.null(text)) return(NULL)
  if (text == "unusual") return(tide_unusual(data))
  unlist(lapply(split_words(text), function(one) {
    if (grepl("..", one, fixed = TRUE)) {
      ends <- as.Date(parse_window(one, "--without"))
      return(format(seq(ends[1], ends[2], by = "day")))
    }
    if (is.na(as.Date(one, optional = TRUE))) {
      abort_call("Not a day.", sprintf("--without %s", text),
        "Write it as --without 2026-03-01,2026-04-05..2026-04-07, or --without unusual.")
    }
    one
  }))
}

# Whether rows come from an archive or a database, which give the days that are asked for alone.
is_stored <- function(input) !is.null(first_given(input$source, input$store))

# Dated marks: of the call, else of the project; NULL where there are none.
events_input <- function(options, input) {
  path <- chosen_files(options, input, "events")
  if (!is.null(path)) tide_events(path)
}

# Files of the call, else of the setting of the same name; NULL for none.
chosen_files <- function(options, input, name) {
  if (!is.null(options[[name]])) return(options[[name]])
  if (length(input$settings[[name]])) named_files(input$settings, name)
}

# Results pages that somebody looked at: of the call, else of the project.
results_pages_input <- function(options, input) {
  files <- chosen_files(options, input, "results_pages")
  if (!is.null(files)) tide_results_pages(files)
}

chose_window <- function(options) {
  !is.null(options$from) || !is.null(options$to) || !is.null(options$days) ||
    isTRUE(options$every_day)
}

summarise_input <- function(options, input,
    data = read_input(options, input, months = TRUE, also = split), split = NULL,
    hint = TRUE) {
  brand <- input$settings$rules$brand
  site_summary <- input_summary(options, input, data, split)
  remark_summary(options, site_summary)
  facts <- facts_input(options, input)
  if (length(facts)) {
    site_summary <- tide_enrich(site_summary, facts, goals = input$settings$goals)
    remark(options, fact_lines(site_summary$facts), weight = 1)
  }
  if (is.null(brand) && hint && !identical(tolower(options$brand), "none")) {
    guess <- likely_brand(site_summary)
    named <- if (!is.null(guess)) {
      sprintf(" (perhaps \"%s\": %s)", guess$word, format_plural(guess$clicks, "click"))
    }
    remark(options, weight = 3, paste0("  no brand words, so brand queries count with the others: ",
      "--brand WORDS", named))
  }
  site_summary
}

# The summary of what is worked on, before facts are added. data: as read_input() gives it.
input_summary <- function(options, input, data, split = NULL) {
  answer_once(options, input, "summary", but = of_the_summary, also = split, decided = NULL,
    make = function(options) {
      # Read before it is announced that it is reduced.
      force(data)
      progress <- progress_to_terminal(options)
      if (!is.null(progress)) progress("Reducing")
      windows <- input$settings$windows
      sum_up(data, input,
        recent_days = if (chose_window(options)) Inf else {
          first_given(windows$recent_days, usual_days)
        },
        undated_days = first_given(windows$undated_days, usual_days), split = split)
    })
}

# The sums of rows, with the brand and the moves that the project knows of.
sum_up <- function(data, input, ...) {
  tide_summary(data, brand = input$settings$rules$brand,
    moves = list(input$settings$moves, input$pages), ...)
}

# What a summary rests on and leaves out.
remark_summary <- function(options, site_summary) {
  remark_rests_on(options, coverage_line(site_summary))
  if (site_summary$of_pages) {
    remark(options, character(),
      "no queries: each page is judged by all of its queries together, at their mean position", 4.5)
  }
  lines <- format(site_summary)
  brand_line <- startsWith(lines, "  also counted as brand")
  lines[brand_line] <- paste0(lines[brand_line], "; --brand-exact to count only what was named")
  remark(options, setdiff(lines, left_out_lines(site_summary$left_out, summary_kept(site_summary))),
    character())
  remark_left_out(options, site_summary$left_out, summary_kept(site_summary))
  worth_saying <- list(missing_lines(site_summary$missing), capped_lines(site_summary$sources),
    moved_line(site_summary), left_out_day_lines(site_summary$odd_days), lines[brand_line])
  for (i in seq_along(worth_saying)) {
    remark(options, character(), trimws(unlist(worth_saying[i])), c(5, 4, 2, 1.5, 1)[i])
  }
}

# Facts of the archive, of the settings, of the call.
facts_input <- function(options, input) {
  Filter(Negate(is.null), c(
    list(page_facts(input$pages)),
    if (!is.null(input$archive)) tide_facts(input$archive),
    if (is.null(input$archive) && length(input$settings$enrichments)) {
      tide_facts(named_files(input$settings, "enrichments"))
    },
    if (!is.null(options$facts)) {
      tide_facts(options$facts, columns = options$columns[names(options$columns) %in%
        c(names(fact_spellings), "query", "page")])
    }))
}

find_input <- function(options, input, data = read_input(options, input, months = TRUE)) {
  findings <- answer_once(options, input, "list",
    function(options) new_list(options, input, data), of_the_list,
    decided = list(done_pages(input), known_outcomes(input)))
  findings <- leave_decided_input(options, input, findings)
  tide_choose(findings, budget = options$hours, per_page = options$per_page,
    sort = first_given(options$sort, "score"))
}

# What was decided, applied to the list: with all shown only the analyst's own figures count.
leave_decided_input <- function(options, input, findings) {
  decisions <- input$decisions
  if (!NROW(decisions)) return(findings)
  findings <- with_estimates(findings, decisions)
  if (isTRUE(options$all)) return(findings)
  findings <- leave_decided(findings, decisions, Sys.Date())
  if (NROW(findings$decided)) {
    remark(options, sprintf("  decided and not shown: %s (--all shows them)",
      format_plural(length(unique(findings$decided$task)), "task")), weight = 2.2)
  }
  findings
}

# Pages that were changed, by decisions that are done.
done_pages <- function(input) {
  input$decisions[input$decisions$decision == "done", c("page", "at")]
}

known_outcomes <- function(input) {
  if (NROW(input$decisions)) kept_outcomes(tide_store(input$folder))
}

# The list as it stands before anybody chooses from it.
new_list <- function(options, input, data) {
  site_summary <- summarise_input(options, input, data)
  curve <- tide_curve(site_summary)
  side <- if ("all" %in% input$side) names(curve$fits) else if (length(input$side)) input$side
  thresholds <- input$settings$thresholds
  findings <- tide_find(site_summary, curve,
    band = first_given(options$band, thresholds$striking_distance, c(4, 20)),
    target = first_given(options$target, thresholds$target, "next"),
    fdr = first_given(options$fdr, thresholds$fdr, 0.1),
    min_gain = first_given(options$min_gain, thresholds$min_gain),
    min_impressions = first_given(thresholds$min_impressions, 1), segment = side,
    segments = input$pairs, rules = input$settings$rules, kind = options$kind,
    hours = input$settings$hours, assumptions = input$settings$assumptions,
    changed = done_pages(input), outcomes = known_outcomes(input),
    events = events_input(options, input), results_pages = results_pages_input(options, input),
    pages = input$pages, include = options$include)
  if (NROW(findings$features)) {
    remark(options, feature_lines(findings$features), weight = 1)
  }
  if (!is.null(findings$outside)) {
    remark(options, outside_line_text(findings$outside), weight = 2.5)
  }
  findings
}

# Of the list of a month: hours here are those of a plan, and all of the list is meant.
month_findings <- function(options, input) find_input(replace(options, "hours", list(NULL)), input)

# For parts of the report that need rows: what was gone through by months or blocks gives its last
# days.
last_rows <- function(options, input, data, days, also = character()) {
  if (inherits(data, "tide_blocks")) {
    return(held_data(tide_filter(data, days = if (!chose_window(options)) days)))
  }
  if (!inherits(data, "tide_months")) return(data)
  if (!chose_window(options)) options$days <- days
  read_input(options, input, also = also)
}

# Days of the table by date, query and page; 0 where there is none.
dated_days <- function(data) {
  tbl <- pick_table(data, c("date", "query", "page"))
  if (is.null(tbl) || is.na(tbl$days)) 0 else tbl$days
}

# The whole site, for the report.
site_walk <- function(input, recent) {
  if (!is.null(pick_table(recent, c("query", "page")))) {
    tide_trace(recent, "/*", rules = input$settings$rules)
  }
}

outside_line_text <- function(outside) {
  sprintf("  the filter leaves out %s of clicks and %s of impressions (%s)",
    format_share(outside$clicks), format_share(outside$impressions), outside$reason)
}

# As many processes as there are processors until the caller returns; one beside a connection to a
# database, which two cannot share.
local_forks <- function(input, frame = parent.frame()) {
  old <- options(mc.cores = if (is.null(input$source)) parallel::detectCores() else 1L)
  do.call(on.exit, list(substitute(options(old), list(old = old)), add = TRUE), envir = frame)
}
