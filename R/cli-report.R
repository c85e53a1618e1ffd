# inktide report and demo: one file to hand over, and the demo project with everything run on it.

command_report <- function(shared) {
  list(
    job = "one self-contained HTML file",
    files = "[FILE...]",
    example = c("inktide report export.csv --brand fernmoor --out report.html",
      "inktide report --project my-site --for client"),
    options = c(options_named(shared, "--format", but = TRUE),
      list(text_option("--title", "TEXT", "title of the report"),
        choice_option("--for", "WHO", names(report_readers),
          "analyst (everything), client or writer [analyst]", "analyst"), events_option(),
        results_pages_option(), band_option(), target_option())),
    arguments = c(file = "--out", reader = "--for"),
    run = run_report)
}

run_report <- function(options, files) {
  input <- resolve_input(options, files)
  out <- if (!is.null(options$out)) {
    options$out
  } else if (!length(files)) {
    file.path(input$folder, "report.html")
  } else {
    "report.html"
  }
  check_report_path(out)
  logo <- as.character(input$settings$letterhead$logo)
  html <- answer_once(options, input, "report", also = list(Sys.Date(), file.info(logo)$mtime),
    make = function(options) report_text(options, input))
  write_whole(out, function(path) write_lines(html, path))
  cli_out(out)
}

# The page as one text.
report_text <- function(options, input) {
  also <- if (length(input$files)) parts_shown
  input_data <- read_input(options, input, months = TRUE, also = also)
  findings <- find_input(options, input, input_data)
  path <- tempfile(fileext = ".html")
  on.exit(unlink(path))
  write_report(options, input, chosen_rows(options, input, input_data, also), findings, path,
    title = if (is.null(options$title)) input$title else options$title)
  file_text(path)
}

# Every part of the report. What tells of now rests on the rows of the last 90 days, which are read
# once.
write_report <- function(options, input, data, findings, out, title) {
  reader <- first_given(options[["for"]], "analyst")
  given <- report_readers[[reader]]
  # Worked out only where the reader is given it.
  of <- function(section, value) if (section %in% given) value
  local_forks(input)
  # What takes longest and rests on months is worked out beside the rest.
  forecast <- start_forked(function() of("forecast", site_forecast(options, input, data, findings)))
  recent <- last_rows(options, input, data, usual_days)
  curve <- recent_curve(input, data, recent, findings)
  tide_report(findings, out, title = title, site = of("totals", site_walk(input, recent)),
    moves = of("moved", site_moves(options, input, data, recent, curve)),
    followed = of("moved", site_followed(options, input, data, findings)),
    inventory = of("inventory", site_inventory(options, input, recent, findings)),
    parts = of("parts", site_parts(options, input, data)),
    watched = of("watched", report_watched_queries(input, recent, curve)),
    forecast = forecast(),
    chosen = segment_words(all_segments(input)), reader = reader,
    letterhead = as.list(input$settings$letterhead))
}

# The curve of the last 90 days, on which comparisons rest: that of the findings where they have no
# other days. NULL where there are no two windows.
recent_curve <- function(input, data, recent, findings) {
  if (dated_days(recent) < 14) return(NULL)
  same_rows <- !inherits(data, "tide_promised") && !length(waiting_segments(input))
  if (same_rows && dated_days(recent) <= usual_days) return(findings$curve)
  recent <- within_newest(recent, usual_days)
  tide_curve(sum_up(recent, input))
}

# The months ahead, with the tasks that are worth doing; NULL where too few months are known or the
# package for it is not there.
site_forecast <- function(options, input, data, findings) {
  if (!nzchar(system.file(package = "forecast"))) return(NULL)
  known <- site_months(options, input)
  past <- tryCatch(tide_history(if (is.null(known)) data else known[1],
    events = events_input(options, input)),
    tide_error_thin = function(e) NULL, tide_error_grain = function(e) NULL)
  if (is.null(past)) return(NULL)
  tasks <- task_leads(useful_tasks(findings)$findings)$id
  plan <- if (length(tasks)) tide_plan(findings, do = tasks)
  tide_forecast(past, plan = if (!is.null(plan)) list(`the list` = plan),
    facts = facts_input(options, input),
    review = if (!is.null(input$store)) tide_review(input$store, past))
}

# What the report shows side by side, where the data have it.
parts_shown <- c("rich_result", "vertical", "device", "country")

site_parts <- function(options, input, data) {
  data <- if (inherits(data, "tide_promised") || chose_window(options)) {
    last_rows(options, input, data, usual_days, also = parts_shown)
  } else {
    within_newest(data, usual_days)
  }
  has <- vapply(parts_shown, function(by) !is.null(pick_table(data, by)), NA)
  lapply(parts_shown[has], function(by) {
    tide_compare(data, by = by, rules = input$settings$rules, most = 6)
  })
}

command_demo <- function(shared) {
  list(
    job = "make the demo project and run everything on it",
    files = "[DIR]",
    example = "inktide demo my-demo",
    options = c(options_named(shared, "--quiet"),
      list(switch_option("--service", "serve its rows on this machine, to try 'inktide pull' on"))),
    run = run_demo)
}

# Until it is stopped.
run_demo_service <- function(dir, port = 8124) {
  path <- file.path(dir, "exports", "daily.csv")
  if (!file.exists(path)) tide_demo(dir)
  input_data <- tide_read(path, lag = 0)
  rows <- copy(input_data$tables[[1]]$rows)
  if (is.null(rows[["device"]])) set(rows, j = "device", value = "desktop")
  server <- tide_demo_service(rows, port = port)
  on.exit(httpuv::stopServer(server))
  cli_out(c(sprintf("http://127.0.0.1:%d/rows answers until this is stopped (Ctrl-C).", port),
    "In inktide.yml:", sprintf("  %s", demo_pull_lines(port))))
  repeat httpuv::service(1000)
}

demo_pull_lines <- function(port) {
  c("pull:", "  daily:", sprintf("    url: http://127.0.0.1:%d/rows", port),
    "    body: {day: \"{date}\", limit: \"{limit}\", offset: \"{offset}\"}", "    rows: /rows",
    "    fields: {query: /keys/0, page: /keys/1, clicks: /clicks, impressions: /impressions,",
    "      position: /position}", "    paging: {by: offset, limit: 1000}", "    count: /total",
    "    token_env: DEMO_TOKEN  # export DEMO_TOKEN=demo-token")
}

run_demo <- function(options, files) {
  folder <- if (length(files)) files[1] else "demo-site"
  if (length(files) > 1) {
    abort_call("Too many folders.", paste(files, collapse = " "),
      "Name one folder, or none for 'demo-site'.")
  }
  if (dir.exists(folder) && length(list.files(folder)) &&
    !file.exists(file.path(folder, "inktide.yml"))) {
    abort_call("The folder holds something else.", sprintf("'%s'.", folder),
      "Name a new or empty folder.")
  }
  if (options$service) return(run_demo_service(folder))
  cli_note(options, "Making the demo site: Fernmoor Seeds, 16 months, invented ...")
  tide_demo(folder, mixed = TRUE)
  options <- list(format = "csv", quiet = options$quiet, project = folder)
  cli_note(options, "Fitting the curve, looking for opportunities ...")
  input <- resolve_input(options, character())
  input_data <- read_input(options, input, also = parts_shown)
  findings <- find_input(options, input, input_data)
  files <- file.path(folder, c(report = "report.html", list = "findings.csv",
    curve = "figures/curve.png", map = "figures/map.png"))
  dir.create(file.path(folder, "figures"), showWarnings = FALSE)
  save_figure(ggplot2::autoplot(findings$curve), files[3])
  save_figure(ggplot2::autoplot(findings), files[4])
  write_report(options, input, input_data, findings, files[1], title = "Fernmoor Seeds")
  cli_result(utils::modifyList(options, list(out = files[2], quiet = TRUE)),
    in_sentences(findings), NULL)
  cli_out(c(
    "",
    findings_lines(tide_choose(findings, top = 5), findings, terminal_width()),
    "",
    paste0(c("report:       ", "ranked list:  ", "curve figure: ", "map figure:   "), files),
    sprintf("to try out:   inktide load %s --project %s", file.path(folder, "mixed-exports"),
      file.path(folder, "archive-of-mixed")),
    sprintf("              inktide load %s --project %s", file.path(folder, "exports"), folder),
    sprintf("              inktide open --project %s", folder),
    sprintf("              inktide pages %s --project %s", file.path(folder, "site-html"), folder)))
}
