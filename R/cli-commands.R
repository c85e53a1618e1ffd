# The commands. Each is a name, what it does, an example, its options, and a function of (options,
# files) that calls the core, shows the result and returns nothing; `arguments` says which option an
# argument of the core comes from, where it is not the one of its name. A new command is one entry
# here.

cli_commands <- function() {
  shared <- shared_options()
  top <- number_option("--top", "N", "rows of the table [20]", 20)
  figure <- text_option("--figure", "FILE", "also draw it, as .png or .svg")
  events <- text_option("--events", "FILE",
    "what happened when: date, event, pages [of inktide.yml]")
  band <- text_option("--band", "A:B", "positions in striking distance [4:20]")
  target <- text_option("--target", "STEP",
    "where a step leads: next, a position, or places such as +3 [next]")
  list(
    demo = list(
      job = "make the demo project and run everything on it", files = "[DIR]",
        example = "inktide demo my-demo",
      options = options_named(shared, "--quiet"),
      run = run_demo),
    init = list(
      job = "begin a project: settings guessed from the exports, for you to confirm",
        files = "[FILE...]",
      example = "inktide init exports/*.csv --project my-site",
      options = reading_options(shared),
      run = run_init),
    load = list(
      job = "put exports into the project's archive", files = "FILE...",
      example = "inktide load exports/*.csv --project my-site",
      options = c(reading_options(shared), list(
        number_option("--undo", "N", "undo import N instead"),
        switch_option("--history", "show the imports instead"))),
      run = run_load),
    check = list(
      job = "what is held, how complete it is, what is wrong with it", files = "",
      example = "inktide check --project my-site",
      options = c(options_named(shared, c("--project", "--format", "--out", "--quiet")), list(
        switch_option("--strict", "end with status 1 where there are problems"),
        switch_option("--rebuild", "first make the archive's index anew from its parts"))),
      run = run_check),
    enrich = list(
      job = "keep search volumes, titles, values by query or page", files = "FILE...",
      example = "inktide enrich volumes.csv --project my-site",
      options = c(options_named(shared, c("--project", "--columns", "--quiet")), list(
        text_option("--date", "DATE", "day of the facts [the file's]"))),
      run = run_enrich),
    curve = list(
      job = "fit and show CTR by position", files = "[FILE...]",
        example = "inktide curve export.csv --brand fernmoor",
      options = c(shared, list(
        number_option("--until", "N", "last position shown [20]", 20),
        text_option("--by", "WHAT",
          "curves of parts: device, country, vertical, rich_result, month, intent, page_group, words"),
        text_option("--method", "METHOD", "fitted, or for comparison pivot or power [fitted]",
        "fitted"),
        text_option("--prior", "FILE",
        "a table of CTR by position that a new site's curve leans on"),
        switch_option("--compare", "how well each method foretells queries it has not seen"),
        switch_option("--diagnose", "does the curve fit, and what is it made of"),
        figure)),
      run = run_curve),
    find = list(
      job = "the ranked list of opportunities", files = "[FILE...]",
      example = "inktide find export.csv --brand fernmoor --top 10",
      options = c(shared, list(
        top, band, target,
        text_option("--kind", "NAMES", sprintf("only these kinds: %s",
        paste(names(finding_kinds()), collapse = ", "))),
        number_option("--min-gain", "N",
        "least extra clicks per 30 days of a line [half a click of a piece of work]"),
        number_option("--fdr", "SHARE", "share of low-CTR lines that may be false [0.1]"),
        number_option("--hours", "N", "what fits into so many hours of work"),
        number_option("--per-page", "N", "at most so many findings of one page"),
        text_option("--view", "BY", "list, page, query, folder or topic [list]", "list"),
        switch_option("--page-view", "the same as --view page"),
        switch_option("--all", "also what was decided and put away"),
        figure)),
      formats = c("xlsx", "markdown"),
      run = run_find),
    decide = list(
      job = "record what was decided about findings, so that it sticks",
        files = "ID... fix|later|harmless|done",
      example = "inktide decide L-552e4efe13 harmless --note \"answered above\"",
      options = c(shared, list(
        text_option("--note", "TEXT", "what to remember"),
        text_option("--by", "NAME", "who decided"),
        text_option("--at", "DATE", "day of the decision; of done: when it was [today]"),
        text_option("--until", "DATE", "of later: when it comes back [in 30 days]"),
        text_option("--sheet", "FILE", "decisions filled into the list as xlsx or csv"),
        switch_option("--list", "show what was decided"))),
      run = run_decide),
    outcome = list(
      job = "did what was done work, against queries nobody touched", files = "",
      example = "inktide outcome --project my-site",
      options = c(shared, list(
        number_option("--since", "N", "days before and since that are compared [28]", 28))),
      arguments = c(days = "--since"),
      run = run_outcome),
    trace = list(
      job = "one query's pages, one page's queries, a folder's pages, or a finding's arithmetic by its id",
      files = "QUERY-OR-URL-OR-ID [FILE...]", example = "inktide trace \"tomato seeds\" export.csv",
      options = c(shared, list(
        number_option("--top", "N", "rows of the table [25]", 25),
        figure, events)),
      run = run_trace),
    follow = list(
      job = "pages over time: positions, click-through, events, changes, unusual days",
        files = "[FILE...]",
      example = "inktide follow export.csv --of \"/guides/*\" --events events.csv --brand fernmoor",
      options = c(shared, list(
        text_option("--of", "PAGES",
          "addresses or paths, * for all below [the pages with the most clicks]"),
        text_option("--by", "STEP", "week or day [week]", "week"),
        text_option("--leading", "WHAT",
        "queries to draw, by impressions, clicks or gain [impressions]",
          "impressions"),
        number_option("--lines", "N", "so many queries of each page [5]", 5),
        number_option("--top", "N", "most pages [6]", 6),
        text_option("--view", "PART",
        "pages, lines, bands, events, changes or days; all in short as a table", "pages"),
        events, figure,
        text_option("--draw", "WHAT", "positions, click_through or queries [positions]",
        "positions"))),
      arguments = c(pages = "--of", most = "--top"),
      run = run_follow),
    compare = list(
      job = "two windows and why clicks changed, or segments side by side", files = "[FILE...]",
      example = "inktide compare export.csv --days 28 --level page --brand fernmoor",
      options = c(shared, list(
        text_option("--after", "A..B",
          "first and last day of the later window [the last 28 days, or --days]"),
        text_option("--before", "A..B", "the same of the earlier [as many days right before]"),
        switch_option("--year", "before: the same weekdays a year earlier"),
        text_option("--windows", "N,N", "the last N days against the N before, for several N"),
        text_option("--level", "WHAT",
          "query, page, folder, topic, pair or site [query]; with --segments line by line"),
        number_option("--fdr", "SHARE", "share of what is marked as real that may be noise [0.1]",
        0.1),
        text_option("--why", "NAME",
        "only this query, page, folder or topic of the level, in words"),
        top,
        text_option("--by", "WHAT",
          "brand, intent, page_group, band, words, term, country, device, vertical, rich_result"),
        text_option("--segments", "A,B",
        "two segments of inktide.yml against each other, or one against the rest"),
        events, figure)),
      formats = "xlsx",
      run = run_compare),
    report = list(
      job = "one self-contained HTML file", files = "[FILE...]",
      example = "inktide report export.csv --brand fernmoor --out report.html",
      options = c(options_named(shared, "--format", but = TRUE), list(
        text_option("--title", "TEXT", "title of the report"),
        events, band, target)),
      run = run_report)
  )
}
