# Independent work in processes of their own, where the caller allows more than one at a time (the
# option `mc.cores`, as the package parallel has it) and the system can fork.

forks_allowed <- function() {
  if (.Platform$OS.type == "unix") getOption("mc.cores", 1L) else 1L
}

# The process that forks, so that a fork knows itself for one: threads that were used before it
# began would never answer in it.
forking <- new.env(parent = emptyenv())

in_fork <- function() !is.null(forking$process) && forking$process != Sys.getpid()

# As lapply(), with the same values; an error of one is that error here. spread: whether each piece
# goes to the next free process; else each process gets as many, which costs less to begin. A fork
# does not fork again.
apply_forked <- function(x, run, spread = TRUE) {
  if (forks_allowed() < 2 || length(x) < 2 || in_fork()) return(lapply(x, run))
  forking$process <- Sys.getpid()
  out <- suppressWarnings(parallel::mclapply(x, function(one) list(value = run(one)),
    mc.cores = forks_allowed(), mc.preschedule = !spread))
  lapply(out, forked_value)
}

# Begins some work beside; the result is a function that waits for its value. make: without
# arguments.
start_forked <- function(make) {
  if (forks_allowed() < 2 || in_fork()) return(make)
  forking$process <- Sys.getpid()
  job <- parallel::mcparallel(list(value = make()))
  function() forked_value(suppressWarnings(parallel::mccollect(job))[[1]])
}

forked_value <- function(result) {
  if (inherits(result, "try-error")) stop(attr(result, "condition"))
  # A process that was ended from outside gives nothing.
  if (is.null(result)) stop("a process of this program was ended before it was done")
  result$value
}
