# Conditions. Every error of ours says what is wrong, where, and how to mend it, and keeps the facts
# as fields: class "tide_error_<class>" under "tide_error".
#
# fault: whose it is, "data" (the files or the project) or "call" (the arguments); the program turns
# it into its exit status.

abort_tide <- function(what, where = NULL, mend = NULL, class, fault = c("data", "call"), ...) {
  lines <- c(what, if (length(where)) paste0("  where: ", where), if (length(mend)) paste0("  mend:  ", mend))
  stop(structure(
    class = c(paste0("tide_error_", class), "tide_error", "error", "condition"),
    list(message = visible_text(paste(lines, collapse = "\n")), call = NULL, fault = match.arg(fault), ...)
  ))
}
