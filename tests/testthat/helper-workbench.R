# What the tests of the workbench work on.

state_of <- function(...) inktide:::read_state(jsonlite::toJSON(list(...), auto_unbox = TRUE))

view_of <- function(held, ...) inktide:::shown_view(held, state_of(...))

# The example's data and list, made once.
workbench_parts <- local({
  made <- NULL
  function() {
    if (is.null(made)) {
      data <- tide_read(unlist(tide_example()[c("pairs", "totals")]))
      made <<- list(data = data, found = tide_find(tide_summary(data, brand = "fernmoor")))
    }
    made
  }
})
