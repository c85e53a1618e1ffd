# A plan as a small table.

plan_spellings <- list(id = c("id", "finding"), query = c("query", "keyword"),
  page = c("page", "url"), target = c("target", "position", "targetposition"),
  month = c("month", "date"), chance = c("chance", "probability"), hours = c("hours", "effort"),
  ramp = c("ramp", "rampmonths"), volume = fact_spellings$volume)

# A delimited text, a sheet, or a list in YAML.
read_plan <- function(file) {
  if (grepl("[.]ya?ml$", file, ignore.case = TRUE)) return(read_yaml_plan(file))
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  tbl <- named_table(file, scratch, plan_spellings, character(), "a plan", "query,target,month")
  if (is.null(tbl)) abort_no_table("The plan is empty.", file, "Name a line at least.")
  setDT(lapply(stats::setNames(nm = names(plan_spellings)), tbl$text))
}

# Lines such as "- {query: kale seeds, target: 3, month: 2026-12}".
read_yaml_plan <- function(file) {
  check_file(file)
  lines <- tryCatch(yaml::yaml.load_file(file, eval.expr = FALSE), error = function(e) {
    abort_tide("The plan cannot be read.", where = sprintf("'%s': %s.", file, plain_cause(e)),
      fix = "Write it as a list: - {query: kale seeds, target: 3, month: 2026-12}.",
      class = "layout", file = file)
  })
  fine <- is.list(lines) && is.null(names(lines)) && length(lines) > 0 &&
    all(vapply(lines, function(line) is.list(line) && !is.null(names(line)), NA))
  unknown <- if (fine) setdiff(unlist(lapply(lines, names)), names(plan_spellings))
  if (!fine || length(unknown)) {
    abort_tide("The plan is no list of lines.",
      where = sprintf("'%s'%s.", file, if (length(unknown)) sprintf(": '%s'", unknown[1]) else ""),
      fix = sprintf("Write lines of %s.", paste(names(plan_spellings), collapse = ", ")),
      class = "columns_missing", file = file)
  }
  setDT(lapply(stats::setNames(nm = names(plan_spellings)), function(column) {
    vapply(lines, function(line) {
      value <- line[[column]]
      if (is.null(value)) "" else as.character(value)[1]
    }, "")
  }))
}
