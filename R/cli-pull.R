# inktide pull: rows and facts from services that inktide.yml describes.

command_pull <- function(shared) {
  list(
    job = "ask a service for the days that the archive lacks",
    files = "[NAME...]",
    example = "inktide pull daily --from 2026-08-01 --project my-site",
    options = c(options_named(shared, c("--project", "--format", "--out", "--quiet")),
      list(
        text_option("--from", "DATE", "first day [of inktide.yml, else 16 months back]"),
        text_option("--to", "DATE", "last day [the last that is final]"),
        text_option("--facts", "NAMES",
          "facts from these services, of the queries (pages) most seen, known ones only when old"),
        number_option("--top", "N", "so many names to ask facts of [1000]", 1000))),
    run = run_pull)
}

run_pull <- function(options, files) {
  folder <- needed_project(options)
  settings <- tide_settings(folder)
  store <- tide_store(folder)
  progress <- progress_to_terminal(options)
  if (!is.null(options$facts)) return(pull_facts_of(options, settings, store, progress))
  of_facts <- vapply(settings$pull, function(spec) !is.null(spec$by), NA)
  name_texts <- if (length(files)) files else names(settings$pull)[!of_facts]
  if (!length(name_texts)) {
    abort_call("Nothing is described that could be pulled.", sprintf("'%s/inktide.yml'", folder),
      "Describe a service under `pull`: ?tide_pull in R shows how.")
  }
  out <- rbindlist(lapply(name_texts, function(name) {
    rows <- tide_pull(store, name, options$from, options$to, progress = progress)
    data.table(pull = rep(name, nrow(rows)), as.data.table(rows))
  }))
  cli_result(options, out, pulled_lines(out, name_texts))
}

pulled_lines <- function(out, names) {
  unlist(lapply(names, function(name) {
    own <- out[out$pull == name]
    if (!nrow(own)) return(sprintf("%s: nothing to ask for, the archive has all final days", name))
    above <- own[own$state == "above the cap"]
    c(
      sprintf("%s: %s, %s to %s, %s, %s clicks, in %s", name, format_plural(nrow(own), "day"),
        format(min(own$day)), format(max(own$day)), format_plural(sum(own$rows), "row"),
        format_count(sum(own$clicks)), format_plural(sum(own$calls), "call")),
      if (any(own$repeats > 0)) {
        sprintf("  came again, counted once: %s", format_plural(sum(own$repeats), "row"))
      },
      if (any(own$state == "no rows")) {
        sprintf("  without rows: %s", format_plural(sum(own$state == "no rows"), "day"))
      },
      if (nrow(above)) {
        sprintf("  above the cap, so not whole: %s, the first %s; `split` asks for them in parts",
          format_plural(nrow(above), "day"), format(above$day[1]))
      })
  }))
}

pull_facts_of <- function(options, settings, store, progress) {
  check_number(options$top, "--top", min = 1)
  stored <- tide_stored(store, days = days_unless_undated(store, usual_days), by_month = TRUE)
  site_summary <- sum_up(stored, list(settings = settings))
  lines <- lapply(options$facts, function(name) {
    if (!name %in% names(settings$pull)) pull_spec(store, name)
    facts_of <- settings$pull[[name]]$by
    if (is.null(facts_of)) {
      abort_call("This service gives rows, not facts.", name, "Pull it without --facts.")
    }
    tbl <- site_summary[[c(query = "queries", page = "pages")[[facts_of]]]]
    seen <- sum_codes(site_summary$pairs$impressions, site_summary$pairs[[facts_of]], nrow(tbl))
    wanted <- utils::head(tbl[[facts_of]][order(-seen)], options$top)
    facts <- tide_pull_facts(store, name, wanted, progress = progress)
    if (is.null(facts)) return(sprintf("%s: all known and not old", name))
    left <- attr(facts, "left")
    c(sprintf("%s: %s stored", name, format_plural(nrow(facts$rows), "row")),
      if (left) sprintf("  left for next time: %s (budget of calls)", format_count(left)))
  })
  cli_out(unlist(lines))
}
