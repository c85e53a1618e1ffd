# Files are written whole or not at all: first beside the target, then renamed over it. What is no
# plain file (a device, a pipe) is written through; a link stays a link and its target is replaced;
# owner and mode stay what they were.

# write: a function of a path, which it fills.
write_whole <- function(path, write) {
  tryCatch({
    target <- link_target(path)
    place_bytes(target, write, facts = path_facts(target))
  },
    tide_error = stop, error = function(e) abort_write(path, conditionMessage(e)),
    warning = function(w) abort_write(path, conditionMessage(w)))
  invisible(path)
}

abort_write <- function(path, cause) {
  abort_tide("The file cannot be written.", where = sprintf("'%s': %s.", path, plain_cause(cause)),
    fix = "Name a file in a folder that exists, that you may write to and that has room.",
    class = "write", file = path)
}

place_bytes <- function(target, write, facts) {
  refuse <- function(why) stop(why, call. = FALSE)
  if (!is.null(facts)) {
    if (facts$kind == "folder") refuse("it is a folder")
    if (!facts$kind %in% c("file", "pipe", "device")) refuse("it is neither a file nor a pipe")
    # Whoever may write to everything still means the mark by it.
    if (bitwAnd(facts$mode, 146L) == 0 || file.access(target, 2) != 0) {
      refuse("it is marked as not to be written")
    }
  }
  folder <- dirname(target)
  if (!dir.exists(folder)) refuse("there is no such folder")
  plain <- is.null(facts) || facts$kind == "file"
  # What is not replaced by name is put together elsewhere, and so is a file in a folder that takes
  # no new ones.
  staged <- if (plain && file.access(folder, 2) == 0) folder else tempdir()
  part <- tempfile(".inktide-", staged)
  on.exit(unlink(part))
  write(part)
  if (!file.exists(part)) refuse("nothing was written")
  if (!plain) return(copy_bytes(part, target))
  if (staged != folder) {
    if (is.null(facts)) refuse("the folder cannot be written to")
    return(copy_bytes(part, target))
  }
  if (!is.null(facts)) {
    kept <- .Call(own_file, part, facts$owner, facts$group, facts$mode)
    # Not ours to give away: the bytes go into the file that is there.
    if (nzchar(kept)) return(copy_bytes(part, target))
  }
  if (!file.rename(part, target)) refuse("it cannot be replaced")
}

# Where a chain of links leads, whether there is a file yet or not.
link_target <- function(path) {
  path <- path.expand(path)
  for (stride in seq_len(40)) {
    to <- Sys.readlink(path)
    if (is.na(to) || !nzchar(to)) return(path)
    path <- if (startsWith(to, "/")) to else file.path(dirname(path), to)
  }
  stop("its links lead in a circle", call. = FALSE)
}

# NULL where there is nothing; else list(kind: file, folder, pipe, device, ...; mode, owner, group).
path_facts <- function(path) .Call(path_facts_of, enc2native(path))

copy_bytes <- function(from, to) send_bytes(to, readBin(from, "raw", file.size(from)))

# Lines as UTF-8, to a path, or to standard output (1) or standard error (2).
write_lines <- function(lines, to) {
  send_bytes(to, charToRaw(paste0(enc2utf8(lines), "\n", collapse = "")))
}

# A pipe's reader may go away, a disk may run full: what did not arrive is an error.
send_bytes <- function(to, bytes) {
  lost <- .Call(write_bytes, if (is.character(to)) enc2native(to) else as.integer(to), bytes)
  if (lost == "closed") {
    stop(structure(class = c("tide_closed", "error", "condition"),
      list(message = "the reader of the output went away", call = NULL)))
  }
  if (nzchar(lost)) stop(lost, call. = FALSE)
}

# Why something failed, for a person: on one line, without its full stop and without paths of our
# own.
plain_cause <- function(cause) {
  text <- if (inherits(cause, "condition")) conditionMessage(cause) else cause
  text <- gsub("\\s+", " ", text)
  text <- gsub(sprintf("['\"\u2018\u201c]?%s[^'\"\u2019\u201d ]*['\"\u2019\u201d]?", tempdir()),
    "the file", text)
  sub("[.: ]+$", "", text)
}

# A small file of ours, or of the package, as one text.
file_text <- function(path) {
  paste(readLines(path, encoding = "UTF-8", warn = FALSE, skipNul = TRUE), collapse = "\n")
}
