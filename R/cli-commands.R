# The commands. Each is a name, what it does, an example, its options, and a function of (options, files) that
# calls the core, shows the result and returns nothing. A new command is one entry here.

cli_commands <- function() {
  shared <- shared_options()
  top <- option("--top", "double", "N", "rows of the table [20]", default = 20)
  figure <- option("--figure", "character", "FILE", "also draw it, as .png or .svg")
  events <- option("--events", "character", "FILE", "what happened when: date, event, pages [of inktide.yml]")
  list(
    demo = list(job = "make the demo project and run everything on it", files = "[DIR]",
      example = "inktide demo my-demo",
      options = list(option("--quiet", "logical", "", "say nothing but results and errors", action = "store_true",
        default = FALSE)), run = run_demo),
    init = list(job = "begin a project: settings guessed from the exports, for you to confirm", files = "[FILE...]",
      example = "inktide init exports/*.csv --project my-site", options = reading_options(), run = run_init),
    load = list(job = "put exports into the project's archive", files = "FILE...",
      example = "inktide load exports/*.csv --project my-site",
      options = c(reading_options(), list(option("--undo", "double", "N", "undo import N instead"),
        option("--history", "logical", "", "show the imports instead", action = "store_true", default = FALSE))),
        run = run_load),
    check = list(job = "what is held, how complete it is, what is wrong with it", files = "",
      example = "inktide check --project my-site",
      options = c(project_options(), list(option("--strict", "logical", "",
        "end with status 1 where there are problems", action = "store_true", default = FALSE))),
      run = run_check),
    enrich = list(job = "keep search volumes, titles, values by query or page", files = "FILE...",
      example = "inktide enrich volumes.csv --project my-site",
      options = c(Filter(function(o) o@long_flag %in% c("--project", "--columns", "--quiet"), shared),
        list(option("--date", "character", "DATE", "day of the facts [the file's]"))),
      run = run_enrich),
    curve = list(job = "fit and show CTR by position", files = "[FILE...]",
      example = "inktide curve export.csv --brand fernmoor",
      options = c(shared, list(option("--until", "double", "N", "last position shown [20]", default = 20),
        option("--by", "character", "WHAT",
          "curves of parts: device, country, vertical, rich_result, month, intent, page_group, words"),
        option("--method", "character", "METHOD", "fitted, or for comparison pivot or power [fitted]",
          default = "fitted"),
        option("--prior", "character", "FILE", "a table of CTR by position that a new site's curve leans on"),
        option("--compare", "logical", "", "how well each method foretells queries it has not seen",
          action = "store_true", default = FALSE),
        option("--diagnose", "logical", "", "does the curve fit, and what is it made of", action = "store_true",
          default = FALSE), figure)), run = run_curve),
    find = list(job = "the ranked list of opportunities", files = "[FILE...]",
      example = "inktide find export.csv --brand fernmoor --top 10",
      options = c(shared, list(top, option("--band", "character", "A:B", "positions in striking distance [4:20]"),
        option("--kind", "character", "NAMES", sprintf("only these kinds: %s",
          paste(names(finding_kinds()), collapse = ", "))),
        option("--min-gain", "double", "N", "least extra clicks per 30 days [0.5]"),
        option("--hours", "double", "N", "what fits into so many hours of work"),
        option("--per-page", "double", "N", "at most so many findings of one page"),
        option("--view", "character", "BY", "list, page, query, folder or topic [list]", default = "list"),
        option("--all", "logical", "", "also what was decided and put away", action = "store_true", default = FALSE),
        figure)),
      formats = c("xlsx", "markdown"), run = run_find),
    decide = list(job = "record what was decided about findings, so that it sticks",
      files = "ID... fix|later|harmless|done",
      example = "inktide decide L-552e4efe13 harmless --note \"answered above\"",
      options = c(shared, list(option("--note", "character", "TEXT", "what to remember"),
        option("--by", "character", "NAME", "who decided"),
        option("--at", "character", "DATE", "day of the decision; of done: when it was mended [today]"),
        option("--until", "character", "DATE", "of later: when it comes back [in 30 days]"),
        option("--sheet", "character", "FILE", "decisions filled into the list as xlsx or csv"),
        option("--list", "logical", "", "show what was decided", action = "store_true", default = FALSE))),
        run = run_decide),
    outcome = list(job = "did what was done work, against queries nobody touched", files = "",
      example = "inktide outcome --project my-site",
      options = c(shared, list(option("--since", "double", "N", "days before and since that are compared [28]",
        default = 28))), run = run_outcome),
    trace = list(job = "one query's pages, one page's queries, a folder's pages, or a finding's arithmetic by its id",
      files = "QUERY-OR-URL-OR-ID [FILE...]", example = "inktide trace \"tomato seeds\" export.csv",
      options = c(shared, list(option("--top", "double", "N", "rows of the table [25]", default = 25), figure, events)),
      run = run_trace),
    follow = list(job = "pages over time: positions, click-through, events, changes, unusual days", files = "[FILE...]",
      example = "inktide follow export.csv --of \"/guides/*\" --events events.csv --brand fernmoor",
      options = c(shared, list(option("--of", "character", "PAGES",
        "addresses or paths, * for all below [the pages with the most clicks]"),
        option("--by", "character", "STEP", "week or day [week]", default = "week"),
        option("--leading", "character", "WHAT", "queries to draw, by impressions, clicks or gain [impressions]",
          default = "impressions"),
        option("--lines", "double", "N", "so many queries of each page [5]", default = 5),
        option("--top", "double", "N", "most pages [6]", default = 6),
        option("--view", "character", "PART", "pages, lines, bands, events, changes or days; all in short as a table",
          default = "pages"), events, figure,
        option("--draw", "character", "WHAT", "positions, click_through or queries [positions]",
          default = "positions"))), run = run_follow),
    compare = list(job = "two windows and why clicks changed, or segments side by side", files = "[FILE...]",
      example = "inktide compare export.csv --days 28 --level page --brand fernmoor",
      options = c(shared, list(option("--after", "character", "A..B",
        "first and last day of the later window [the last 28 days, or --days]"),
        option("--before", "character", "A..B", "the same of the earlier [as many days right before]"),
        option("--year", "logical", "", "before: the same weekdays a year earlier", action = "store_true",
          default = FALSE),
        option("--windows", "character", "N,N", "the last N days against the N before, for several N"),
        option("--level", "character", "WHAT",
          "query, page, folder, topic, pair or site [query]; with --segments line by line"),
        option("--why", "character", "NAME", "only this query, page, folder or topic of the level, in words"),
        option("--top", "double", "N", "rows of the table [20]", default = 20),
        option("--by", "character", "WHAT",
          "brand, intent, page_group, band, words, term, country, device, vertical, rich_result"),
        option("--segments", "character", "A,B",
          "two segments of inktide.yml against each other, or one against the rest"), figure)),
      formats = "xlsx", run = run_compare),
    report = list(job = "one self-contained HTML file", files = "[FILE...]",
      example = "inktide report export.csv --brand fernmoor --out report.html",
      options = c(Filter(function(o) o@long_flag != "--format", shared),
        list(option("--title", "character", "TEXT", "title of the report"), events,
          option("--band", "character", "A:B", "positions in striking distance [4:20]"))), run = run_report)
  )
}

run_curve <- function(options, files) {
  check_number(options$until, "--until", min = 1, max = 100)
  shown <- options$position
  options$position <- NULL
  input <- settle_input(options, files)
  summary <- summarise_input(options, input, split = if (!is.null(options$by) &&
    options$by %in% split_dimensions) options$by)
  if (length(input$pairs)) {
    summary <- tide_narrow(summary, segments = input$pairs, rules = input$settings$rules)
    note(options, utils::tail(left_out_lines(summary$left_out), 1))
  }
  if (options$compare) {
    rivals <- tide_curve_rivals(summary)
    return(emit(options, rivals, rivals_lines(rivals)))
  }
  curve <- tide_curve(summary, by = options$by, method = options$method,
    prior = if (!is.null(options$prior)) read_prior(options$prior), rules = input$settings$rules)
  if (options$diagnose) {
    check <- tide_curve_check(curve, summary)
    if (!is.null(options$figure)) save_figure(ggplot2::autoplot(check), options$figure)
    return(emit(options, check$residuals, wrap_lines(format(check), terminal_width())))
  }
  rows <- curve_table(curve, floor(options$until))
  if (length(input$side) && !"all" %in% input$side) rows <- rows[rows$segment %in% input$side]
  if (!nrow(rows)) {
    abort_call("No such segment.", sprintf("--segment %s", options$segment),
      sprintf("There is: %s.", paste(names(curve$fits), collapse = ", ")))
  }
  if (!is.null(shown)) rows <- rows[rows$position >= shown[1] & rows$position <= shown[2]]
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(curve), options$figure)
  changed <- if (identical(options$by, "month")) tide_curve_change(summary)
  emit(options, rows, curve_lines(curve, rows, changed))
}

run_find <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  check_choice(options$view, c("list", "page", "query", "folder", "topic"), "--view")
  if (options$format == "xlsx" && is.null(options$out)) abort_call("A workbook needs a file.", "--format xlsx",
    "Add --out FILE.xlsx.")
  input <- settle_input(options, files)
  findings <- find_input(options, input)
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(findings), options$figure)
  if (options$format == "xlsx") {
    tide_workbook(findings, options$out)
    return(note(options, sprintf("written: %s", options$out)))
  }
  if (options$view == "list") return(emit(options, findings$findings,
    if (options$format == "markdown") tide_checklist(findings) else findings_lines(findings, options$top,
      terminal_width())))
  groups <- tide_pages(findings, options$view, input$settings$rules)
  emit(options, setDT(as.data.frame(groups)), groups_lines(groups, options$top, terminal_width()))
}

run_trace <- function(options, files) {
  if (!length(files)) abort_call("Nothing to trace.", "inktide trace",
    "Name a query or a page, as in: inktide trace \"tomato seeds\"")
  input <- settle_input(options, files[-1])
  if (grepl("^[A-Z]-[0-9a-f]{10}$", files[1])) {
    explained <- tide_explain(find_input(utils::modifyList(options, list(all = TRUE)), input), files[1])
    return(emit(options, explained$cells, format(explained, width = terminal_width())))
  }
  # An archive is asked for its last days only.
  if (!is.null(input$store) && !chose_window(options)) options$days <- 90
  data <- read_input(options, input)
  note(options, paste(left_out_lines(data$left_out, kept_by_grain(data)), collapse = "\n"))
  traced <- tide_trace(data, files[1], recent_days = if (chose_window(options)) 3660 else 90,
    rules = input$settings$rules, facts = facts_input(options, input))
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(traced,
    events = if (traced$kind != "query") events_input(options, input)), options$figure)
  emit(options, traced$rows, format(traced, n = options$top, width = terminal_width()))
}

run_compare <- function(options, files) {
  if (is.null(options$by) && is.null(options$segments)) return(run_moves(options, files))
  if (!is.null(options$by) && !is.null(options$segments)) {
    abort_call("Two comparisons at once.", "--by and --segments", "Give one of them; or neither, to compare windows.")
  }
  if (!is.null(options$by) && !is.null(options$level)) {
    abort_call("Parts are not compared line by line.", "--by and --level",
      "Name two segments of inktide.yml with --segments, or leave out --level.")
  }
  if (!is.null(options$level)) return(run_sides(options, files))
  if (options$format == "xlsx") abort_call("Segments side by side make no workbook.", "--format xlsx",
    "Use --format csv, or --level to compare them line by line.")
  input <- settle_input(options, files)
  segments <- if (!is.null(options$segments)) named_segments(split_words(options$segments), input$settings,
    "--segments")
  needed <- if (is.null(options$by)) unlist(lapply(segments,
    function(segment) names(segment$conditions))) else options$by
  compared <- tide_compare(read_input(options, input, also = needed), by = options$by, segments = segments,
    rules = input$settings$rules)
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(compared), options$figure)
  emit(options, compared$parts, format(compared, width = terminal_width()))
}

run_report <- function(options, files) {
  input <- settle_input(options, files)
  data <- read_input(options, input, months = TRUE)
  findings <- find_input(options, input, data)
  out <- if (!is.null(options$out)) options$out else if (!length(files)) file.path(input$folder,
    "report.html") else "report.html"
  tide_report(findings, out, title = if (is.null(options$title)) input$title else options$title,
    site = site_walk(options, input, data), moves = site_moves(options, input, data, findings),
    followed = site_followed(options, input, data, findings))
  writeLines(out)
}

run_demo <- function(options, files) {
  dir <- if (length(files)) files[1] else "demo-site"
  if (length(files) > 1) abort_call("Too many folders.", paste(files, collapse = " "),
    "Name one folder, or none for 'demo-site'.")
  if (dir.exists(dir) && length(list.files(dir)) && !file.exists(file.path(dir, "inktide.yml"))) {
    abort_call("The folder holds something else.", sprintf("'%s'.", dir), "Name a new or empty folder.")
  }
  note(options, "Making the demo site: Fernmoor Seeds, 16 months, invented ...")
  site <- tide_demo_site()
  tide_demo_write(site, dir)
  note(options, "Writing the same days once more, as mixed exports of many hands ...")
  tide_demo_mixed(site, file.path(dir, "mixed-exports"))
  options <- list(format = "csv", quiet = options$quiet, project = dir)
  note(options, "Fitting the curve, looking for opportunities ...")
  input <- settle_input(options, character())
  data <- read_input(options, input)
  findings <- find_input(options, input, data)
  files <- file.path(dir, c(report = "report.html", list = "findings.csv", curve = "figures/curve.png",
    map = "figures/map.png"))
  dir.create(file.path(dir, "figures"), showWarnings = FALSE)
  save_figure(ggplot2::autoplot(findings$curve), files[3])
  save_figure(ggplot2::autoplot(findings), files[4])
  tide_report(findings, files[1], title = "Fernmoor Seeds", site = site_walk(options, input, data),
    moves = site_moves(options, input, data, findings), followed = site_followed(options, input, data, findings))
  emit(utils::modifyList(options, list(out = files[2], quiet = TRUE)), findings$findings, NULL)
  writeLines(c("", findings_lines(findings, 5, terminal_width()), "",
    paste0(c("report:       ", "ranked list:  ", "curve figure: ", "map figure:   "), files),
    sprintf("to try out:   inktide load %s --project %s", file.path(dir, "mixed-exports"),
      file.path(dir, "archive-of-mixed"))))
}
