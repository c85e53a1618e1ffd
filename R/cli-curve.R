# inktide curve: CTR by position, its parts, how methods compare, whether the fit is fine.

command_curve <- function(shared) {
  list(
    job = "fit and show CTR by position",
    files = "[FILE...]",
    example = c("inktide curve export.csv --brand fernmoor",
      "inktide curve export.csv --by device --figure devices.png",
      "inktide curve export.csv --segment all --format csv"),
    options = c(shared, list(
      number_option("--until", "N", "last position shown [20]", 20),
      choice_option("--by", "WHAT", c(split_dimensions, "intent", "page_group", "words"), paste(
        "curves of parts: device, country, vertical, rich_result, month, intent,",
        "page_group, words")),
      choice_option("--method", "METHOD", c("fitted", "pivot", "power"),
        "fitted, or for comparison pivot or power [fitted]", "fitted"),
      text_option("--prior", "FILE", "a table of CTR by position that a new site's curve leans on"),
      switch_option("--compare", "how well each method predicts queries it has not seen"),
      switch_option("--diagnose", "does the curve fit, and what is it made of"),
      choice_option("--axes", "KIND", c("plain", "log"), "of the figure: plain or log [plain]",
        "plain"),
      legend_option(),
      figure_option())),
    run = run_curve)
}

run_curve <- function(options, files) {
  check_number(options$until, "--until", min = 1, max = 100)
  if (is.null(options$figure)) {
    refuse_given(options, "--axes", "Nothing is drawn.", "Add --figure FILE.")
  }
  shown <- options$position
  options$position <- NULL
  # Without brand words the curve is that of all queries.
  input <- resolve_input(options, files, guess = FALSE)
  # One curve of all queries, those of the brand among them.
  of_all <- "all" %in% input$side
  if (of_all) input$settings$rules["brand"] <- list(NULL)
  site_summary <- summarise_input(options, input, hint = !of_all,
    split = if (!is.null(options$by) && options$by %in% split_dimensions) options$by)
  if (length(input$pairs)) {
    site_summary <- tide_filter(site_summary, segments = input$pairs, rules = input$settings$rules)
    remark_left_out(options, utils::tail(site_summary$left_out, 1))
  }
  if (options$compare) {
    rivals <- curve_rivals(site_summary)
    return(cli_result(options, rivals, rivals_lines(rivals)))
  }
  curve <- tide_curve(site_summary, by = options$by, method = options$method,
    prior = if (!is.null(options$prior)) read_prior(options$prior), rules = input$settings$rules)
  if (options$diagnose) {
    check <- tide_curve_check(curve, site_summary)
    if (!is.null(options$figure)) save_figure(ggplot2::autoplot(check), options$figure)
    return(cli_result(options, check$residuals, wrap_lines(format(check), terminal_width())))
  }
  rows <- curve_table(curve, floor(options$until))
  if (length(input$side) && !of_all) rows <- rows[rows$segment %in% input$side]
  if (!nrow(rows)) {
    abort_call("No such segment.", sprintf("--segment %s", options$segment),
      sprintf("There is: %s.", paste(names(curve$fits), collapse = ", ")))
  }
  if (!is.null(shown)) rows <- rows[rows$position >= shown[1] & rows$position <= shown[2]]
  if (!is.null(options$figure)) {
    save_figure(ggplot2::autoplot(curve, until = max(2, options$until), axes = options$axes),
      options$figure)
  }
  changed <- if (identical(options$by, "month")) tide_compare(site_summary)
  cli_result(options, rows, c(
    sprintf("CTR by position, %s", span_words(site_summary$window)),
    "", curve_lines(curve, rows, changed),
    if (options$legend) {
      wrap_lines(c("", curve_legend(curve, rows)), terminal_width())
    }))
  remark_next(options, "inktide curve --by device", "inktide find", "--legend (the columns)")
}
