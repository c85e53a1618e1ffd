# inktide forecast: the months ahead, what a plan adds, and what was said before.

command_forecast <- function(shared) {
  list(
    job = "clicks of the months ahead, what a plan adds, what was said before",
    files = "[FILE...]",
    example = "inktide forecast --history monthly-totals.csv --months 6",
    options = c(shared, list(
      number_option("--months", "N", "months ahead [6]", 6),
      choice_option("--by", "WHAT", c("brand", "folder", "page"),
        "brand, folder or page [the whole site]"),
      choice_option("--of", "WHAT", c("clicks", "conversions", "value"),
        "clicks, conversions or value [clicks]", "clicks"),
      text_option("--history", "FILE",
        "monthly totals: month, clicks or sessions [of inktide.yml]"),
      text_option("--set-months", "FILE", "months set by hand: month, clicks"),
      switch_option("--keep-unusual", "do not replace unusual days and months"),
      text_option("--do", "WHAT",
        "what is done: N tasks from the top, all, bound, or ids; several as 10,50,all"),
      text_option("--plan", "FILES", "what is done: id or query, target, month, chance, hours"),
      number_option("--hours", "N", "hours of work a month, in the order of the list"),
      number_option("--ramp", "N", "months until the full effect [3]", 3),
      events_option(),
      switch_option("--backtest", "how each method would have done"),
      switch_option("--review", "earlier forecasts against what came"),
      figure_option(),
      band_option(),
      target_option())),
    formats = "xlsx",
    arguments = c(hours_a_month = "--hours", by_hand = "--set-months", do = "--do",
      table = "--plan"),
    run = run_forecast)
}

run_forecast <- function(options, files) {
  check_number(options$months, "--months", min = 1, max = 36)
  if (options$months %% 1 != 0) {
    abort_call("Not whole months.", sprintf("--months %g", options$months), "Give a whole number.")
  }
  of_file <- FALSE
  if (is.null(options$history) && is_months_table(files, options$columns)) {
    options$history <- files
    options$given <- c(options$given, "--history")
    files <- character()
    of_file <- TRUE
  }
  planned <- !is.null(options$do) || !is.null(options$plan)
  if (!is.null(options$do) && !is.null(options$plan)) {
    abort_call("What is done is said twice.", "--do and --plan", "Name one of them.")
  }
  if (planned && !is.null(options$by)) {
    abort_call("A plan adds to the whole site.", sprintf("--by %s", options$by), "Leave --by out.")
  }
  if (!planned) {
    refuse_given(options, c("--hours", "--band", "--target", "--ramp"),
      "This option is about a plan.", "Add --do or --plan, or leave it out.")
  }
  if (!is.null(options$history)) {
    refuse_given(options, c(window_flags, if (!planned) c(filter_flags, brand_flags), "--by"),
      "A table of months has no such rows to choose from.",
      "Leave it out, or leave out --history to work from the days of the exports.")
  }
  # A table of months alone needs no data.
  alone <- !is.null(options$history) && !length(files) && !planned &&
    options$of %in% c("clicks", history_columns(options$history, options$columns)) &&
    is.null(project_folder(options))
  input <- if (!alone) resolve_input(options, files)
  local_forks(input)
  past <- answer_once(options, input, "history",
    function(options) forecast_history(options, input), decided = NULL)
  remark(options, format(past), weight = 0)
  # Months of a file that is only looked at, or of chosen rows, are not the site's to be held
  # against what comes.
  store <- if (!of_file && !length(all_segments(input))) input$store
  review <- if (!is.null(store)) {
    input_data <- if (options$review) newest_days(options, input)
    tide_review(store, past, input_data, input$settings$rules, input$settings$assumptions)
  }
  if (options$review) {
    if (is.null(store)) {
      abort_call("No forecasts are stored.", "inktide forecast --review",
        "Forecast in a project with an archive first.")
    }
    return(cli_result(options, review$months, format(review, width = terminal_width())))
  }
  plan <- if (planned) forecast_plans(options, input)
  forecast <- answer_once(options, input, "forecast", also = list(review$months, plan),
    make = function(options) tide_forecast(past, months = options$months, plan = plan,
      ramp = options$ramp, per_click = click_worth(options, input, past), review = review,
      facts = if (!alone) facts_input(options, input), assumptions = input$settings$assumptions))
  # What was said of clicks is what clicks can be held against.
  if (!is.null(store) && is.null(forecast$per_click)) keep_forecast(store, forecast)
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(forecast), options$figure)
  if (options$format == "xlsx") {
    write_workbook(forecast, options$out)
    return(cli_note(options, sprintf("written: %s", options$out)))
  }
  if (options$backtest) {
    rows <- setDT(as.data.frame(summary(forecast)))
    return(cli_result(options, rows, backtest_lines(forecast)))
  }
  # Of several plans the forecast says enough.
  cli_result(options, forecast$months, c(format(forecast, width = terminal_width()),
    if (length(plan) == 1) c("", format(plan[[1]], width = terminal_width()))))
}

# The days of the newest months.
newest_days <- function(options, input) {
  if (!chose_window(options)) options$days <- 160
  read_input(options, input)
}

# The project's table of months is the whole site's.
site_months <- function(options, input) {
  if (!length(all_segments(input))) chosen_files(options, input, "history")
}

forecast_history <- function(options, input) {
  events <- if (!is.null(input)) events_input(options, input)
  unit_of <- if (options$of != "clicks") options$of
  make_history <- function(x, ...) {
    tide_history(x, ..., by_hand = options$set_months, keep_unusual = options$keep_unusual,
      events = events, assumptions = input$settings$assumptions)
  }
  known <- if (!is.null(options$history)) {
    options$history
  } else if (is.null(options$by)) {
    site_months(options, input)
  }
  if (!is.null(known)) {
    columns <- if (!is.null(options$history)) options$columns
    own <- !is.null(unit_of) && unit_of %in% history_columns(known[1], columns)
    return(make_history(known[1], of = if (own) unit_of, columns = columns))
  }
  need_brand(options$by, input$settings, "--by")
  input_data <- chosen_rows(options, input,
    read_input(options, input, months = is.null(options$by)))
  make_history(input_data, by = options$by, rules = input$settings$rules)
}

# Conversions or money of a click, from the pages whose rate is known; NULL for clicks, and where
# the months known count them.
click_worth <- function(options, input, history) {
  if (options$of %in% c("clicks", history$of)) return(NULL)
  if (is.null(input)) {
    abort_call("What a click is worth is not known.", sprintf("--of %s", options$of),
      "Name exports or a project, and a table with page, sessions, conversions and value.")
  }
  click_value(month_findings(options, input), options$of, input$settings$rules)
}

# One plan, or several with names: numbers of tasks, all of them, the upper bound, ids, tables.
forecast_plans <- function(options, input) {
  findings <- month_findings(options, input)
  plan <- function(...) tide_plan(findings, ..., hours_a_month = options$hours)
  if (!is.null(options$plan)) {
    files <- split_words(options$plan)
    return(lapply(stats::setNames(files, tools::file_path_sans_ext(basename(files))),
      function(file) plan(table = file)))
  }
  words <- split_words(options$do)
  whole <- grepl("^[0-9]+$", words) | words %in% c("all", "bound")
  many <- function(word) if (grepl("^[0-9]", word)) as.numeric(word) else word
  plans <- lapply(words[whole], function(word) plan(do = many(word)))
  names(plans) <- sub("^([0-9]+)$", "\\1 tasks", words[whole])
  names(plans)[names(plans) == "all"] <- "all tasks"
  names(plans)[names(plans) == "bound"] <- "upper bound"
  c(plans, if (!all(whole)) list(`chosen tasks` = plan(do = words[!whole])))
}

backtest_lines <- function(forecast) {
  if (!NROW(forecast$backtest)) return("Too few months to try a forecast out on.")
  sums <- backtest_by_method(forecast$backtest)
  several <- length(unique(sums$segment)) > 1
  c(
    column_lines(
      c("method", if (several) "segment", "forecasts", "MASE", "MAPE", "bias", "in 80 %"),
      cbind(sums$method, if (several) sums$segment, format_count(sums$forecasts),
        sprintf("%.2f", sums$mase), format_share(sums$mape), percent_change(exp(sums$bias)),
        ifelse(is.na(sums$covered), "", format_share(sums$covered)))),
    ahead_lines(forecast$backtest),
    "",
    wrap_lines(paste("MASE: error divided by the error of repeating last year (of the last month",
      "under 13 months). MAPE: error as a share. weighted: the one that is used."),
      terminal_width()))
}

# The one that is used, month by month ahead.
ahead_lines <- function(backtest) {
  own <- backtest[backtest$method == "weighted"]
  sums <- backtest_by_method(own, c("segment", "horizon"))
  sums <- sums[order(sums$segment, sums$horizon)]
  several <- length(unique(sums$segment)) > 1
  c(
    "",
    column_lines(
      c("weighted, months ahead", if (several) "segment", "forecasts", "MASE", "MAPE", "bias",
        "in 80 %"),
      cbind(format_count(sums$horizon), if (several) sums$segment, format_count(sums$forecasts),
        sprintf("%.2f", sums$mase), format_share(sums$mape), percent_change(exp(sums$bias)),
        format_share(sums$covered))))
}
