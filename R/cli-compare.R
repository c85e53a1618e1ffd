# inktide compare: windows, segments side by side, and segments line by line.

command_compare <- function(shared) {
  list(
    job = "two windows and why clicks changed, or segments side by side",
    files = "[FILE...]",
    example = "inktide compare export.csv --days 28 --level page --brand fernmoor",
    options = c(options_named(shared, "--facts", but = TRUE), list(
      text_option("--after", "A..B",
        "first and last day of the later window [the last 28 days, or --days]"),
      text_option("--before", "A..B", "the same of the earlier [as many days right before]"),
      switch_option("--year", "before: the same weekdays a year earlier"),
      text_option("--windows", "N,N", "the last N days against the N before, for several N"),
      choice_option("--level", "WHAT", change_levels,
        "query, page, folder, topic, pair or site [query]; with --segments line by line"),
      switch_option("--all-days", "unusual days too (bots, outages), which are else left out"),
      number_option("--fdr", "SHARE",
        "share of what is marked as significant that may be noise [0.1]", 0.1),
      text_option("--why", "NAME", "only this query, page, folder or topic of the level, in words"),
      top_option(),
      choice_option("--by", "WHAT", c(names(compare_splits)), paste(
        "brand, intent, page_group, band, words, term, country, device,", "vertical, rich_result")),
      text_option("--segments", "A,B",
        "two segments of inktide.yml against each other, or one against the rest"),
      events_option(),
      figure_option())),
    formats = "xlsx",
    run = run_compare)
}

run_compare <- function(options, files) {
  if (is.null(options$by) && is.null(options$segments)) return(run_moves(options, files))
  if (!is.null(options$by) && !is.null(options$segments)) {
    abort_call("Two comparisons at once.", "--by and --segments",
      "Give one of them; or neither, to compare windows.")
  }
  if (!is.null(options$by) && !is.null(options$level)) {
    abort_call("Parts are not compared line by line.", "--by and --level",
      "Name two segments of inktide.yml with --segments, or leave out --level.")
  }
  # Parts and segments share their days.
  refuse_given(options, c("--after", "--before", "--year", "--windows", "--all-days", "--events"),
    "These options are about two windows, and parts stand side by side over one.",
    "Name the days with --from and --to; or leave out --by and --segments to compare windows.")
  if (!is.null(options$level)) return(run_sides(options, files))
  refuse_given(options, c("--fdr", "--why", "--top"), "Parts side by side have no lines.",
    "Leave it out, or compare segments line by line: --segments A --level query.")
  refuse_workbook(options)
  input <- resolve_input(options, files)
  need_brand(options$by, input$settings, "--by")
  segments <- if (!is.null(options$segments)) {
    named_segments(split_words(options$segments), input$settings, "--segments")
  }
  needed <- if (is.null(options$by)) {
    unlist(lapply(segments, function(segment) names(segment$conditions)))
  } else {
    options$by
  }
  compared <- tide_compare(read_input(options, input, also = needed), by = options$by,
    segments = segments, rules = input$settings$rules)
  cli_result_parts(options, compared)
}

run_moves <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  input <- resolve_input(options, files)
  after <- parse_window(options$after, "--after")
  before <- if (options$year) "year" else parse_window(options$before, "--before")
  day_counts <- if (!is.null(options$windows)) {
    parse_lengths(options$windows)
  } else {
    first_given(options$days, 28)
  }
  rows <- compared_rows(options, input, compared_days(after, before, max(day_counts)))
  # Days before the windows are not asked for, so they are not named as left out.
  own_window <- rows$left_out$reason == "outside the window" & !chose_window(options)
  cli_note(options,
    paste(left_out_lines(rows$left_out[which(!own_window)], rows$kept), collapse = "\n"))
  compared <- lapply(day_counts, function(days) tide_compare(rows$data, site_days = rows$days,
    after = after, before = before, days = days, by = options$level, fdr = options$fdr,
    brand = input$settings$rules$brand, rules = input$settings$rules,
    events = events_input(options, input), all_days = options$all_days))
  # Without queries windows stand side by side as totals.
  if (inherits(compared[[1]], "tide_comparison")) {
    return(cli_result_totals(options, compared, day_counts))
  }
  cli_result_moves(options, compared, input$settings$rules, day_counts)
}

# What windows rest on: list(data: the rows of the days that are asked for, see compared_days();
# days: what the site did by day, longer; left_out, kept: what is to be said of it). Conditions on
# sums are about the days that are asked for, however much was read; of others nothing is known.
compared_rows <- function(options, input, asked) {
  own <- options[setdiff(names(options), "days")]
  waiting <- waiting_segments(input)
  by_sums <- about_sums(waiting)
  if (is_stored(input)) {
    from <- Filter(Negate(is.null), own["from"])
    input_data <- read_input(utils::modifyList(own, utils::modifyList(asked, from)), input)
    own[c("from", "to")] <- list(NULL)
    days <- if (!by_sums) site_days_table(read_input(own, input, months = !length(waiting)))
    return(list(data = input_data, days = days, left_out = input_data$left_out,
      kept = kept_by_grain(input_data)))
  }
  if (by_sums) input[c("pairs", "side")] <- list(list(), character())
  input_data <- read_input(own, input, months = !length(all_segments(input)))
  out <- list(days = if (!by_sums) site_days_table(input_data), left_out = input_data$left_out,
    kept = kept_by_grain(input_data))
  by_query <- inherits(input_data, "tide_blocks") ||
    !is.null(pick_table(input_data, c("date", "query")))
  if (by_query) input_data <- held_data(do.call(tide_filter, c(list(input_data), asked)))
  if (by_sums) {
    input_data$left_out <- out$left_out
    input_data <- tide_filter(input_data, segments = waiting, rules = input$settings$rules)
    out[c("left_out", "kept")] <- list(input_data$left_out, kept_by_grain(input_data))
  }
  c(list(data = input_data), out)
}

# Two segments, or one and the rest, line by line.
run_sides <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  input <- resolve_input(options, files)
  segments <- named_segments(split_words(options$segments), input$settings, "--segments")
  input_data <- read_input(options, input,
    also = unlist(lapply(segments, function(segment) names(segment$conditions))))
  rules <- input$settings$rules
  compared <- tide_compare(input_data, segments = segments, by = options$level, fdr = options$fdr,
    brand = rules$brand, rules = rules)
  if (inherits(compared, "tide_comparison")) {
    refuse_given(options, c("--fdr", "--why", "--top"),
      "The segments share no query on a page, so there are no lines.", "Leave it out.")
    return(cli_result_parts(options, compared))
  }
  cli_result_moves(options, list(compared), rules)
}

cli_result_parts <- function(options, compared) {
  refuse_workbook(options)
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(compared), options$figure)
  cli_result(options, compared$parts, format(compared, width = terminal_width()))
}

# Totals of two windows, or of several lengths of them. What was left out has been noted.
cli_result_totals <- function(options, compared, lengths) {
  refuse_workbook(options)
  refuse_given(options, c("--why", "--figure", "--top", "--fdr", "--all-days", "--events",
    brand_flags), "Totals of windows have no lines and make no figure.",
    "Leave it out, or export by date and query.")
  shown <- lapply(seq_along(compared), function(i) {
    one <- compared[[i]]
    one$left_out <- one$left_out[0]
    if (i < length(compared)) one$note <- character()
    format(one, width = terminal_width())
  })
  rows <- rbindlist(lapply(compared, `[[`, "parts"),
    idcol = if (length(compared) > 1) "days")
  if (length(compared) > 1) set(rows, j = "days", value = lengths[rows$days])
  cli_result(options, rows, unlist(shown))
}

refuse_workbook <- function(options) {
  if (options$format != "xlsx") return(invisible())
  abort_call("What stands side by side makes no workbook.", "--format xlsx",
    "Use --format csv, or compare queries line by line.")
}

# compared: one tide_change object, or several of windows of these lengths.
cli_result_moves <- function(options, compared, rules, lengths = NULL) {
  if (!is.null(options$figure)) save_figure(ggplot2::autoplot(compared[[1]]), options$figure)
  if (options$format == "xlsx") {
    write_workbook(if (length(compared) > 1) compared else compared[[1]], options$out)
    return(cli_note(options, sprintf("written: %s", options$out)))
  }
  if (length(compared) > 1) {
    rows <- rbindlist(lapply(seq_along(compared),
      function(i) data.table(days = lengths[i], compared[[i]]$moves)))
    return(cli_result(options, rows,
      c(unlist(lapply(compared, window_head)), side_by_side(compared, lengths, options$top))))
  }
  moves <- compared[[1]]
  if (!is.null(options$why)) return(cli_result_why(options, moves))
  drivers <- if (is.null(moves$sides)) utils::head(moves$drivers, 5)$sentence
  cli_result(options, moves$moves, c(
    format(moves, n = options$top, width = terminal_width(), keep = "--all-days"),
    if (length(drivers)) {
      c("", "What drives it",
        unlist(lapply(drivers, strwrap, terminal_width(), indent = 2, exdent = 4)))
    }),
    paint = function(lines) coloured(lines, moves, options))
}

cli_result_why <- function(options, moves) {
  asked <- utils::head(moves$moves[grepl(options$why, moves$moves$name, fixed = TRUE)], options$top)
  if (!nrow(asked)) {
    abort_call("No such line.", sprintf("--why %s", options$why),
      sprintf("Name a %s that was shown in one of the %s.", moves$level,
        if (is.null(moves$sides)) "windows" else "segments"))
  }
  whole <- whole_lines(asked)
  sentence <- vapply(seq_len(nrow(asked)),
    function(i) change_sentence(whole[i], line_name(asked$name[i], moves$level), moves), "")
  cli_result(options, asked, wrap_lines(sentence, terminal_width()))
}

# At a terminal that has colours, what is no more than noise is grey, what is clearly less is red,
# what is clearly more blue.
coloured <- function(lines, moves, options) {
  painted(lines, options, function(lines) {
    blank <- which(trimws(lines) == "")
    last_at <- if (is.na(blank[2])) length(lines) + 1 else blank[2]
    tbl <- which(seq_along(lines) > blank[1] + 1 & seq_along(lines) < last_at)
    # The sums below the lines keep their colour: of all, and of those not shown.
    many <- nrow(moves$moves)
    sums <- (many > 1) + (many > 1 && length(tbl) - 1L < many)
    tbl <- utils::head(tbl, length(tbl) - sums)
    shown <- moves$moves[seq_along(tbl)]
    real <- shown$significant %in% TRUE
    lines[tbl] <- ifelse(!real, cli::col_grey(lines[tbl]),
      ifelse(shown$change < 0, cli::col_red(lines[tbl]), cli::col_blue(lines[tbl])))
    lines
  })
}

# Changes of the same names over windows of several lengths, the longest window's first.
side_by_side <- function(compared, lengths, top) {
  longest <- compared[[which.max(lengths)]]
  if (longest$level == "site") return(NULL)
  name_texts <- utils::head(longest$moves$name, top)
  free <- max(16, terminal_width() - 11 * length(compared))
  cells <- vapply(compared, function(moves) {
    at <- moves$moves[match(name_texts, moves$moves$name)]
    pad_left(paste0(signed_count(at$change), ifelse(at$significant %in% TRUE, " *", "  ")), 11)
  }, rep("", length(name_texts)))
  shown <- if (longest$level == "page") {
    fit_path(format_path(name_texts), free)
  } else {
    fit_text(name_texts, free)
  }
  c(
    "",
    "Change of clicks against as many days before",
    paste0(fit_text(longest$level, free),
      paste(pad_left(paste0(format_plural(lengths, "day"), "  "), 11), collapse = "")),
    paste0(shown, apply(matrix(cells, length(name_texts)), 1, paste, collapse = "")))
}

# What stands above the table.
window_head <- function(moves) {
  c(comparison_head(moves, terminal_width(), "--all-days"), "")
}

# "2026-03-01..2026-03-28"
parse_window <- function(text, flag) {
  if (is.null(text)) return(NULL)
  days <- strsplit(text, "..", fixed = TRUE)[[1]]
  if (length(days) != 2 || !all(grepl("^\\d{4}-\\d\\d-\\d\\d$", days))) {
    abort_call("Not a window.", sprintf("%s %s", flag, text),
      sprintf("Write it as %s 2026-03-01..2026-03-28.", flag))
  }
  if (days[1] > days[2]) {
    abort_call("A window ends before it begins.", sprintf("%s %s", flag, text),
      "Put the first day first.")
  }
  days
}

parse_lengths <- function(text) {
  day_counts <- suppressWarnings(as.numeric(split_words(text)))
  if (anyNA(day_counts) || any(day_counts < 1)) {
    abort_call("Not lengths of windows.", sprintf("--windows %s", text),
      "Write them as --windows 7,28,90.")
  }
  day_counts
}

# For the report: the last 28 days against the 28 before, where there are days enough; or the two
# windows of an export that compares them and tells their days.
site_moves <- function(options, input, data, recent, curve) {
  compared <- if (!inherits(data, "tide_promised")) earlier_beside(data, c("query", "page"))
  if (!is.null(compared) && !is.na(compared$from)) {
    return(tide_compare(data, by = "page", brand = input$settings$rules$brand,
      rules = input$settings$rules, events = events_input(options, input)))
  }
  if (dated_days(recent) < 56) return(NULL)
  tide_compare(recent, site_days = site_days_table(data), days = 28, by = "page", curve = curve,
    brand = input$settings$rules$brand, rules = input$settings$rules,
    events = events_input(options, input))
}
