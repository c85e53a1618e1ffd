# Independent work in processes of their own, where the caller allows more than one at a time (the
# option `mc.cores`, as the package parallel has it) and the system can fork.

forks_allowed <- function() {
  if (.Platform$OS.type == "unix") getOption("mc.cores", 1L) else 1L
}

# As lapply(), with the same values; an error of one is that error here. spread: whether each piece
# goes to the next free process; else each process gets as many, which costs less to begin.
apply_forked <- function(x, run, spread = TRUE) {
  if (forks_allowed() < 2 || length(x) < 2) return(lapply(x, run))
  out <- suppressWarnings(parallel::mclapply(x, alone_in_fork(run), mc.cores = forks_allowed(),
    mc.preschedule = !spread))
  lapply(out, forked_value)
}

# A fork does not fork again.
alone_in_fork <- function(run) {
  function(...) {
    options(mc.cores = 1L)
    list(value = run(...))
  }
}

# Begins some work beside; the result is a function that waits for its value. make: without
# arguments.
start_forked <- function(make) {
  if (forks_allowed() < 2) return(make)
  job <- parallel::mcparallel(alone_in_fork(make)())
  function() forked_value(suppressWarnings(parallel::mccollect(job))[[1]])
}

forked_value <- function(result) {
  if (inherits(result, "try-error")) stop(attr(result, "condition"))
  # A process that was ended from outside gives nothing.
  if (is.null(result)) stop("a process of this program was ended before it was done")
  result$value
}
