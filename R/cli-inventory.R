# inktide list: the plain inventory.

command_list <- function(shared) {
  list(
    job = "the plain inventory: queries, pages, folders, days with all figures",
    files = "[FILE...]",
    example = "inktide list export.csv --by page --lead 3",
    options = c(shared, list(
      text_option("--by", "WHAT",
        sprintf("%s [query, or what the export has]", paste(inventory_kinds, collapse = ", "))),
      text_option("--sort", "COLUMN", "a column of --format csv, largest first [clicks]"),
      switch_option("--ascending", "smallest first"),
      text_option("--windows", "N,N",
        "clicks of the last N days against the N before, for several N"),
      number_option("--lead", "N", "of pages: so many leading queries beneath each [0]", 0),
      top_option())),
    formats = "xlsx",
    run = run_list)
}

run_list <- function(options, files) {
  if (!is.null(options$by)) check_choice(options$by, inventory_kinds, "--by")
  check_number(options$top, "--top", min = 1)
  lengths <- if (!is.null(options$windows)) parse_lengths(options$windows)
  input <- settle_input(options, files)
  data <-
    read_input(options, input, also = if (is.null(options$by)) dimension_names else options$by)
  note(options, paste(left_out_lines(data$left_out, kept_by_grain(data)), collapse = "\n"))
  listed <- tide_inventory(data, by = options$by, sort = options$sort,
    decreasing = !options$ascending, windows = lengths, lead = options$lead,
    rules = input$settings$rules, facts = facts_input(options, input))
  if (options$format == "xlsx") {
    write_workbook(listed, options$out)
    return(note(options, sprintf("written: %s", options$out)))
  }
  listed$left_out <- NULL
  emit(options, listed$rows, format(listed, n = options$top, width = terminal_width()),
    paint = function(lines) signs_coloured(lines, options))
}

# At a terminal that has colours, changes are blue where clicks rose and red where they fell.
signs_coloured <- function(lines, options) {
  paint <- function(lines, sign, colour) {
    shape <- sprintf("(?<=  )[%s][0-9][0-9,]*(?= |$)", sign)
    at <- gregexpr(shape, lines, perl = TRUE)
    regmatches(lines, at) <- lapply(regmatches(lines, at), function(x) as.character(colour(x)))
    lines
  }
  painted(lines, options, function(lines) {
    paint(paint(lines, "+", cli::col_blue), "-", cli::col_red)
  })
}

# For the report: the queries of the last days.
site_inventory <- function(options, input, recent, findings) {
  if (is.null(pick_table(recent, "query"))) return(NULL)
  if (!chose_window(options)) recent <- tide_filter(recent, days = usual_days)
  days <- if (wide_dates(pick_table(recent, c("date", "query")))) 0 else dated_days(recent)
  tide_inventory(recent, curve = findings$curve, rules = input$settings$rules,
    windows = Filter(function(length) 2 * length <= days, c(7, 28)),
    facts = facts_input(options, input))
}
