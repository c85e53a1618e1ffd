# inktide watched: the watched queries, what changed and their positions by week.

command_watched <- function(shared) {
  list(
    job = "queries of your own list: what changed on them, positions by week",
    files = "[FILE...]",
    example = "inktide watched export.csv --of \"kale seeds,/radish/\" --brand fernmoor",
    options = c(options_named(shared, "--facts", but = TRUE), list(
      text_option("--of", "LIST", paste("queries, or patterns between slashes; comma",
        "separated, or @FILE [the lists 'watched' of inktide.yml]")),
      text_option("--list", "NAME", "only this list of inktide.yml"),
      number_option("--fdr", "SHARE",
        "share of what is marked as significant that may be noise [0.1]", 0.1),
      switch_option("--all-days", "unusual days too (bots, outages), which are else left out"),
      number_option("--top", "N", "rows of the table [40]", 40))),
    arguments = c(queries = "--of"),
    run = run_watched)
}

run_watched <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  input <- resolve_input(options, files)
  lists <- watched_lists(options, input$settings)
  watched <- site_watched(options, input, lists, all_days = options$all_days, fdr = options$fdr)
  cli_result(options, watched$rows, format(watched, n = options$top, width = terminal_width()))
  remark_next(options, "inktide trace QUERY", "inktide compare --why QUERY")
}

watched_lists <- function(options, settings) {
  known <- settings$watched
  if (!is.null(options$of)) return(list(watched = word_list(options$of)))
  if (!length(known)) {
    abort_call("No queries are watched.", "inktide watched",
      paste("Name them with --of, or", "write them into inktide.yml as 'watched: [kale seeds]'."))
  }
  if (is.null(options$list)) return(known)
  if (!options$list %in% names(known)) {
    abort_call("No such list.", sprintf("--list %s", options$list),
      sprintf("Known: %s.", paste(names(known), collapse = ", ")))
  }
  known[options$list]
}

# The last 28 days against the 28 before on the curve of the last 90, as `compare` has them.
site_watched <- function(options, input, lists, ...) {
  days <- first_given(options$days, 28)
  wanted <- max(2 * days, usual_days)
  options["days"] <- list(if (is_stored(input)) wanted)
  input_data <- read_input(options, input)
  remark_left_out(options, input_data$left_out, kept_by_grain(input_data))
  rules <- input$settings$rules
  tide_watched(input_data, lists, days = days, brand = rules$brand, rules = rules,
    events = events_input(options, input), ...)
}

# After a load: those that changed significantly.
say_watched <- function(store, settings) {
  input <- list(store = store, settings = settings)
  watched <- tryCatch(site_watched(list(), input, settings$watched), tide_error = function(e) NULL)
  if (is.null(watched)) return(invisible())
  watched$rows <- watched$rows[watched$rows$significant]
  cli_out(c("", if (nrow(watched$rows)) {
    format(watched, width = terminal_width())
  } else {
    "None of the watched queries changed significantly."
  }))
}

# For the report: the watched queries, where there are any and days to compare.
report_watched_queries <- function(input, recent, curve) {
  if (!length(input$settings$watched) || dated_days(recent) < 14) return(NULL)
  rules <- input$settings$rules
  tide_watched(recent, input$settings$watched, curve = curve, brand = rules$brand, rules = rules)
}
