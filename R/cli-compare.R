# inktide compare: windows, segments side by side, and segments line by line.

command_compare <- function(shared) {
  list(
    job = "two windows and why clicks changed, or segments side by side",
    files = "[FILE...]",
    example = c("inktide compare export.csv --days 28 --level page --brand fernmoor",
      "inktide compare export.csv --losers --top 20",
      "inktide compare export.csv --windows 7,28 --level site"),
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
      number_option("--top", "N", "lines of the table [5]", 5),
      switch_option("--losers", "only lines that lost clicks"),
      switch_option("--gainers", "only lines that gained clicks"),
      choice_option("--sort", "FIGURE", names(change_sizes),
        paste("largest change first of clicks, impressions, ctr or position (the last two by the",
          "clicks they moved) [clicks]"), "clicks"),
      choice_option("--by", "WHAT", c(change_levels, names(compare_splits)), paste(
        "lines, as by --level: query, page, folder, topic, pair, site; or parts side by side:",
        "brand, intent, page_group, band, words, term, country, device, vertical, rich_result")),
      text_option("--segments", "A,B",
        "two segments of inktide.yml against each other, or one against the rest"),
      events_option(),
      figure_option())),
    formats = "xlsx",
    run = run_compare)
}

run_compare <- function(options, files) {
  if (is.null(options$level) && isTRUE(options$by %in% change_levels)) {
    options[c("level", "by")] <- list(options$by, NULL)
  }
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
  refuse_given(options, two_window_flags,
    "These options are about two windows, and parts stand side by side over one.",
    "Name the days with --from and --to; or leave out --by and --segments to compare windows.")
  if (!is.null(options$level)) return(run_sides(options, files))
  refuse_given(options, c("--fdr", "--why", line_flags), "Parts side by side have no lines.",
    "Leave it out, or compare segments line by line: --segments A --level query.")
  refuse_workbook(options)
  input <- resolve_input(options, files)
  need_brand(options$by, input$settings, "--by")
  segments <- if (!is.null(options$segments)) {
    named_segments(split_words(options$segments), input$settings, "--segments")
  }
  needed <- if (is.null(options$by)) {
    names(all_conditions(segments))
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
  compared <- tryCatch(
    answer_once(options, input, "compare",
      function(options) input_moves(options, input, after, before, day_counts), decided = NULL),
    tide_error_grain = function(error) {
      part <- parts_without_days(read_input(options, input))
      asked <- !is.null(options$level) || any(two_window_flags %in% options$given)
      if (is.null(part) || asked) stop(error)
      part
    })
  # Devices beside each other, without a day, are what an export of two segments compares.
  if (is.character(compared)) {
    options$by <- compared
    return(run_compare(options, files))
  }
  # Without queries windows stand side by side as totals.
  if (inherits(compared[[1]], "tide_comparison")) {
    return(cli_result_totals(options, compared, day_counts))
  }
  cli_result_moves(options, compared, input$settings$rules, day_counts)
}

# The part whose names stand beside each other where no table has days, or NULL.
parts_without_days <- function(data) {
  if (!is.null(pick_table(data, "date"))) return(NULL)
  Find(function(part) !is.null(pick_table(data, part)),
    intersect(split_dimensions, names(compare_splits)))
}

# What changed between windows, one comparison for each number of days.
input_moves <- function(options, input, after, before, day_counts) {
  rows <- compared_rows(options, input, compared_days(after, before, max(day_counts)))
  # Days before the windows are not asked for, so they are not named as left out.
  own_window <- rows$left_out$cause == "window" & !chose_window(options)
  remark_left_out(options, rows$left_out[which(!own_window)], rows$kept)
  lapply(day_counts, function(days) tide_compare(rows$data, site_days = rows$days,
    after = after, before = before, days = days, by = options$level, fdr = options$fdr,
    brand = input$settings$rules$brand, rules = input$settings$rules,
    events = events_input(options, input), all_days = options$all_days))
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
    also = names(all_conditions(segments)))
  rules <- input$settings$rules
  compared <- tide_compare(input_data, segments = segments, by = options$level, fdr = options$fdr,
    brand = rules$brand, rules = rules)
  if (inherits(compared, "tide_comparison")) {
    refuse_given(options, c("--fdr", "--why", line_flags),
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
  refuse_given(options, c("--why", "--figure", line_flags, "--fdr", "--all-days", "--events",
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
    return(cli_result(options, rows, c(side_by_side(compared, lengths, options$top), "",
      unlist(lapply(compared, window_head)))))
  }
  moves <- compared[[1]]
  if (!is.null(options$why)) return(cli_result_why(options, moves))
  width <- terminal_width()
  lines <- chosen_lines(options, moves)
  cli_result(options, lines, c(
    change_answer(moves, options$top, width, "--all-days", lines),
    "",
    wrap_lines(change_causes(moves, if (options$details) 5 else 1), width)),
    paint = function(text) coloured(text, lines, options))
  remark(options, change_besides(moves), weight = 1)
  if (nrow(lines)) {
    remark_next(options, if (moves$level %in% c("query", "page")) {
      sprintf("inktide trace \"%s\"", if (moves$level == "page") {
        format_path(lines$name[1])
      } else {
        lines$name[1]
      })
    }, sprintf("inktide compare --why \"%s\"", lines$name[1]))
  }
}

two_window_flags <- c("--after", "--before", "--year", "--windows", "--all-days", "--events")
line_flags <- c("--top", "--losers", "--gainers", "--sort")

# How much of each figure a line changed; CTR and position in the clicks that they moved, since the
# CTR of a few impressions changes most.
change_sizes <- list(
  clicks = function(moves) moves$change,
  impressions = function(moves) moves$impressions_after - moves$impressions_before,
  ctr = function(moves) moves$by_ctr,
  position = function(moves) moves$by_position)

# The lines that are asked for, the largest change first.
chosen_lines <- function(options, moves) {
  lines <- moves$moves
  if (options$losers != options$gainers) {
    lines <- lines[if (options$losers) lines$change < 0 else lines$change > 0]
  }
  if (options$sort == "clicks") return(lines)
  lines[order(-abs(change_sizes[[options$sort]](lines)))]
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
coloured <- function(text, lines, options) {
  painted(text, options, function(text) {
    # Below the two lines of heads each line has two, too.
    first <- which(trimws(text) == "")[1] + 3L
    shown <- utils::head(lines, options$top)
    at <- first + seq_len(2L * nrow(shown)) - 1L
    way <- rep(ifelse(shown$significant %in% TRUE, sign(shown$change), 0), each = 2)
    text[at] <- ifelse(way == 0, cli::col_grey(text[at]),
      ifelse(way < 0, cli::col_red(text[at]), cli::col_blue(text[at])))
    text
  })
}

# Figures and changes of the same names over windows of several lengths, the longest window's first.
side_by_side <- function(compared, lengths, top) {
  longest <- compared[[which.max(lengths)]]
  of_site <- longest$level == "site"
  name_texts <- if (!of_site) utils::head(longest$moves$name, top)
  row_of <- function(moves, name) {
    at_line <- match(name, moves$moves$name)
    if (is.na(name)) moves$site else moves$moves[at_line]
  }
  block <- function(name, label) {
    rows <- rbindlist(lapply(compared, row_of, name), fill = TRUE)
    figure <- function(value, change) {
      ifelse(is.na(value), "", paste0(value, ifelse(is.na(change), "", paste0(" (", change, ")"))))
    }
    points <- 100 * (rows$ctr_after - rows$ctr_before)
    c(label, paste0("  ", pad_left(format_plural(lengths, "day"), 8),
      pad_left(figure(format_count(rows$clicks_after), signed_count(rows$change)), 18),
      pad_left(figure(format_count(rows$impressions_after),
        signed_count(rows$impressions_after - rows$impressions_before)), 21),
      pad_left(figure(format_rate(rows$ctr_after),
        ifelse(is.na(points), NA, signed_tenth(points))), 13),
      pad_left(figure(format_position(rows$position_after),
        ifelse(is.na(rows$position_after - rows$position_before), NA,
          signed_tenth(rows$position_after - rows$position_before))), 14),
      ifelse(rows$significant %in% TRUE, " *", "")))
  }
  c(
    paste0("  ", pad_left("", 8), pad_left("clicks", 18), pad_left("impressions", 21),
      pad_left("CTR (points)", 13), pad_left("position", 14)),
    unlist(lapply(name_texts, function(name) {
      block(name, if (longest$level == "page") format_path(name) else name)
    })),
    block(NA, if (of_site) "the site" else sprintf("all %s", level_count(nrow(longest$moves),
      longest$level))),
    "In brackets: against as many days before.")
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
