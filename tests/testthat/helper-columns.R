# In a data.table's brackets a name is a column before it is ours, and nothing says so. While tests
# run, `[.data.table` stops at each name in `i`, `j` or `by` of the package's code that is both.
stop_at_captured_columns <- function() {
  # Files that run in forks of one session find it there: compiling it takes a second.
  subset <- .BaseNamespaceEnv[[".__S3MethodsTable__."]][["[.data.table"]]
  if (!is.null(attr(subset, "watched"))) return(invisible())
  look <- bquote((.(check_captured))(names(x), list(
    # A lone name in `i` is looked for outside the table.
    if (!missing(i) && !is.name(substitute(i))) substitute(i),
    if (!missing(j) && !identical(with, FALSE)) substitute(j),
    if (!missing(by)) substitute(by)), parent.frame()))
  body(subset) <- as.call(append(as.list(body(subset)), look, after = 1))
  subset <- compiler::cmpfun(subset)
  attr(subset, "watched") <- TRUE
  registerS3method("[", "data.table", subset, envir = asNamespace("data.table"))
}

check_captured <- function(columns, expressions, frame) {
  if (!identical(topenv(frame), asNamespace("inktide"))) return(invisible())
  used <- intersect(unlist(lapply(expressions, names_used)), columns)
  ours <- Filter(function(name) is_local(name, frame), used)
  if (length(ours)) {
    stop("both a column and a name of ours: ", paste(ours, collapse = ", "), " in ",
      paste(utils::head(deparse(sys.call(-2)), 2), collapse = " "))
  }
}

# Names that stand for a value: not those of functions and arguments, not what follows a `$` nor
# what is assigned to by `:=`.
names_used <- function(e) {
  if (is.name(e)) return(as.character(e))
  if (!is.call(e)) return(NULL)
  if (identical(e[[1]], as.name("function"))) return(NULL)
  parts <- as.list(e)[-1]
  if (as.character(e[[1]])[1] %in% c("$", "@")) parts <- parts[1]
  if (as.character(e[[1]])[1] == ":=") parts <- if (length(e) == 3) parts[-1] else parts
  parts <- Filter(function(part) !(is.name(part) && !nzchar(as.character(part))), parts)
  c(if (is.call(e[[1]])) names_used(e[[1]]), unlist(lapply(unname(parts), names_used)))
}

# In the function that has the brackets, or in one around it.
is_local <- function(name, frame) {
  while (!identical(frame, topenv(frame)) && !identical(frame, emptyenv())) {
    if (exists(name, frame, inherits = FALSE)) return(TRUE)
    frame <- parent.env(frame)
  }
  FALSE
}

stop_at_captured_columns()
