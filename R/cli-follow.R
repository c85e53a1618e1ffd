# The command `follow`.

follow_views <- c("pages", "lines", "bands", "events", "changes", "days")

command_follow <- function(shared) {
  list(
    job = "pages over time: positions, CTR, events, changes, unusual days",
    files = "[FILE...]",
    example = "inktide follow export.csv --of \"/guides/*\" --events events.csv --brand fernmoor",
    options = c(options_named(shared, "--facts", but = TRUE), list(
      text_option("--of", "PAGES",
        "addresses or paths, * for all below [the pages with the most clicks]"),
      choice_option("--by", "STEP", c("week", "day"), "week or day [week]", "week"),
      choice_option("--leading", "WHAT", c("impressions", "clicks", "gain"),
        "queries to draw, by impressions, clicks or gain [impressions]", "impressions"),
      number_option("--lines", "N", "so many queries of each page [5]", 5),
      number_option("--top", "N", "most pages [6]", 6),
      choice_option("--view", "PART", follow_views,
        "pages (and all in short), lines, bands, events, changes or days [pages]", "pages"),
      switch_option("--all-days", "unusual days too (bots, outages), which are else left out"),
      events_option(),
      figure_option(),
      choice_option("--draw", "WHAT", c("positions", "ctr", "queries"),
        "positions, ctr or queries [positions]", "positions"))),
    arguments = c(pages = "--of", most = "--top"),
    run = run_follow)
}

# The last half year where no days are chosen, whatever the rows come from.
followed_rows <- function(options, input, data) {
  data <- last_rows(options, input, data, followed_days)
  if (chose_window(options) || dated_days(data) <= followed_days) return(data)
  tide_filter(data, days = followed_days)
}

followed_input <- function(options, input, events) {
  input_data <- read_input(options, input)
  remark_left_out(options, input_data$left_out, kept_by_grain(input_data))
  input_data <- followed_rows(options, input, input_data)
  brand <- input$settings$rules$brand
  findings <- if (options$leading == "gain") find_input(options, input, input_data)
  curve <- if (is.null(findings)) tide_curve(sum_up(input_data,
    input)) else findings$curve
  tide_follow(input_data,
    pages = if (!is.null(options$of)) strsplit(options$of, "[ ,]+")[[1]], by = options$by,
    leading = options$leading, lines = options$lines, most = options$top, findings = findings,
    curve = curve, brand = brand, events = events, rules = input$settings$rules,
    all_days = options$all_days)
}

run_follow <- function(options, files) {
  drawn <- !is.null(options$figure)
  if (!drawn && options$view != "lines") {
    refuse_given(options, c("--lines", "--leading"),
      "Only lines and figures show queries of a page.",
      "Add --view lines or --figure FILE.")
  }
  if (!drawn) refuse_given(options, "--draw", "Nothing is drawn.", "Add --figure FILE.")
  input <- resolve_input(options, files)
  if (is_stored(input) && !chose_window(options)) options$days <- followed_days
  events <- events_input(options, input)
  followed <- answer_once(options, input, "follow", but = setdiff(shown_only, "top"),
    make = function(options) followed_input(options, input, events))
  if (!is.null(options$figure)) {
    save_figure(ggplot2::autoplot(followed, options$draw), options$figure)
  }
  if (options$view == "events" && is.null(events)) {
    abort_call("No events are known.", "--view events",
      "Name a table with the columns date, event and pages: --events FILE.")
  }
  rows <- switch(options$view, pages = followed$pages, lines = followed$lines,
    bands = followed$bands, events = followed$shifts, changes = followed$changes,
    days = followed$unusual)
  text <- if (options$view == "pages") {
    format(followed, width = terminal_width(), keep = "--all-days", details = options$details)
  } else if (options$view %in% c("lines", "bands")) {
    rows_as_text(rows, terminal_width())
  } else {
    follow_part(followed, options$view, terminal_width())[-1]
  }
  cli_result(options, rows, text)
  if (options$view == "pages" && NROW(followed$unusual)) {
    remark(options, character(), sprintf("%s left out; --all-days keeps them",
      format_plural(nrow(followed$unusual), "run of unusual days", "runs of unusual days")), 3)
  }
  remark_next(options, "inktide follow --view days", "--figure FILE")
}

# Rows that have no layout of their own: names take what figures leave.
rows_as_text <- function(rows, width, most = 50) {
  shown <- utils::head(as.data.frame(rows), most)
  named <- intersect(c("page", "query"), names(shown))
  heading <- setdiff(names(shown), named)
  figures <- do.call(cbind, lapply(shown[heading], function(x) {
    if (inherits(x, "IDate") || !is.numeric(x)) return(as.character(x))
    ifelse(is.na(x), "", format(signif(x, 3), trim = TRUE))
  }))
  left <- (width - columns_width(heading, figures)) %/% length(named) - 2
  name_texts <- do.call(cbind, lapply(named, function(name) {
    if (name == "query") return(fit_text(shown$query, name_width(shown$query, left, least = 12)))
    path <- format_path(shown$page)
    fit_path(path, name_width(path, left, least = 12))
  }))
  c(column_lines(c(named, heading), cbind(name_texts, figures), length(named)),
    if (nrow(rows) > most) sprintf("... and %s more", format_count(nrow(rows) - most)))
}

# For the report, where there are days enough.
site_followed <- function(options, input, data, findings) {
  data <- followed_rows(options, input, data)
  tbl <- pick_table(data, c("date", "query", "page"))
  if (dated_days(data) < 56 || wide_dates(tbl)) return(NULL)
  tide_follow(data, curve = findings$curve, brand = input$settings$rules$brand,
    events = events_input(options, input), rules = input$settings$rules)
}
