# Commands on a project's archive.

command_load <- function(shared) {
  list(
    job = "put exports into the project's archive",
    files = "FILE...",
    example = "inktide load exports/*.csv --project my-site",
    options = c(reading_options(shared), options_named(shared, "--source"),
      list(number_option("--undo", "N", "undo import N instead"),
        switch_option("--history", "show the imports instead"),
        text_option("--to", "NAME", "copy the archive into this database of inktide.yml instead"))),
    run = run_load)
}

run_load <- function(options, files) {
  folder <- project_folder(options)
  if (is.null(folder)) folder <- "."
  if (options$history) {
    return(cli_out(wrap_lines(history_lines(summary(open_archive(folder))), terminal_width())))
  }
  if (!is.null(options$undo)) {
    tide_undo(open_archive(folder), options$undo)
    return(cli_out(sprintf("Import %g no longer counts.", options$undo)))
  }
  if (!is.null(options$to)) return(copy_archive(options, folder))
  if (!is.null(options$source)) {
    files <- chosen_source(options, tide_settings(folder), NULL, NULL)
  }
  if (!length(files)) {
    abort_call("No file to load.", "inktide load",
      "Name the exports, as in: inktide load exports/*.csv")
  }
  new <- !file.exists(file.path(folder, "inktide.yml"))
  settings <- if (!new) tide_settings(folder)
  store <- tide_store(folder)
  loaded <- do.call(tide_load, c(
    list(store, files, exported = options$exported, progress = progress_to_terminal(options)),
    reading_rules(options, settings)))
  cli_out(wrap_lines(format(loaded), terminal_width()))
  if (length(settings$watched) && !is.na(loaded$import)) say_watched(store, settings)
  if (new) {
    begun(options,
      tide_init(tide_stored(store, lag = 0, dimensions = c("date", "query", "page")), folder))
  }
  if (!is.na(loaded$import)) {
    sum_ahead(folder, progress_to_terminal(options))
    clear_progress()
  }
}

open_archive <- function(folder) {
  if (!has_archive(folder)) {
    abort_tide("The project has no archive yet.", where = sprintf("'%s'.", folder),
      fix = "Load exports first: inktide load FILE... --project DIR", class = "project")
  }
  tide_store(folder)
}

command_init <- function(shared) {
  list(job = "begin a project: settings guessed from the exports, for you to confirm",
    files = "[FILE...]", example = "inktide init exports/*.csv --project my-site",
    options = reading_options(shared), run = run_init)
}

run_init <- function(options, files) {
  folder <- if (is.null(options$project)) "." else options$project
  if (!length(files) && dir.exists(file.path(folder, "exports"))) {
    files <- file.path(folder, "exports")
  }
  # Refused before anything is read.
  check_new_project(folder)
  if (!length(files)) return(begun(options, tide_init(NULL, folder)))
  input_data <- do.call(tide_read, c(list(files, lag = 0, exported = options$exported,
    dimensions = c("date", "query", "page"), progress = progress_to_terminal(options)),
    reading_rules(options, NULL)))
  begun(options, project <- tide_init(input_data, folder, exports = expand_inputs(files)$path))
  cli_out(wrap_lines(format(project), terminal_width()))
}

begun <- function(options, project) {
  # Made even where nothing is said of it.
  force(project)
  cli_note(options,
    sprintf("A new project: '%s'. Read it, and correct what was guessed.", project$file))
}

command_enrich <- function(shared) {
  list(
    job = "keep search volumes, titles, values by query or page",
    files = "FILE...",
    example = "inktide enrich volumes.csv --project my-site",
    options = c(options_named(shared, c("--project", "--columns", "--quiet")),
      list(text_option("--date", "DATE", "day of the facts [the file's]"))),
    run = run_enrich)
}

run_enrich <- function(options, files) {
  folder <- needed_project(options)
  if (!length(files)) {
    abort_call("No file of facts.", "inktide enrich",
      "Name tables by query or by page, as in: inktide enrich volumes.csv")
  }
  store <- open_archive(folder)
  facts <- tide_facts(files, date = options$date, columns = options$columns)
  kept <- tide_load(store, facts)
  settings <- tide_settings(folder)
  site_summary <- tide_enrich(
    sum_up(tide_stored(store, by_month = TRUE), list(settings = settings)), facts,
    goals = settings$goals)
  cli_out(wrap_lines(c(unlist(lapply(facts, format)), fact_lines(site_summary$facts),
    if (!any(kept$kept)) "Nothing changed: the archive holds these facts already."),
    terminal_width()))
}

copy_archive <- function(options, folder) {
  store <- open_archive(folder)
  settings <- tide_settings(folder)
  spec <- named_source(settings, options$to, "--to")
  con <- open_database(spec, settings$folder, write = TRUE)
  on.exit(DBI::dbDisconnect(con))
  copied <- tide_copy_to(store, con, spec$tables[1],
    if (length(spec$tables) > 1) spec$tables[2], progress = progress_to_terminal(options))
  cli_out(sprintf("%s: %s of %s written (%s), the others were there already.", copied$table,
    format_count(copied$written), format_plural(copied$days, "day"),
    format_plural(copied$rows, "row")))
}

history_lines <- function(history) {
  if (!nrow(history)) return("No imports yet.")
  unlist(lapply(split(history, history$import), function(own) {
    c(sprintf("Import %d on %s UTC, exported %s: %s%s", own$import[1], substr(own$at[1], 1, 16),
      own$exported[1], own$files[1], if (own$undone[1]) " (undone)" else ""),
      change_lines(own))
  }),
    use.names = FALSE)
}

command_check <- function(shared) {
  list(
    job = "what is stored, how complete it is, what is wrong with it",
    files = "[FILE...]",
    example = "inktide check --project my-site",
    options = c(
      reading_options(shared),
      options_named(shared, c("--source", "--format", "--out")),
      list(switch_option("--strict", "end with status 1 where there are problems"),
        switch_option("--rebuild", "first make the archive's index anew from its parts"))),
    run = run_check)
}

run_check <- function(options, files) {
  if (options$rebuild) {
    folder <- project_folder(options)
    tide_rebuild(if (is.null(folder)) "." else folder)
    cli_note(options, "The index was rebuilt from the parts; the one before is kept next to it.")
  }
  input <- resolve_input(options, files)
  store <- first_given(input$source, input$store)
  if (!is.null(store)) {
    refuse_given(options, "--exported", "What is stored knows when it was exported.",
      "Leave it out, or name the files.")
  }
  if (is.null(store)) {
    # What is not stored is checked in an archive that is gone afterwards.
    scratch <- new_scratch()
    on.exit(unlink(scratch, recursive = TRUE))
    store <- tide_store(scratch)
    do.call(tide_load, c(list(store, input$files, exported = options$exported,
      progress = progress_to_terminal(options)),
      reading_rules(options, input$settings)))
  }
  found <- tide_check(store, brand = input$settings$rules$brand, rules = input$settings$rules)
  cli_result(options, found$problems, wrap_lines(format(found, details = options$details),
    terminal_width()))
  remark_next(options, "inktide find", "--details (what follows from each, coverage by month)")
  problems <- sum(found$problems$weight == "problem")
  if (options$strict && problems) {
    abort_tide(sprintf("The data have %s.", format_plural(problems, "problem")),
      where = sprintf("'%s'.", if (length(files)) files[1] else input$folder),
      fix = "See the list above.", class = "check")
  }
}
