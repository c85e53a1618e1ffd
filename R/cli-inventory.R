# inktide list: the plain inventory.

command_list <- function(shared) {
  list(
    job = "the plain inventory: queries, pages, folders, days with all figures",
    files = "[FILE...]",
    example = "inktide list export.csv --by page --lead 3",
    options = c(shared, list(
      choice_option("--by", "WHAT", names(line_kinds),
        sprintf("%s [query, or what the export has]", paste(names(line_kinds), collapse = ", "))),
      text_option("--sort", "COLUMN", "a column of --format csv, largest first [clicks]"),
      switch_option("--ascending", "smallest first"),
      text_option("--windows", "N,N",
        "clicks of the last N days against the N before, for several N"),
      number_option("--target", "N", "lost: against the CTR of position N [1]", 1),
      number_option("--target-ctr", "RATE", "lost: against a CTR of your own, such as 0.25"),
      number_option("--lead", "N", "of pages: so many leading queries beneath each [0]", 0),
      top_option())),
    formats = "xlsx",
    run = run_list)
}

run_list <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  day_counts <- if (!is.null(options$windows)) parse_lengths(options$windows)
  if (!identical(options$by, "page")) {
    refuse_given(options, "--lead", "Leading queries stand beneath pages.", "Add --by page.")
  }
  input <- resolve_input(options, files)
  read <- listed_input(options, input, day_counts)
  input_data <- read$data
  cli_note(options, paste(left_out_lines(input_data$left_out, kept_by_grain(input_data)),
    collapse = "\n"))
  if (is.null(pick_table(input_data, "query"))) {
    refuse_given(options, brand_flags, "The data hold no queries, so none is of the brand.",
      "Leave it out, or export by query.")
  }
  listed <- tide_inventory(input_data, by = options$by, sort = options$sort,
    decreasing = !options$ascending, curve = whole_curve(options, input, input_data),
    windows = day_counts, lead = options$lead, rules = input$settings$rules,
    facts = facts_input(options, input), history = read$history, target = options$target,
    ctr = options$target_ctr)
  if (options$format == "xlsx") {
    write_workbook(listed, options$out)
    return(cli_note(options, sprintf("written: %s", options$out)))
  }
  listed$left_out <- NULL
  cli_result(options, listed$rows, format(listed, n = options$top, width = terminal_width()),
    paint = function(lines) signs_coloured(lines, options))
}

# What is expected does not hang on what is looked at: the curve is that of all queries and pages of
# these days. NULL where nothing is left out, or the rows have no queries.
whole_curve <- function(options, input, data) {
  if (!length(all_segments(input)) || is.null(pick_table(data, "query"))) return(NULL)
  plain <- input
  plain[c("rows", "pairs", "side")] <- list(list(), list(), character())
  tide_curve(tide_summary(read_input(options, plain, months = TRUE),
    brand = input$settings$rules$brand))
}

# The days that are listed, and those that --windows looks back to besides. Conditions on sums are
# about the days that are listed: what passes them is followed back.
listed_input <- function(options, input, lengths) {
  also <- if (is.null(options$by)) dimension_names else options$by
  if (!length(lengths) || !chose_window(options)) {
    return(list(data = read_input(options, input, also = also)))
  }
  wider <- options
  back <- 2 * max(lengths)
  if (!is.null(options$days)) wider$days <- max(options$days, back)
  if (!is.null(options$from)) wider$from <- format(as.Date(options$from) - back)
  by_sums <- about_sums(waiting_segments(input))
  plain <- input
  if (by_sums) plain[c("pairs", "side")] <- list(list(), character())
  past <- read_input(wider, plain, also = also)
  input_data <- tide_filter(past, from = options$from, days = options$days,
    segments = if (by_sums) waiting_segments(input), rules = input$settings$rules)
  if (by_sums) past <- same_pairs(past, input_data)
  list(data = input_data, history = past)
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
  if (!chose_window(options)) recent <- within_newest(recent, usual_days)
  days <- if (wide_dates(pick_table(recent, c("date", "query")))) 0 else dated_days(recent)
  tide_inventory(recent, curve = findings$curve, rules = input$settings$rules,
    windows = Filter(function(length) 2 * length <= days, c(7, 28)),
    facts = facts_input(options, input))
}
