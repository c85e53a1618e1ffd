# inktide list: the plain inventory.

command_list <- function(shared) {
  list(
    job = "the plain inventory: queries, pages, folders, days with all figures",
    files = "[FILE...]",
    example = c("inktide list export.csv --by page --lead 3",
      "inktide list export.csv --sort lost --target 3 --min-impressions 100",
      "inktide list export.csv --by modifier --of kale",
      "inktide list export.csv --by day --figure days.png"),
    options = c(shared, lost_options(), list(
      choice_option("--by", "WHAT", names(line_kinds),
        sprintf("%s [query, or what the export has]", paste(names(line_kinds), collapse = ", "))),
      text_option("--of", "WORDS",
        "of --by modifier, the words that modifiers stand with [the brand]", reads = "words"),
      text_option("--sort", "COLUMN", "a column of --format csv, largest first [clicks]"),
      switch_option("--ascending", "smallest first"),
      text_option("--windows", "N,N",
        "clicks of the last N days against the N before, for several N"),
      events_option(),
      figure_option(),
      legend_option(),
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
  if (!identical(options$by, "modifier")) {
    refuse_given(options, "--of", "Words are named whose modifiers are listed.",
      "Add --by modifier.")
  }
  if (!is.null(options$figure) && !isTRUE(options$by %in% times)) {
    abort_call("Only days, weeks and months make a figure.", "--figure",
      "Add --by day, --by week or --by month.")
  }
  # Least figures are those of the rows that are seen.
  least <- options[c("min_impressions", "min_clicks")]
  options[names(least)] <- list(NULL)
  input <- resolve_input(options, files)
  kept <- answer_once(options, input, "inventory",
    function(options) input_inventory(options, input, day_counts), decided = NULL)
  listed <- with_least(kept$listed, least)
  if (is.null(options$figure)) {
    refuse_given(options, "--events", "Events are marked in a figure.", "Add --figure FILE.")
  } else {
    save_figure(ggplot2::autoplot(listed, events = events_input(options, input),
      unusual = kept$unusual), options$figure)
  }
  if (options$format == "xlsx") {
    write_workbook(listed, options$out)
    return(cli_note(options, sprintf("written: %s", options$out)))
  }
  listed$left_out <- NULL
  # Nothing is advised about rows that were picked.
  if (!length(all_segments(input))) remark(options, listed$would_add, weight = 0.4)
  listed$would_add <- NULL
  cli_result(options, listed$rows, c(format(listed, n = options$top, width = terminal_width()),
    if (options$legend) c("", wrap_lines(inventory_legend(listed),
      terminal_width()))),
    paint = function(lines) signs_coloured(lines, options))
  if (identical(listed$impressions_of, "pages")) {
    remark(options, weight = 0.7, paste("  impressions of a query: the largest of its pages' each",
      "day, since rows are by query and page"))
  }
  remark_next(options, if (listed$by %in% c("query", "page") && nrow(listed$rows)) {
    sprintf("inktide trace \"%s\"", inventory_names(listed, listed$rows[1]))
  }, "inktide find", "--legend (the columns)")
}

# list(listed, unusual: days, where rows are days).
input_inventory <- function(options, input, day_counts) {
  read <- listed_input(options, input, day_counts)
  input_data <- read$data
  remark_left_out(options, input_data$left_out, kept_by_grain(input_data))
  if (is.null(pick_table(input_data, "query"))) {
    refuse_given(options, brand_flags, "The data hold no queries, so none is of the brand.",
      "Leave it out, or export by query.")
  }
  listed <- tide_inventory(input_data, by = options$by, curve = read$curve, windows = day_counts,
    sort = sort_column(options$sort), decreasing = !options$ascending, lead = options$lead,
    rules = input$settings$rules, facts = facts_input(options, input), history = read$history,
    target = options$target, ctr = options$target_ctr, of = options$of)
  list(listed = listed, unusual = if (listed$by == "day") tide_unusual(input_data))
}

# What people call columns.
sort_column <- function(sort) {
  known <- c(trend = "click_trend", impr = "impressions", expected = "expected_ctr",
    length = "characters", pos = "position")
  if (!is.null(sort) && sort %in% names(known)) known[[sort]] else sort
}

with_least <- function(listed, least) {
  use <- rep(TRUE, nrow(listed$rows))
  for (of in c("impressions", "clicks")) {
    number <- least[[paste0("min_", of)]]
    if (!is.null(number)) use <- use & listed$rows[[of]] >= number
  }
  if (all(use)) return(listed)
  if (!any(use)) {
    abort_tide("No row is left.", where = "--min-impressions and --min-clicks of the rows listed.",
      fix = "Ask for less.", class = "nothing_left")
  }
  rows <- listed$rows[use]
  listed$rows <- rows
  if (!is.null(listed$weekly)) listed$weekly <- listed$weekly[use]
  total <- add_ratios(data.table(clicks = sum(rows$clicks), impressions = sum(rows$impressions),
    weighted = sum(rows$position * rows$impressions)))
  if (!is.null(rows[["lost"]])) set(total, j = "lost", value = sum(rows$lost))
  listed$coverage <- listed$coverage * total$clicks / listed$total$clicks
  listed$total <- total[, names(listed$total), with = FALSE]
  listed
}

# The days that are listed (of months all, else the usual window where none is chosen), those that
# --windows looks back to, and the curve: what is expected does not hang on what is looked at, so it
# is the one of all queries and pages, of the days that the list of what to fix has it from.
# Conditions on sums are about the days that are listed: what passes them is followed back.
# Out: list(data, history or NULL, curve or NULL).
listed_input <- function(options, input, lengths, curve = NULL) {
  also <- if (is.null(options$by)) dimension_names else options$by
  back <- if (length(lengths)) 2 * max(lengths) else 0
  recent <- if (!chose_window(options) && !any(options$by %in% c("week", "month"))) usual_days
  wider <- options
  if (is_stored(input) && !is.null(recent)) wider$days <- max(recent, back)
  if (!is.null(options$days)) wider$days <- max(options$days, back)
  if (back && !is.null(options$from)) wider$from <- format(as.Date(options$from) - back)
  by_sums <- about_sums(waiting_segments(input))
  plain <- input
  if (by_sums) plain[c("pairs", "side")] <- list(list(), character())
  past <- read_input(wider, plain, also = also)
  if (is.null(curve)) curve <- listed_curve(options, input, if (!is_stored(input) && !back) past)
  # A table without days is all of its window, one of months has no last ninety days.
  kind <- first_given(options$by, inventory_default(past))
  if (kind %in% c("week", "month") || !lists_days(past, kind)) recent <- NULL
  input_data <- if (!is.null(recent)) within_newest(past, recent) else past
  if (back && chose_window(options) || by_sums) {
    input_data <- tide_filter(input_data, from = if (back) options$from,
      days = if (back) options$days, segments = if (by_sums) waiting_segments(input),
      rules = input$settings$rules)
  }
  if (!back) return(list(data = input_data, curve = curve))
  list(data = input_data, history = if (by_sums) same_pairs(past, input_data) else past,
    curve = curve)
}

# Whether the table that a list is made from has days.
lists_days <- function(data, by) {
  "date" %in% tryCatch(inventory_table(data, by)$dimensions, tide_error = function(e) "date")
}

# all: the data of the call as read, where they are whole. NULL where rows have no queries.
listed_curve <- function(options, input, all = NULL) {
  if (length(all_segments(input)) || is.null(all)) {
    plain <- input
    plain[c("rows", "pairs", "side")] <- list(list(), list(), character())
    delayedAssign("all", read_input(options, plain, months = TRUE))
  }
  tryCatch({
    tide_curve(if (is_stored(input) && !chose_window(options)) {
      input_summary(replace(options, option_name(filter_flags), list(NULL)), input, all)
    } else {
      sum_up(all, input)
    })
  }, tide_error_grain = function(e) NULL)
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
