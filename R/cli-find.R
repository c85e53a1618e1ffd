# inktide find and trace: the ranked list, and what one line, query, page or folder rests on.

command_find <- function(shared) {
  list(
    job = "the ranked list of opportunities",
    files = "[FILE...]",
    example = c("inktide find export.csv --brand fernmoor --top 10",
      "inktide find exports/*.csv --kind low-ctr --format xlsx --out list.xlsx",
      "inktide find --project my-site --page /shop/ --hours 20"),
    options = c(shared, list(
      number_option("--top", "N", "tasks to show [9]"),
      band_option(),
      target_option(),
      list_option("--kind", sprintf("only these kinds: %s",
        paste(gsub("_", "-", names(finding_kinds())), collapse = ", "))),
      number_option("--min-gain", "N", "least extra clicks per 30 days, if done, of a task [1]"),
      number_option("--fdr", "SHARE", "expected share of false alarms among low-CTR lines [0.1]"),
      number_option("--hours", "N", "what fits into so many hours of work"),
      choice_option("--sort", "BY", list_orders, "score, gain or value [score]", "score"),
      number_option("--per-page", "N", "at most so many tasks of one page"),
      choice_option("--view", "BY", c("list", "page", "query", "folder", "topic"),
        "list, page, query, folder or topic [list]", "list"),
      switch_option("--page-view", "the same as --view page"),
      choice_option("--include", "WHAT", set_aside_reasons,
        "topic: also low CTR that a whole topic shows (clicks taken by the results page)"),
      legend_option(),
      switch_option("--all", "every task: small ones and what was decided, too"),
      results_pages_option(),
      figure_option())),
    formats = c("xlsx", "markdown"),
    arguments = c(budget = "--hours"),
    run = run_find)
}

run_find <- function(options, files) {
  check_number(options$top, "--top", min = 1, null = TRUE)
  if (options$page_view) options$view <- "page"
  # What cannot be meant is refused before anything is read.
  check_kind(options$kind)
  input <- resolve_input(options, files)
  whole_list <- find_input(options, input)
  findings <- if (is.null(options$top)) whole_list else tide_choose(whole_list, top = options$top)
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(findings), options$figure)
  if (options$format == "xlsx") {
    write_workbook(findings, options$out)
    return(cli_note(options, sprintf("written: %s", options$out)))
  }
  if (options$view != "list") {
    groups <- tide_group(whole_list, options$view, input$settings$rules)
    return(cli_result(options, setDT(as.data.frame(groups)),
      groups_lines(groups, first_given(options$top, 20), terminal_width())))
  }
  if (options$format == "markdown") return(cli_result(options, NULL, checklist_lines(findings,
    Inf)))
  if (is.null(input$pages) && !is.null(input$store)) {
    remark(options, paste("  pages not read: 'inktide pages SITE-OR-FOLDER' adds missing words,",
      "sections to write and pages that could link"), weight = 0.6)
  }
  shown <- if (is.null(options$top)) first_tasks(whole_list, options$all) else findings
  cli_result(options, in_sentences(findings), findings_lines(shown, whole_list, terminal_width(),
    whole = options$details, legend = options$legend))
  remark(options, character(), paste("checked and left out:", excluded_sentences(whole_list)),
    weight = 1.6)
  if (NROW(shown$findings)) {
    remark_next(options, if (isTRUE(whole_list$summary$of_pages)) {
      "inktide list FILE (all pages)"
    } else if (is.null(input$folder)) {
      "inktide trace QUERY FILE (its pages)"
    } else {
      c("inktide trace 1 (why)", "inktide decide 1 fix")
    }, "--legend (the columns)")
  }
  remember_list(input, whole_list)
}

# Those shown where no number was given: the first, or all.
first_tasks <- function(findings, all, most = 9) {
  if (isTRUE(all)) findings else tide_choose(findings, top = most)
}

command_trace <- function(shared) {
  list(
    job = paste("one query's pages, one page's queries, a folder's pages, or a finding's",
      "arithmetic by its id or its rank"),
    files = "WHAT [FILE...]",
    example = c("inktide trace \"radish spacing\" export.csv",
      "inktide trace /guides/how-to-grow-radish/ export.csv",
      "inktide trace 1 --project my-site"),
    options = c(shared, list(number_option("--top", "N", "rows of the table [15]", 15),
      figure_option(), events_option(), results_pages_option())),
    run = run_trace)
}

run_trace <- function(options, files) {
  if (!length(files)) {
    abort_call("Nothing to trace.", "inktide trace",
      "Name a query or a page, as in: inktide trace \"tomato seeds\"")
  }
  input <- resolve_input(options, files[-1])
  what <- last_list_ids(input$folder, files[1], names = TRUE)
  if (what != files[1]) {
    remark(options, sprintf("  rank %s of the last list: %s", files[1], what), weight = 3)
  }
  of_finding <- grepl("^[A-Z]-[0-9a-f]{10}$", what)
  if (of_finding) {
    refuse_given(options, c("--top", "--figure"), "The arithmetic of a finding is one text.",
      "Leave it out.")
    # Filters of this call ask for another list than the last one.
    plain <- !length(input$rows) && !length(input$pairs) && !length(input$side) &&
      !chose_window(options) &&
      !any(c("--without", "--facts", "--events", "--results-pages", brand_flags) %in% options$given)
    one_line <- if (plain) explain_last(input, what)
    if (is.null(one_line)) {
      one_line <- tide_trace(find_input(utils::modifyList(options, list(all = TRUE)), input), what)
    }
    cli_result(options, one_line$cells, format(one_line, width = terminal_width(),
      cells = options$details))
    return(remark_next(options, sprintf("inktide decide %s fix", files[1]),
      "--details (clicks by position)"))
  }
  # What is stored is asked for its last days only.
  if (is_stored(input) && !chose_window(options)) options$days <- usual_days
  traced <- answer_once(options, input, "trace", also = what, make = function(options) {
    input_data <- read_input(options, input)
    remark_left_out(options, input_data$left_out, kept_by_grain(input_data))
    tide_trace(input_data, what, recent_days = if (chose_window(options)) Inf else usual_days,
      rules = input$settings$rules, facts = facts_input(options, input))
  })
  if (traced$kind != "query") {
    refuse_given(options, "--results-pages", "Results pages are those of a query.",
      "Trace a query, or leave it out.")
  }
  if (traced$kind == "query" || is.null(options$figure)) {
    refuse_given(options, "--events", "Events are marked in the figure of a page.",
      "Trace a page with --figure, or leave it out.")
  }
  if (!is.null(options$figure)) {
    save_figure(
      ggplot2::autoplot(traced, events = if (traced$kind != "query") events_input(options, input)),
      options$figure)
  }
  results <- if (traced$kind == "query") results_pages_input(options, input)
  cli_result(options, traced$rows, c(format(traced, n = options$top, width = terminal_width()),
    traced_words(options, input, traced),
    results_page_lines(results, query_key(traced$name), traced$rows$page, terminal_width())))
}

# Where the pages of the site are known: what the page says of each query, or each page of the
# query.
traced_words <- function(options, input, traced) {
  pages <- if (traced$kind != "folder") input$pages
  if (is.null(pages)) return(NULL)
  words <- answer_once(options, input, "words", function(options) {
    site_summary <- sum_up(read_input(options, input), input)
    setDT(as.data.frame(tide_page_words(site_summary, pages)))
  })
  by_query <- traced$kind == "query"
  own <- if (by_query) {
    query_key(words$query) == query_key(traced$name)
  } else {
    page_key(words$page) == page_key(traced$name)
  }
  c("", if (any(own)) {
    phrase_lines(words[own], if (by_query) "page" else "query", options$top, terminal_width(),
      pages)
  } else {
    "This page was not among those read."
  })
}
