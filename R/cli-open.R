# inktide open: the workbench in the browser.

command_open <- function(shared) {
  list(
    job = "a workbench in the browser: list, reasons, tables, decisions",
    files = "[FILE...]",
    example = "inktide open --project my-site",
    options = c(options_named(shared, c("--brand", "--brand-exact", "--from", "--to", "--days",
      "--facts", "--exported", "--lag", "--date-order", "--decimal", "--clicks-above", "--repeats",
      "--columns", "--project", "--source", "--quiet")),
      list(number_option("--port", "N", "port of this machine [8170, or the next that is free]"),
        text_option("--host", "ADDRESS", "address it listens on [127.0.0.1, this machine alone]",
          "127.0.0.1"),
        switch_option("--read-only", "decisions cannot be made"),
        switch_option("--no-browser", "print the address and open no browser"),
        results_pages_option(), events_option())),
    run = run_open)
}

run_open <- function(options, files) {
  need_shiny()
  need_callr()
  use_threads(0)
  check_number(options$port, "--port", min = 1, max = 65535, null = TRUE)
  port <- chosen_port(options$port)
  # Refused before anything is opened.
  sites <- if (!length(files)) sites_below(first_given(options$project, "."))
  work <- if (length(sites)) several_works(options, sites) else one_work(options, files)
  on.exit(work$cancel())
  token <- kept_token()
  # Whoever listens on all addresses may be called by any name.
  anywhere <- options$host == "0.0.0.0"
  name <- if (anywhere) Sys.info()[["nodename"]] else options$host
  own_url <- sprintf("http://%s:%d/?token=%s", name, port, token)
  hosts <- if (anywhere) "*" else setdiff(options$host, c("127.0.0.1", "localhost"))
  cli_out(c(sprintf("Ink Tide is open: %s", own_url), "It ends with Ctrl-C."))
  app <- workbench_app(work, token, first_given(work$title, "Ink Tide"), hosts)
  suppressMessages(shiny::runApp(app, port = port, host = options$host, quiet = TRUE,
    launch.browser = if (options$no_browser) FALSE else function(address) open_browser(own_url)))
}

# Projects right below a folder that is none itself, by their folders' names.
sites_below <- function(folder) {
  if (file.exists(file.path(folder, "inktide.yml")) || !is.null(find_project(folder))) return(NULL)
  below <- list.dirs(folder, recursive = FALSE)
  below <- below[file.exists(file.path(below, "inktide.yml"))]
  stats::setNames(below, basename(below))
}

one_work <- function(options, files) {
  input <- resolve_input(options, files)
  work <- background_work(options, files, input)
  c(work, list(title = input$title))
}

# Each site is worked out when somebody picks it.
several_works <- function(options, sites) {
  works <- list()
  site_path <- function(site) {
    if (is.null(works[[site]])) {
      options$project <- sites[[site]]
      works[[site]] <<- background_work(options, character(),
        resolve_input(options, character()))
    }
    works[[site]]
  }
  list(sites = names(sites), held = function(site) site_path(site)$held(site),
    progress = function(site) site_path(site)$progress(site),
    cancel = function(site = names(works)) for (one in site) if (!is.null(works[[one]])) {
      works[[one]]$cancel(one)
    },
    changed = function(site) !is.null(works[[site]]) && works[[site]]$changed(site),
    again = function(site) site_path(site)$again(site))
}

need_callr <- function() {
  if (requireNamespace("callr", quietly = TRUE)) return(invisible())
  abort_tide("The workbench needs the R package callr.", where = "the R library.",
    fix = "In R: install.packages(\"callr\")", class = "package")
}

open_browser <- function(url) {
  try(utils::browseURL(url), silent = TRUE)
}

# The same for all workbenches of this user, so that bookmarks hold; nobody else may read it.
kept_token <- function() {
  file_path <- file.path(tools::R_user_dir("inktide", "cache"), "workbench-token")
  if (file.exists(file_path)) {
    token <- readLines(file_path, n = 1L, warn = FALSE)
    if (length(token) && grepl("^[0-9a-f]{32}$", token)) return(token)
  }
  token <- random_token()
  try({
    dir.create(dirname(file_path), recursive = TRUE, showWarnings = FALSE, mode = "0700")
    write_whole(file_path, function(path) write_lines(token, path))
    Sys.chmod(file_path, "0600")
  }, silent = TRUE)
  token
}

is_free <- function(port) {
  socket <- tryCatch(suppressWarnings(serverSocket(port)), error = function(e) NULL)
  if (is.null(socket)) return(FALSE)
  close(socket)
  TRUE
}

chosen_port <- function(port, first = 8170L, tried = 50L) {
  if (is.null(port)) {
    free <- Find(is_free, first + seq_len(tried) - 1L)
    if (!is.null(free)) return(free)
    abort_call("No free port.", sprintf("%d to %d", first, first + tried - 1L),
      "Name one: --port N.")
  }
  if (is_free(as.integer(port))) return(as.integer(port))
  abort_call("The port is taken.", sprintf("--port %g", port),
    "Name another, or leave the option out.")
}

# The list is worked out in a process of its own, so that the page answers meanwhile; kept results
# make it short. What it gives comes as a file. changed: whether the data are others since; again
# works it out anew.
background_work <- function(options, files, input) {
  folder <- process <- held <- rests_on <- NULL
  path_in <- function(name) file.path(folder, name)
  make_start <- function() {
    if (!is.null(process)) {
      if (process$is_alive()) process$kill()
      unlink(folder, recursive = TRUE)
    }
    folder <<- tempfile("workbench")
    dir.create(folder, mode = "0700")
    rests_on <<- data_now(input)
    held <<- NULL
    process <<- callr::r_bg(function(...) utils::getFromNamespace("work_out", "inktide")(...),
      list(options, files, path_in("result.rds"), path_in("progress")), supervise = TRUE,
      stderr = path_in("errors"))
  }
  make_start()
  list(
    held = function(site) {
      if (!is.null(held)) return(held)
      # It stands there whole; what stands beside the list is still being worked out.
      if (!file.exists(path_in("result.rds"))) return(NULL)
      read <- readRDS(path_in("result.rds"))
      held <<- workbench_data(read$findings, read$data, input$archive, input$settings, read$events,
        input$title, input$folder, read$explorer, beside = part_from(path_in, process))
      kept_result(held, "opening", function() read$opening)
      if (options$read_only) held$read_only <<- TRUE
      held
    },
    progress = function(site) {
      if (!process$is_alive() && !file.exists(path_in("result.rds"))) {
        lines <- if (file.exists(path_in("errors"))) readLines(path_in("errors"), warn = FALSE)
        return(paste(c("It was stopped, or failed; open the workbench again to start anew.",
          utils::tail(lines, 6)), collapse = " "))
      }
      if (file.exists(path_in("progress"))) {
        utils::tail(readLines(path_in("progress"), warn = FALSE), 1)
      } else {
        "Starting"
      }
    },
    cancel = function(site) {
      if (process$is_alive()) process$kill()
      unlink(folder, recursive = TRUE)
    },
    changed = function(site) {
      !is.null(held) && is.null(input$source) && !identical(data_now(input), rests_on)
    },
    again = function(site) {
      input <<- resolve_input(options, files)
      make_start()
    })
}

# Parts that the process writes after the list, each as a file of its own. One that failed, or was
# never begun, is none.
part_from <- function(path_in, process) {
  known <- list()
  function(name) {
    path <- path_in(paste0(name, ".rds"))
    if (is.null(known[[name]])) {
      alive <- process$is_alive()
      if (file.exists(path)) {
        known[[name]] <<- list(value = readRDS(path)$value)
      } else if (alive) {
        return(list(ready = FALSE, value = NULL))
      } else {
        known[[name]] <<- list(value = NULL)
      }
    }
    c(list(ready = TRUE), known[[name]])
  }
}

# So many rows are held for tables at most; of more the newest days.
explored_most <- 2e7

within_memory <- function(options, input, most = explored_most) {
  stored <- first_given(input$source, input$store)
  if (is.null(stored) || chose_window(options)) return(options)
  wanted <- tide_stored(stored, lag = chosen_lag(options, input), by_month = TRUE)$plan$wanted
  days <- sums_by(wanted[wanted$day > 0], "day", "rows")
  setorderv(days, "day", -1L)
  fit <- sum(cumsum(days$rows) <= most)
  if (fit < nrow(days)) options$days <- max(1, days$day[1] - days$day[max(1, fit)] + 1)
  options
}

# What is shown beside the list, written as it is there; what the data do not have is NULL, what
# failed its error.
work_out_beside <- function(options, input, read, folder) {
  recent <- last_rows(options, input, read$data, usual_days)
  parts <- list(
    forecast = function(options) site_forecast(options, input, read$data, read$findings),
    check = function(options) {
      store <- first_given(input$source, input$store)
      if (!is.null(store)) {
        tide_check(store, brand = input$settings$rules$brand, rules = input$settings$rules)
      }
    },
    outcomes = function(options) {
      if (any(input$decisions$decision == "done")) {
        tide_outcomes(read$data, input$decisions, read$findings$curve, pages = input$pages)
      }
    },
    watched = function(options) {
      report_watched_queries(input, recent, recent_curve(input, read$data, recent, read$findings))
    })
  for (name in names(parts)) {
    # What is kept changes with every answer, so the check is no kept answer itself.
    value <- tryCatch(if (name == "check") {
      parts[[name]](options)
    } else {
      answer_once(options, input, paste0("beside-", name), make = parts[[name]])
    },
      tide_error = identity)
    write_whole(file.path(folder, paste0(name, ".rds")),
      function(path) saveRDS(list(value = value), path, compress = FALSE))
  }
}

# In the process of its own: findings and rows of a call, written as one file.
work_out <- function(options, files, result, said) {
  if (!isTRUE(l10n_info()[["UTF-8"]])) suppressWarnings(Sys.setlocale("LC_CTYPE", "C.UTF-8"))
  use_threads(1)
  options$quiet <- TRUE
  options$progress <- function(text) cat(text, "\n", sep = "", file = said, append = TRUE)
  options$all <- TRUE
  tryCatch({
    input <- resolve_input(options, files)
    options$progress("Reading")
    findings <- month_findings(options, input)
    options$progress("Reading rows for the tables")
    input_data <- read_input(within_memory(options, input), input,
      also = c("country", "device", "vertical", "rich_result"))
    read <- list(findings = findings, data = input_data, events = events_input(options, input),
      explorer = workbench_explorer(findings, input_data, input$settings))
    read$opening <- answer_once(options, input, "opening", make = function(options) {
      workbench_opening(workbench_data(findings, input_data, settings = input$settings,
        events = read$events, explorer = read$explorer))
    })
    write_whole(result, function(path) saveRDS(read, path, compress = FALSE))
    work_out_beside(options, input, read, dirname(result))
  },
    tide_error = function(e) {
      writeLines(condition_lines(e), stderr())
      quit(status = 1)
    })
}
