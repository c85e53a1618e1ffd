# Checks of arguments at the exported edge. The error names the argument and what was given.

abort_argument <- function(arg, must, given) {
  shown <- if (is.null(given)) "NULL" else paste(utils::head(format(given), 3), collapse = ", ")
  abort_tide(sprintf("`%s` must be %s.", arg, must),
    where = sprintf("`%s` is %s (%s).", arg, shown, class(given)[1]),
    fix = sprintf("Give `%s` as %s.", arg, must), class = "argument", fault = "call",
    argument = arg, must = must, given = shown)
}

check_class <- function(x, class, arg) {
  if (!inherits(x, class)) abort_argument(arg, sprintf("a <%s> object", class), class(x))
}

# Where generics take dots, what is not known is refused.
check_no_more <- function(...) {
  if (!...length()) return(invisible())
  name_texts <- names(list(...))
  named <- !is.null(name_texts) && nzchar(name_texts[1])
  given <- if (named) name_texts[1] else "an argument without a name"
  abort_argument(given, "left out: it is not known here", ...elt(1))
}

check_number <- function(x, arg, min = -Inf, max = Inf, null = FALSE) {
  if (null && is.null(x)) return(invisible())
  if (!is.numeric(x) || length(x) != 1 || is.na(x) || x < min || x > max) {
    low_high <- if (is.finite(min) && is.finite(max)) {
      sprintf(" from %s to %s", min, max)
    } else if (is.finite(min)) {
      sprintf(" of at least %s", min)
    } else {
      ""
    }
    abort_argument(arg, paste0("one number", low_high), x)
  }
}

check_text <- function(x, arg, null = FALSE, many = FALSE) {
  if (null && is.null(x)) return(invisible())
  if (!is.character(x) || anyNA(x) || (!many && length(x) != 1)) {
    abort_argument(arg, if (many) "text without missing values" else "one text", x)
  }
}

check_flag <- function(x, arg) {
  if (!isTRUE(x) && !isFALSE(x)) abort_argument(arg, "TRUE or FALSE", x)
}

check_date <- function(x, arg, null = TRUE) {
  if (null && is.null(x)) return(NULL)
  on_day <- tryCatch(as.IDate(x), error = function(e) NA)
  if (length(on_day) != 1 || is.na(on_day)) abort_argument(arg, "one date such as 2026-03-31", x)
  on_day
}

# One of several texts; the first where the argument was left at its default of all of them.
check_choice <- function(x, choices, arg) {
  if (identical(x, choices)) return(choices[1])
  if (!is.character(x) || length(x) != 1 || !x %in% choices) {
    abort_argument(arg, paste0("one of '", paste(choices, collapse = "', '"), "'"), x)
  }
  x
}

# A range written as c(a, b), a <= b.
check_range <- function(x, arg, null = TRUE) {
  if (null && is.null(x)) return(invisible())
  if (!is.numeric(x) || length(x) != 2 || anyNA(x) || x[1] > x[2]) {
    abort_argument(arg, "two numbers, the smaller first", x)
  }
}

check_regex <- function(x, arg) {
  if (is.null(x)) return(invisible())
  check_text(x, arg)
  ok <- tryCatch({
    suppressWarnings(grepl(x, "", perl = TRUE))
    TRUE
  },
    error = function(e) FALSE)
  if (!ok) {
    abort_tide(sprintf("`%s` is not a regular expression.", arg), where = sprintf("It is '%s'.", x),
      fix = paste("Close its brackets, or put a backslash before each sign meant literally,",
        "as in 'a\\+b'."),
      class = "regex", fault = "call", argument = arg)
  }
}

# Two letters that changed places are the likeliest slip.
nearest_name <- function(name, known) {
  letters_of <- function(x) vapply(strsplit(tolower(x), ""), function(l) {
    paste(sort(l), collapse = "")
  }, "")
  far <- as.vector(utils::adist(name, known, ignore.case = TRUE))
  far[far == 2 & letters_of(known) == letters_of(name)] <- 0.5
  known[which.min(far)]
}

# The first that is given: an option, a setting, a default.
first_given <- function(...) Find(Negate(is.null), list(...))

one_text <- function(x) is.character(x) && length(x) == 1 && !is.na(x)

# A colour of text that can be read on white (WCAG 2.2, 1.4.3).
dark_colour <- "a colour such as \"#1f4e79\" that can be read on white"

is_dark_colour <- function(colour) {
  if (!is.character(colour) || length(colour) != 1 || !grepl("^#[0-9a-fA-F]{6}$", colour)) {
    return(FALSE)
  }
  parts <- strtoi(substring(colour, c(2, 4, 6), c(3, 5, 7)), 16L) / 255
  linear <- ifelse(parts <= 0.04045, parts / 12.92, ((parts + 0.055) / 1.055)^2.4)
  1.05 / (sum(c(0.2126, 0.7152, 0.0722) * linear) + 0.05) >= 4.5
}
