# The same rows as tables of a database and as files.
example_tables <- function() {
  files <- tide_example()
  lapply(c(rows = "pairs", totals = "totals"), function(name) {
    rows <- fread(files[[name]])
    rows[, "Date" := as.character(Date)]
    setnames(rows, sub("Query", "search term", names(rows)))
  })
}

of_files <- function() {
  tide_summary(tide_read(unlist(tide_example()[c("pairs", "totals")])), brand = "fernmoor")
}
