# Entry of the program: finds the command, turns conditions into messages and exit statuses.

# In: words of the command line. Out: exit status: 0 done, 1 the data or the project is at fault, 2
# the call is.
cli_main <- function(words) {
  if (!isTRUE(l10n_info()[["UTF-8"]])) suppressWarnings(Sys.setlocale("LC_CTYPE", "C.UTF-8"))
  # One time zone, so that the date of an export does not depend on the machine it is read on.
  if (!nzchar(Sys.getenv("TZ"))) Sys.setenv(TZ = "UTC")
  use_threads(1)
  on.exit(close_databases())
  tryCatch({
    cli_dispatch(words)
    0L
  },
    tide_error = function(e) {
      lines <- condition_lines(cli_condition(e, words[1]))
      lines[1] <- paste0("inktide: ", lines[1])
      cli_err(lines)
      if (e$fault == "call") 2L else 1L
    },
    tide_closed = function(e) {
      # Whoever reads the output has seen enough.
      0L
    },
    interrupt = function(e) {
      cli_err("inktide: stopped; nothing was written.")
      1L
    },
    error = function(e) {
      cli_err(c(paste0("inktide: something went wrong inside: ", conditionMessage(e)),
        "  fix:   this is a fault of the program; please report it with the command you gave."))
      1L
    })
}

# All processors (0) pay where files are read and where millions of rows are held; the many small
# sums of a list wait for each other's threads longer than they work (bench/README.md). Out: the
# number until now, as what a caller's environment asks for stays.
use_threads <- function(number) {
  asked <- nzchar(Sys.getenv("R_DATATABLE_NUM_THREADS"))
  if (asked || in_fork()) getDTthreads() else setDTthreads(number)
}

# The core names its arguments; whoever calls the program knows options. Out: what, where, fix of a
# condition.
cli_condition <- function(e, command) {
  facts <- unclass(e)[c("what", "where", "fix")]
  if (inherits(e, "tide_error_store_index")) {
    facts$fix <- paste("Rebuild the index from the parts: inktide check --rebuild. Nothing is",
      "deleted by it.")
  }
  option <- option_for(e$argument, command)
  if (is.null(option)) return(facts)
  if (inherits(e, "tide_error_argument")) {
    return(list(what = sprintf("%s must be %s.", option, e$must), where = paste(option, e$given),
      fix = sprintf("Give %s as %s.", option, e$must)))
  }
  lapply(facts, function(text) gsub(sprintf("`%s`", e$argument), option, text, fixed = TRUE))
}

# The option that an argument of the core comes from: the command's own word on it, or the one of
# its name.
option_for <- function(argument, command) {
  entry <- cli_commands()[[command]]
  if (is.null(argument) || is.null(entry)) return(NULL)
  if (startsWith(argument, "--")) return(argument)
  own <- entry$arguments[argument]
  if (length(own) && !is.na(own)) return(unname(own))
  flag <- paste0("--", gsub("_", "-", argument))
  known <- flags_of(entry$options)
  found <- intersect(c(flag, sub("s$", "", flag)), known)
  if (length(found)) found[1]
}

cli_dispatch <- function(words) {
  commands <- cli_commands()
  first <- if (length(words)) words[1] else "help"
  if (first == "--version") return(cli_out(sprintf("inktide %s", utils::packageVersion("inktide"))))
  if (first %in% c("help", "--help", "-h")) return(cli_out(help_lines(commands, words[-1])))
  if (!first %in% names(commands)) {
    abort_call(sprintf("Unknown command '%s'.", first), sprintf("inktide %s", first),
      sprintf("Did you mean '%s'? 'inktide help' lists all.", nearest_name(first, names(commands))))
  }
  if (any(c("--help", "-h") %in% words[seq_len(match("--", words, nomatch = length(words)))])) {
    return(cli_out(help_lines(commands, first)))
  }
  command <- c(commands[[first]], name = first)
  calling <- parse_call(command, words[-1])
  calling$options$remarks <- new_remarks()
  command$run(calling$options, calling$files)
  say_remarks(calling$options)
  if (isTRUE(calling$options$verbose)) cli_err(used_line())
}

# What the run has taken so far.
used_line <- function() {
  taken <- proc.time()
  sprintf("  took %.1f s, %.1f s of it CPU; most memory %s MB", taken[["elapsed"]],
    sum(taken[c("user.self", "sys.self")]), format_count(round(peak_memory())))
}

# In MB: of the whole process where the system tells it, else of what R itself held.
peak_memory <- function() {
  lines <- tryCatch(readLines("/proc/self/status"), error = function(e) "",
    warning = function(w) "")
  peak <- grep("^VmHWM:", lines, value = TRUE)
  if (length(peak)) as.numeric(gsub("[^0-9]", "", peak)) / 1024 else sum(gc()[, 6])
}

help_lines <- function(commands, name) {
  if (!length(name)) {
    return(c("Ink Tide: search performance exports in, a ranked list of what to fix out.", "",
      "  inktide COMMAND [OPTIONS] [FILE...]", "",
      sprintf("  %-10s %s", names(commands), vapply(commands, `[[`, "", "job")), "",
      "  inktide help COMMAND   its options and examples",
      "  inktide help filters   options that most commands share: days, filters, files, output", "",
      "Name CSV files, or work in a folder with inktide.yml. To try it: inktide demo"))
  }
  if (name[1] == "filters") return(shared_help())
  if (!name[1] %in% names(commands)) {
    abort_call(sprintf("Unknown command '%s'.", name[1]), sprintf("inktide help %s", name[1]),
      sprintf("Known are %s, and filters.", paste(names(commands), collapse = ", ")))
  }
  command <- commands[[name[1]]]
  c(sprintf("inktide %s: %s", name[1], command$job), "",
    sprintf("  inktide %s [OPTIONS] %s", name[1], command$files), paste0("  ", command$example),
    own_help(command))
}

# The command's own options, and how many it shares with others.
own_help <- function(command) {
  # An option of the same name that says something else is the command's own.
  flag_texts <- function(options) {
    paste(flags_of(options), vapply(options, `[[`, "", "help"))
  }
  shared <- flag_texts(command$options) %in% flag_texts(shared_options())
  formats <- c("table", "csv", "json", command$formats)
  c(listed_options("Its own options", command$options[!shared]),
    if (any(shared)) {
      c("", sprintf("  %-22s %s", "--format FORMAT", paste(paste(formats[-length(formats)],
        collapse = ", "), "or", formats[length(formats)], "[what --out ends with]")),
        sprintf("And %d that most commands share (days, filters, files, output): %s",
          sum(shared), "inktide help filters"))
    })
}

listed_options <- function(title, options) {
  if (!length(options)) return(NULL)
  left <- trimws(paste(flags_of(options), vapply(options, `[[`, "", "metavar")))
  c("", title, sprintf("  %-22s %s", left, vapply(options, `[[`, "", "help")))
}

shared_help <- function() {
  c("Options that most commands share", unlist(Map(listed_options, names(shared_groups()),
    shared_groups()), use.names = FALSE))
}

# The commands. Each is what it does, an example, its options, and a function of (options, files)
# that calls the core, shows the result and returns nothing; `arguments` says which option an
# argument of the core comes from, where it is not the one of its name. A command stands beside the
# function that runs it; a new one is one entry here.

cli_commands <- function() {
  shared <- shared_options()
  lapply(list(demo = command_demo, init = command_init, load = command_load, pull = command_pull,
    check = command_check, enrich = command_enrich, curve = command_curve, list = command_list,
    find = command_find, decide = command_decide, outcome = command_outcome, trace = command_trace,
    follow = command_follow, watched = command_watched, pages = command_pages,
    compare = command_compare, value = command_value, forecast = command_forecast,
    report = command_report, open = command_open, completion = command_completion),
    function(command) command(shared))
}

# Options that several commands have.
top_option <- function() number_option("--top", "N", "rows of the table [20]", 20)

# What is lost against: a place, or a CTR of one's own.
lost_options <- function() {
  list(number_option("--target", "N", "lost: against the CTR of position N [1]", 1),
    number_option("--target-ctr", "RATE", "lost: against a CTR of your own, such as 0.25"))
}

legend_option <- function() switch_option("--legend", "say what the columns mean")

figure_option <- function() text_option("--figure", "FILE", "also draw it, as .png or .svg")

events_option <- function() {
  text_option("--events", "FILE", "what happened when: date, event, pages [of inktide.yml]")
}

results_pages_option <- function() {
  text_option("--results-pages", "FILE",
    "what results pages show: query, place, address, title, features [of inktide.yml]")
}

band_option <- function() {
  range_option("--band", "positions in striking distance [4:20]")
}

target_option <- function() {
  text_option("--target", "STEP",
    "where a step leads: next, a position, or places such as +3 [next]")
}
