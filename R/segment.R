#' A named stack of filters
#'
#' Conditions that all have to hold, under a name, to be used wherever rows or findings are
#' narrowed: in [tide_filter()], [tide_filter()], [tide_find()] and [tide_compare()]. A project
#' keeps its stacks in `inktide.yml`.
#'
#' @param name What to call it.
#' @param ... Conditions, by name:
#' \describe{
#'   \item{`query`, `not_query`, `page`, `not_page`}{Regular expression (case ignored) that must
#'     match, or must not.}
#'   \item{`queries`, `pages`}{Lists of queries or addresses: only these, compared as elsewhere
#'     (case, spaces, spellings of one address).}
#'   \item{`query_text`, `page_text`}{Plain text that must stand in it.}
#'   \item{`starts`, `ends`}{Plain text that the query begins or ends with.}
#'   \item{`has_any`, `has_all`, `has_none`}{Words of the query: at least one of them, all of
#'     them, none of them.}
#'   \item{`words`, `characters`}{Length of the query, `c(from, to)`.}
#'   \item{`brand`}{`TRUE` or `FALSE`.}
#'   \item{`intent`, `page_group`}{Names as in [tide_rules()].}
#'   \item{`country`, `device`, `vertical`, `rich_result`}{Values, case ignored.}
#'   \item{`position`, `ctr`}{Average position, or CTR, of the query x page pair, `c(from, to)`.}
#'   \item{`min_impressions`, `min_clicks`}{Least sums of the pair.}
#' }
#' @param all_of,any_of Lists of segments: rows must be in all of the first, and in at least one of
#'   the second.
#' @param not `TRUE` stands for all that the stack does not hold.
#' @return A `tide_segment` object: a list with `name`, `conditions`, `all_of`, `any_of` and `not`.
#' @section Errors: `tide_error_argument`, `tide_error_regex`.
#' @examples
#' tide_segment("long questions on phones", has_any = c("how", "why"), words = c(5, Inf),
#'   device = "mobile")
#' tide_segment("peas or beans, not in the guides", page_text = "/shop/",
#'   any_of = list(tide_segment("peas", query_text = "pea"),
#'     tide_segment("beans", query_text = "bean")))
#' @export
tide_segment <- function(name, ..., all_of = NULL, any_of = NULL, not = FALSE) {
  check_text(name, "name")
  conditions <- Filter(Negate(is.null), list(...))
  unknown <- setdiff(names(conditions), names(segment_conditions))
  if (length(conditions) && (is.null(names(conditions)) || length(unknown))) {
    abort_argument(if (length(unknown)) unknown[1] else "...",
      paste0("a condition among ", paste(names(segment_conditions), collapse = ", ")),
      conditions[[1]])
  }
  for (arg in names(conditions)) check_condition(arg, conditions[[arg]])
  structure(list(name = name, conditions = conditions, all_of = as_segments(all_of, "all_of"),
    any_of = as_segments(any_of, "any_of"), not = isTRUE(not)),
    class = c("tide_segment", "tide_result"))
}

# Each condition: what it looks at (a text, a dimension, or the sums of a query x page pair), what
# its value must be, how to say that it failed, and the test of many (x, value, rules) -> logical.
segment_conditions <- local({
  condition <- function(on, value, fails, test) list(on = on, value = value, fails = fails,
    test = test)
  pattern <- function(on, wanted) condition(on, "pattern",
    paste(on, if (wanted) "does not match '%s'" else "matches '%s'"),
    function(x, value, rules) match_pattern(x, value) == wanted)
  text <- function(on, fails, test) condition(on, "text", fails,
    function(x, value, rules) test(query_key(x), query_key(value)))
  words <- function(fails, test) condition("query", "words", fails, function(x, value, rules) {
    # A word may be several: it is looked for between spaces.
    spaced <- paste0(" ", vapply(query_words(query_key(x)), paste, "", collapse = " "), " ")
    test(lapply(query_key(value), function(word) grepl(paste0(" ", word, " "), spaced,
      fixed = TRUE)))
  })
  length_of <- function(fails, measure) condition("query", "range", fails,
    function(x, value, rules) {
      n <- measure(query_key(x))
      n >= value[1] & n <= value[2]
    })
  value_of <- function(on) condition(on, "words", paste(on, "is not %s"),
    function(x, value, rules) tolower(x) %in% tolower(value))
  least <- function(of) condition("pair", "number", paste("fewer than %s", of),
    function(x, value, rules) x[[of]] >= value)
  list(
    query = pattern("query", TRUE),
    not_query = pattern("query", FALSE),
    page = pattern("page", TRUE),
    not_page = pattern("page", FALSE),
    queries = condition("query", "list", "query is not among the %s listed",
      function(x, value, rules) query_key(x) %in% query_key(value)),
    pages = condition("page", "list", "page is not among the %s listed",
      function(x, value, rules) page_key(x) %in% page_key(value)),
    query_text = text("query", "query does not hold '%s'",
      function(x, value) grepl(value, x, fixed = TRUE)),
    page_text = text("page", "page does not hold '%s'",
      function(x, value) grepl(value, x, fixed = TRUE)),
    starts = text("query", "query does not start with '%s'",
      function(x, value) startsWith(x, value)),
    ends = text("query", "query does not end with '%s'", function(x, value) endsWith(x, value)),
    has_any = words("query has none of %s", function(hits) Reduce(`|`, hits)),
    has_all = words("query has not all of %s", function(hits) Reduce(`&`, hits)),
    has_none = words("query has one of %s", function(hits) !Reduce(`|`, hits)),
    words = length_of("query has not %s words", function(x) lengths(query_words(x))),
    characters = length_of("query has not %s characters", nchar),
    brand = condition("query", "flag", "not %s", function(x, value, rules) {
      is_brand(query_key(x), rules$brand) == value
    }),
    intent = condition("query", "words", "intent is not %s", function(x, value, rules) {
      query_intent(query_key(x), rules$intent) %in% tolower(value)
    }),
    page_group = condition("page", "words", "page is not in %s", function(x, value, rules) {
      page_group(x, rules$page_groups) %in% value
    }),
    country = value_of("country"),
    device = value_of("device"),
    vertical = value_of("vertical"),
    rich_result = value_of("rich_result"),
    position = condition("pair", "range", "average position is not %s", function(x, value, rules) {
      x$position >= value[1] & x$position <= value[2]
    }),
    ctr = condition("pair", "range", "CTR is not %s", function(x, value, rules) {
      x$clicks / x$impressions >= value[1] & x$clicks / x$impressions <= value[2]
    }),
    min_impressions = least("impressions"),
    min_clicks = least("clicks"))
})

check_condition <- function(arg, value) {
  switch(segment_conditions[[arg]]$value, pattern = check_regex(value, arg),
    text = check_text(value, arg), words = ,
    list = check_text(value, arg, many = TRUE),
    range = check_range(value, arg, null = FALSE), number = check_number(value, arg, min = 0),
    flag = check_flag(value, arg))
}

# How the ledger names what failed a condition.
condition_label <- function(arg, value) {
  shown <- switch(
    segment_conditions[[arg]]$value,
    words = paste(value, collapse = " or "),
    list = format_count(length(unique(value))),
    range = condition_text(value),
    flag = condition_text(value),
    format(value))
  sprintf(segment_conditions[[arg]]$fails, shown)
}

# A condition's value in words.
condition_text <- function(value) {
  # Of the conditions only that on the brand.
  if (is.logical(value)) return(if (value) "brand" else "non-brand")
  if (!is.numeric(value) || length(value) != 2) return(paste(format(value), collapse = ", "))
  if (is.infinite(value[2])) {
    sprintf("at least %g", value[1])
  } else {
    sprintf("%g to %g", value[1], value[2])
  }
}

# Conditions in words: "device mobile", "12 queries".
condition_names <- function(conditions) {
  vapply(names(conditions), function(arg) {
    value <- conditions[[arg]]
    if (segment_conditions[[arg]]$value == "list") {
      return(paste(format_count(length(unique(value))), arg))
    }
    if (is.logical(value)) return(condition_text(value))
    paste(gsub("_", " ", arg), condition_text(value))
  }, "", USE.NAMES = FALSE)
}

# What segments choose, in words.
segment_words <- function(segments) {
  vapply(segments, function(segment) {
    parts <- c(condition_names(segment$conditions), segment_words(segment$all_of),
      if (length(segment$any_of)) paste(segment_words(segment$any_of), collapse = " or "))
    paste0(if (segment$not) "all but ", paste(parts, collapse = ", "))
  }, "")
}

#' @export
format.tide_segment <- function(x, ...) {
  sprintf("<tide_segment> %s: %s", x$name, segment_words(list(x)))
}

# One segment or a list of them, as a list.
as_segments <- function(segments, argument = "segments") {
  if (is.null(segments)) return(list())
  if (inherits(segments, "tide_segment")) segments <- list(segments)
  for (segment in segments) check_class(segment, "tide_segment", argument)
  segments
}
