# What every command does first: settle the input, read, filter, reduce. Notes go to standard error.

note <- function(options, ...) {
  if (!isTRUE(options$quiet)) writeLines(wrap_lines(unlist(strsplit(paste0(...), "\n", fixed = TRUE)), terminal_width()), stderr())
}

# Work that may take seconds is announced, but only to a person at a terminal.
progress_to_terminal <- function(options) {
  if (isTRUE(options$quiet) || !isatty(stderr())) return(NULL)
  function(text) writeLines(paste0(text, " ..."), stderr())
}

# Out: list(files, store, brand, columns, title, folder): from named files, or from the project's archive, or from the
# exports that its settings name where nothing was loaded yet.
settle_input <- function(options, files) {
  folder <- if (!is.null(options$project)) options$project else if (!length(files)) find_project(".")
  if (is.null(folder) && !length(files)) {
    abort_call("No data to work on.", "No file is named, and no folder upwards holds inktide.yml.",
      "Name CSV files, or a project with --project DIR. To try it out: inktide demo")
  }
  project <- if (!is.null(folder)) read_project(folder)
  store <- if (!length(files) && file.exists(file.path(folder, "archive", "archive.sqlite"))) tide_store(folder)
  if (!length(files) && is.null(store)) files <- project$exports
  if (!length(files) && is.null(store)) {
    abort_tide("The project holds no data yet.", where = sprintf("'%s' has no archive and names no exports.", folder),
      mend = "Load some: inktide load FILE... --project DIR", class = "settings")
  }
  brand <- if (!is.null(options$brand)) options$brand else if (length(project$brand)) project$brand
  site <- if (is.null(project$site)) "" else sub("/$", "", sub("^https?://(www\\.)?", "", project$site))
  list(files = files, store = store, brand = brand, columns = project$columns, folder = folder, title = if (nzchar(site)) site else "Search performance")
}

# Only the dimensions a run needs are read: skipping a column is the cheapest filter.
needed_dimensions <- function(options) {
  c("date", "query", "page", intersect(c("country", "device", "vertical"), names(Filter(Negate(is.null), options))))
}

# What is to be worked on, read and filtered.
read_input <- function(options, input) {
  progress <- progress_to_terminal(options)
  data <- if (!is.null(input$store)) {
    tide_stored(input$store, from = options$from, to = options$to, days = options$days, lag = options$lag, dimensions = needed_dimensions(options))
  } else tide_read(input$files, lag = options$lag, exported = options$exported, dimensions = needed_dimensions(options),
    columns = if (is.null(options$columns)) input$columns else options$columns, date_order = options$date_order, progress = progress)
  tide_filter(data, from = options$from, to = options$to, days = options$days, query = options$query,
    not_query = options$not_query, page = options$page, not_page = options$not_page, country = options$country,
    device = options$device, vertical = options$vertical)
}

summarise_input <- function(options, input) {
  data <- read_input(options, input)
  progress <- progress_to_terminal(options)
  if (!is.null(progress)) progress("Reducing")
  chosen <- !is.null(options$from) || !is.null(options$to) || !is.null(options$days)
  summary <- tide_summary(data, brand = input$brand, recent_days = if (chosen) 3660 else 90)
  note(options, paste(format(summary), collapse = "\n"))
  if (is.null(input$brand)) note(options, "  no brand words: brand queries are in the pool; name them with --brand")
  summary
}

find_input <- function(options, summary) {
  segment <- options$segment
  curve <- tide_curve(summary)
  if (identical(segment, "all")) segment <- names(curve$fits)
  tide_find(summary, curve, band = if (is.null(options$band)) c(4, 20) else options$band,
    min_gain = if (is.null(options$min_gain)) 0.5 else options$min_gain,
    min_impressions = if (is.null(options$min_impressions)) 1 else options$min_impressions,
    position = options$position, segment = segment)
}
