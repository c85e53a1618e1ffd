# A plan as a small table.

plan_spellings <- list(id = c("id", "finding"), query = c("query", "keyword"),
  page = c("page", "url"), target = c("target", "position", "targetposition"),
  month = c("month", "date"), chance = c("chance", "probability"), hours = c("hours", "effort"))

read_plan <- function(file) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  table <- named_table(file, scratch, plan_spellings, character(), "a plan", "query,target,month")
  if (is.null(table)) abort_no_table("The plan is empty.", file, "Name a line at least.")
  setDT(lapply(stats::setNames(nm = names(plan_spellings)), table$text))
}
