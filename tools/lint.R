# The project's own few rules of style on all R code; status 1 where one is broken.
found <- unlist(recursive = FALSE,
  lapply(c("R", "inst/demo-site", "tests/testthat", "tools", "bench"),
    function(dir) unclass(lintr::lint_dir(dir))))
# Titles of tests are sentences, patterns and rows of help tables cannot be broken.
found <- Filter(function(one) !grepl("^(test_that\\(|#' \\| |.*nolint)", one$line), found)

# No local variable of R/ hides a function of base, stats or utils; arguments may (`data`, `by`).
known <- unique(c(unlist(lapply(c("base", "stats", "utils"), getNamespaceExports))))
known <- Filter(function(name) exists(name, mode = "function"), known)
hidden_in <- function(definition) {
  assigned <- arguments <- character()
  walk <- function(e) {
    if (is.call(e)) {
      name <- as.character(e[[1]])[1]
      if (name == "function") arguments <<- c(arguments, names(e[[2]]))
      if (name %in% c("<-", "<<-", "for") && is.name(e[[2]])) {
        assigned <<- c(assigned, as.character(e[[2]]))
      }
    }
    if (is.call(e) || is.pairlist(e)) for (part in as.list(e)) if (!missing(part)) walk(part)
  }
  walk(definition)
  setdiff(intersect(assigned, known), arguments)
}
for (path in list.files("R", "[.]R$", full.names = TRUE)) {
  for (e in parse(path)) {
    if (!is.call(e) || !identical(e[[1]], as.name("<-")) || !is.name(e[[2]])) next
    for (name in hidden_in(e[[3]])) {
      found <- c(found, list(list(filename = path, line_number = 0L,
        message = sprintf("`%s` of %s() hides a function", name, as.character(e[[2]])))))
    }
  }
}
for (one in found) {
  cat(sprintf("%s:%d: %s\n", one$filename, one$line_number, one$message))
}
cat(sprintf("%d places\n", length(found)))
quit(status = as.integer(length(found) > 0))
