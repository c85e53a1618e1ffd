# Answers about an archive, kept with it (archive-kept.R): the same question about the same data is
# answered from there, with what was said beneath it.

# Options that change how an answer is shown, not what it is.
shown_only <- c("format", "out", "top", "figure", "quiet", "verbose", "details", "legend",
  "remarks", "progress", "given", "project", "no_browser", "port", "host", "read_only")

# Those that choose among what was found, too.
of_the_list <- c(shown_only, "all", "view", "page_view", "by", "of", "history", "set_months",
  "keep_unusual", "do", "plan", "ramp", "backtest", "review", "months", "hours", "sort", "per_page",
  "losers", "gainers", "axes", "target_ctr", "lead", "title", "windows", "ascending", "leading",
  "lines", "draw")

# Those that ask something of a summary.
of_the_summary <- c(of_the_list, "kind", "fdr", "target", "band", "min_gain", "include",
  "facts", "events", "results_pages")

# make: a function of the options, whose remarks it gathers. also: what the answer rests on besides
# data and options. decided: what of the decisions it rests on, NULL for nothing.
answer_once <- function(options, input, name, make, but = shown_only, also = NULL,
    decided = all_decided(input)) {
  if (is.null(input$store)) return(make(options))
  asked <- Filter(function(given) !is.null(given) && !isFALSE(given),
    options[setdiff(names(options), but)])
  files <- as.character(unlist(Filter(is.character, asked), use.names = FALSE))
  files <- files[file.exists(files)]
  version <- list(data_version(input), file_states(files), also, decided)
  own <- options
  own$remarks <- new_remarks()
  fresh <- FALSE
  kept <- kept_value(input$store,
    paste(name, substr(digest::digest(asked[order(names(asked))]), 1, 12), sep = "-"), version,
    function() {
      fresh <<- TRUE
      value <- make(own)
      list(value = value, remarks = as.list(own$remarks))
    })
  remark_again(options, kept$remarks)
  said <- "  the answer as it was worked out before, from the same data"
  if (!fresh && !said %in% options$remarks$details) remark(options, said, character())
  kept$value
}

# All of them, and the day: what was put off comes back by it.
all_decided <- function(input) {
  if (NROW(input$decisions)) list(as.data.frame(input$decisions), Sys.Date())
}

# What an answer said beneath itself, said again.
remark_again <- function(options, said) {
  to <- options$remarks
  if (is.null(to)) return(invisible())
  for (part in c("known", "weight", "details")) to[[part]] <- c(to[[part]], said[[part]])
  if (length(said$rests_on)) to$rests_on <- said$rests_on
  if (length(said$step)) to$step <- said$step
}

# What the next commands ask for first, worked out where rows were loaded: the index, and the sums
# of the usual window, from which the curve and the list are made. Of many rows the list itself and
# what changed, too, beside each other.
sum_ahead <- function(folder, progress = NULL) {
  quietly <- list(project = folder, quiet = TRUE)
  try({
    input <- resolve_input(quietly, character())
    input_summary(list(quiet = TRUE), input, read_input(list(), input, months = TRUE))
    facts_input(list(), input)
    if (sum(import_history(input$store)$rows) < ahead_from) return(invisible())
    if (!is.null(progress)) progress("Working out the list")
    local_forks(input)
    apply_forked(list(
      function() find_input(options_of("find", folder), input),
      function() for (name in c("compare", "list")) answer_unseen(name, folder)),
      # What they give is kept, not carried here.
      function(run) {
        run()
        NULL
      })
  }, silent = TRUE)
}

# Rows from which a first answer takes long enough to be had ahead.
ahead_from <- 100000

# The options of a command that is called for a project and nothing else.
options_of <- function(name, folder) {
  calling <- parse_call(c(cli_commands()[[name]], name = name), c("--project", folder))
  replace(calling$options, "remarks", list(new_remarks()))
}

# Runs a command for what it keeps, with what it prints thrown away.
answer_unseen <- function(name, folder) {
  nowhere <- file(nullfile(), "w")
  sink(nowhere)
  on.exit({
    sink()
    close(nowhere)
  })
  cli_commands()[[name]]$run(options_of(name, folder), character())
}
