# What is said beneath a result, on standard error: at most three lines. The first is what the
# figures rest on, the second the most important of what was left out or should be known, the third
# what to type next. With --details all of it is said.

new_remarks <- function() {
  list2env(list(rests_on = NULL, known = character(), weight = numeric(), details = character(),
    step = NULL))
}

# short: a line of what should be known, of this weight (of several, each its own); details: the
# same as --details says it.
remark <- function(options, details, short = trimws(details), weight = 1) {
  said <- options$remarks
  # Whoever collects none wants no remarks before its own answer.
  if (is.null(said)) return(invisible())
  said$details <- c(said$details, details)
  said$known <- c(said$known, short)
  said$weight <- c(said$weight, rep_len(weight, length(short)))
}

# What the figures rest on: the last word on it counts.
remark_rests_on <- function(options, text) {
  if (length(text) && !is.null(options$remarks)) options$remarks$rests_on <- trimws(text[1])
}

# What to type next, in the words of this call.
remark_next <- function(options, ...) {
  if (!is.null(options$remarks)) options$remarks$step <- paste(c(...), collapse = ", ")
}

# What was left out of tables, those with most clicks first; what the call itself asked for, or a
# table cannot have, is no news.
remark_left_out <- function(options, ledger, kept = NULL) {
  if (!NROW(ledger)) return(invisible())
  ledger <- ledger[order(-fcoalesce(as.numeric(ledger$clicks), 0))]
  remark(options, left_out_lines(ledger, kept),
    sprintf("left out: %s%s", ledger$reason, ifelse(fcoalesce(as.numeric(ledger$clicks), 0) > 0,
      sprintf(" (%s)", format_plural(ledger$clicks, "click")), "")),
    unname(c(asked = 0, window = 0, unfinished = 0.5, rows = 2)[ledger$cause]))
}

say_remarks <- function(options) {
  said <- options$remarks
  if (isTRUE(options$quiet)) return(invisible())
  shown <- if (isTRUE(options$details)) {
    c(said$rests_on, said$details)
  } else {
    c(said$rests_on, most_important(said$known, said$weight))
  }
  to_type <- if (length(said$step)) paste("next:", said$step)
  if (length(c(shown, to_type))) cli_note(options, paste(c(shown, to_type), collapse = "\n"))
}

# The weightiest, the first of several, and how many more there are.
most_important <- function(known, weight) {
  use <- !duplicated(known) & nzchar(known)
  known <- known[use]
  weight <- weight[use]
  if (!length(known)) return(NULL)
  if (max(weight) <= 0) return(NULL)
  more <- length(known) - 1L
  paste0(sub("[.]$", "", known[which.max(weight)]), if (more) sprintf("; %s more with --details",
    format_count(more)))
}
