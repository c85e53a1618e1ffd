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
    report = command_report, open = command_open),
    function(command) command(shared))
}

# Options that several commands have.
top_option <- function() number_option("--top", "N", "rows of the table [20]", 20)

figure_option <- function() text_option("--figure", "FILE", "also draw it, as .png or .svg")

events_option <- function() {
  text_option("--events", "FILE", "what happened when: date, event, pages [of inktide.yml]")
}

results_pages_option <- function() {
  text_option("--results-pages", "FILE",
    "what results pages show: query, place, address, title, features [of inktide.yml]")
}

band_option <- function() {
  text_option("--band", "A:B", "positions in striking distance [4:20]")
}

target_option <- function() {
  text_option("--target", "STEP",
    "where a step leads: next, a position, or places such as +3 [next]")
}
