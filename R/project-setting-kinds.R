# What values of settings may be.

# Kinds of value: a reader each, from YAML's value to ours, that stops with what it must be.
setting_kinds <- local({
  is_text <- function(x) is.atomic(x) && length(x) > 0 && !anyNA(x)
  must <- function(ok, what) {
    if (!ok) {
      stop(structure(class = c("tide_must", "error", "condition"),
        list(message = what, call = NULL)))
    }
  }
  number <- function(x, low, what) {
    must(is.numeric(x) && length(x) == 1 && is.finite(x) && x >= low, what)
    x
  }
  lines_or_file <- function(x, lines) {
    path <- is_text(x) && is.null(names(x)) && length(x) == 1
    must(path || (is.list(x) && !is.null(names(x)) && all(lengths(x) == 1)),
      sprintf("lines of '%s', or a file", lines))
    unlist(x)
  }
  list(
    text = function(x) {
      must(is_text(x) && length(x) == 1, "one text")
      as.character(x)
    },
    colour = function(x) {
      must(is_dark_colour(x), dark_colour)
      x
    },
    words = function(x) {
      must(is_text(unlist(x)) && is.null(names(x)), "a list of words")
      as.character(unlist(x))
    },
    count = function(x) number(x, 0, "a number of at least 0"),
    effort = function(x) number(x, 0.01, "hours above 0"),
    days = function(x) number(x, 1, "a number of at least 1"),
    share = function(x) {
      must(number(x, 0.001, "a share such as 0.1") <= 0.5, "a share of at most 0.5")
      x
    },
    range = function(x) {
      x <- as_range(x)
      must(!is.null(x), "a range such as 4:20")
      x
    },
    assumptions = function(x) {
      must(is.list(x) && !is.null(names(x)), "lines of 'name: number'")
      tryCatch(check_assumptions(x),
        tide_error_argument = function(e) must(FALSE, paste0(e$must, ", not ", e$given)))
      x
    },
    bands = function(x) {
      must(is.numeric(x) && all(is.finite(x)) && x[1] == 1 && !is.unsorted(x, strictly = TRUE),
        "increasing positions that begin with 1, such as [1, 4, 11, 21]")
      x
    },
    order = function(x) {
      must(identical(x, "dmy") || identical(x, "mdy"), "dmy or mdy")
      x
    },
    decimal = function(x) {
      must(identical(x, "point") || identical(x, "comma"), "point or comma")
      x
    },
    clicks_above = function(x) {
      must(one_text(x) && x %in% names(clicks_above_rules),
        paste("one of", paste(names(clicks_above_rules), collapse = ", ")))
      x
    },
    pages_or_file = function(x) lines_or_file(x, "query: page"),
    moves_or_file = function(x) lines_or_file(x, "old: new"),
    words_or_lists = function(x) {
      lists <- is.list(x) && !is.null(names(x))
      must(is_text(unlist(x)) && (lists || is.null(names(x))), "queries, or lists with names")
      if (lists) lapply(x, as.character) else list(watched = as.character(unlist(x)))
    },
    weights = function(x) {
      must(is.list(x) && !is.null(names(x)) && is.numeric(unlist(x)) &&
        all(is.finite(unlist(x)) & unlist(x) >= 0),
        "weights by column, such as {orders: 1, sign_ups: 0.2}")
      unlist(x)
    },
    repeats = function(x) {
      must(one_text(x) && x %in% names(repeats_rules),
        paste("one of", paste(names(repeats_rules), collapse = ", ")))
      x
    },
    named_texts = function(x) {
      must(is.list(x) && !is.null(names(x)) && all(lengths(x) == 1), "lines of 'name: text'")
      unlist(x)
    },
    named_words = function(x) {
      must(is.list(x) && !is.null(names(x)), "lines of 'name: [words]'")
      lapply(x, as.character)
    })
})

# "4:20", [4, 20], and "3:" for no upper end.
as_range <- function(x) {
  if (is.character(x) && length(x) == 1) {
    ends <- strsplit(paste0(x, " "), ":", fixed = TRUE)[[1]]
    if (length(ends) != 2) return(NULL)
    ends <- trimws(ends)
    x <- suppressWarnings(as.numeric(c(if (nzchar(ends[1])) ends[1] else -Inf,
      if (nzchar(ends[2])) ends[2] else Inf)))
  }
  if (is.numeric(x) && length(x) == 2 && !anyNA(x) && x[1] <= x[2]) x
}
