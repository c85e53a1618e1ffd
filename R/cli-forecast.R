# inktide forecast: the months ahead, what a plan adds, and what was said before.

command_forecast <- function(shared) {
  list(
    job = "clicks of the months ahead, what a plan adds, what was said before",
    files = "[FILE...]",
    example = "inktide forecast --history monthly-totals.csv --months 6",
    options = c(shared, list(
      number_option("--months", "N", "months ahead [6]", 6),
      text_option("--by", "WHAT", "brand, folder or page [the whole site]"),
      text_option("--of", "WHAT", "clicks, conversions or value [clicks]", "clicks"),
      text_option("--history", "FILE",
        "monthly totals: month, clicks or sessions [of inktide.yml]"),
      text_option("--set-months", "FILE", "months set by hand: month, clicks"),
      switch_option("--keep-unusual", "do not replace unusual days and months"),
      text_option("--do", "WHAT", "what is done: N tasks from the top, all, or ids"),
      text_option("--plan", "FILE", "what is done: id or query, target, month, chance, hours"),
      number_option("--hours", "N", "hours of work a month, in the order of the list"),
      number_option("--ramp", "N", "months until the full effect [3]", 3),
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
  check_choice(options$of, c("clicks", "conversions", "value"), "--of")
  planned <- !is.null(options$do) || !is.null(options$plan)
  if (!is.null(options$do) && !is.null(options$plan)) {
    abort_call("What is done is said twice.", "--do and --plan", "Name one of them.")
  }
  if (planned && !is.null(options$by)) {
    abort_call("A plan adds to the whole site.", sprintf("--by %s", options$by), "Leave --by out.")
  }
  # A table of months alone needs no data.
  alone <- !is.null(options$history) && !length(files) && !planned && options$of == "clicks" &&
    is.null(options$project) && is.null(find_project("."))
  input <- if (!alone) settle_input(options, files)
  history <- forecast_history(options, input)
  note(options, paste(format(history), collapse = "\n"))
  store <- input$store
  review <- if (!is.null(store)) tide_review(store, history)
  if (options$review) {
    if (is.null(store)) {
      abort_call("No forecasts are stored.", "inktide forecast --review",
        "Forecast in a project with an archive first.")
    }
    return(emit(options, review$months, format(review, width = terminal_width())))
  }
  plan <- if (planned) forecast_plan(options, input)
  if (!is.null(plan)) note(options, paste(format(plan, width = terminal_width()), collapse = "\n"))
  forecast <- tide_forecast(history, months = options$months, plan = plan, ramp = options$ramp,
    per_click = click_worth(options, input), review = review,
    facts = if (!alone) facts_input(options, input))
  # What was said of clicks is what clicks can be held against.
  if (!is.null(store) && options$of == "clicks") keep_forecast(store, forecast)
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(forecast), options$figure)
  if (options$format == "xlsx") {
    write_workbook(forecast, options$out)
    return(note(options, sprintf("written: %s", options$out)))
  }
  if (options$backtest) {
    rows <- setDT(as.data.frame(summary(forecast)))
    return(emit(options, rows, backtest_lines(forecast)))
  }
  emit(options, forecast$months, format(forecast, width = terminal_width()))
}

forecast_history <- function(options, input) {
  known <- if (!is.null(options$history)) {
    options$history
  } else if (is.null(options$by)) {
    chosen_files(options, input, "history")
  }
  if (!is.null(known)) {
    return(tide_history(known[1], by_hand = options$set_months,
      keep_unusual = options$keep_unusual))
  }
  data <- read_input(options, input, months = is.null(options$by))
  tide_history(data, by = options$by, rules = input$settings$rules, by_hand = options$set_months,
    keep_unusual = options$keep_unusual)
}

# Conversions or money of a click, from the pages whose rate is known; NULL for clicks.
click_worth <- function(options, input) {
  if (options$of == "clicks") return(NULL)
  if (is.null(input)) {
    abort_call("What a click is worth is not known.", sprintf("--of %s", options$of),
      "Name exports or a project, and a table with page, sessions, conversions and value.")
  }
  click_value(find_input(utils::modifyList(options, list(hours = NULL)), input), options$of,
    input$settings$rules)
}

forecast_plan <- function(options, input) {
  findings <- find_input(utils::modifyList(options, list(hours = NULL)), input)
  do <- options$do
  if (!is.null(do) && grepl("^[0-9]+$", do)) do <- as.numeric(do)
  if (is.character(do) && do != "all") do <- trimws(strsplit(do, ",", fixed = TRUE)[[1]])
  tide_plan(findings, do = do, table = options$plan, hours_a_month = options$hours)
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
    "",
    paste("MASE: error to that of the same month of the year before (of the last month under",
      "13 months)."),
    "MAPE: error as a share. weighted: the one that is used.")
}
