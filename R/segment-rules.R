#' How this site's queries and pages are told apart
#'
#' The word lists and patterns behind the segments: brand words, words that tell
#' intent, groups of pages, position bands. Everything has a default that can be
#' edited; a project keeps its own in `inktide.yml`.
#'
#' @param brand Brand words, see [tide_summary()].
#' @param intent Named list of word lists; the first whose word stands in a query
#'   names its intent, others are `uncategorised`.
#' @param page_groups Named patterns; the first that fits a page's address names
#'   its group, others are `other`. A pattern that begins with `/` and holds no
#'   signs of a regular expression is the beginning of the path. Without groups a
#'   page's group is its first folder.
#' @param bands Positions at which a band begins.
#' @return A `tide_rules` object: a list of the four.
#' @examples
#' tide_rules(brand = "fernmoor", page_groups = c(advice = "/guides/", shop = "/shop/"))
#' @export
tide_rules <- function(brand = NULL, intent = intent_words, page_groups = NULL,
  bands = c(1, 4, 11, 21)) {
  check_text(brand, "brand", null = TRUE, many = TRUE)
  check_text(unlist(page_groups), "page_groups", null = TRUE, many = TRUE)
  if (!is.list(intent) || is.null(names(intent)) ||
    !all(vapply(intent, is.character, NA))) abort_argument("intent",
    "a named list of words", intent)
  if (length(page_groups) && is.null(names(page_groups))) abort_argument("page_groups",
    "patterns with names",
    page_groups)
  for (pattern in unlist(page_groups)) check_regex(pattern, "page_groups")
  if (!is.numeric(bands) || !length(bands) || bands[1] != 1 ||
    is.unsorted(bands, strictly = TRUE)) {
    abort_argument("bands", "increasing positions that begin with 1, such as 1, 4, 11, 21", bands)
  }
  structure(list(brand = brand, intent = intent, page_groups = unlist(page_groups), bands = bands),
    class = "tide_rules")
}

#' @export
print.tide_rules <- function(x, ...) {
  print_lines(format(x, ...))
  invisible(x)
}

#' @export
format.tide_rules <- function(x, ...) {
  lists <- function(of) paste(sprintf("%s (%s)", names(of),
    vapply(of, function(words) paste(words, collapse = ", "), "")), collapse = "; ")
  c("<tide_rules>", sprintf("  brand: %s",
    if (length(x$brand)) paste(x$brand, collapse = ", ") else "not told apart"),
    sprintf("  intent: %s", lists(x$intent)), sprintf("  page groups: %s",
      if (length(x$page_groups)) lists(x$page_groups) else "by first folder"),
    sprintf("  bands: %s", paste(band_names(x$bands), collapse = ", ")))
}

# "1-3", "4-10", "11-20", "21+"
band_names <- function(bands) c(if (length(bands) > 1) sprintf("%g-%g", utils::head(bands, -1),
  bands[-1] - 1),
  sprintf("%g+", bands[length(bands)]))

# An average of 3.4 is nearer to 3 than to 4.
position_band <- function(position, bands) band_names(bands)[findInterval(position,
  c(1, bands[-1] - 0.5))]

page_group <- function(pages, groups) {
  path <- format_path(pages)
  if (!length(groups)) return(ifelse(grepl("^/[^/]+/", path), sub("^(/[^/]+/).*$", "\\1", path),
    "/"))
  out <- rep("other", length(pages))
  for (name in rev(names(groups))) {
    pattern <- groups[[name]]
    fits <- if (grepl("^/[^][(){}*+?|^$\\\\]*$", pattern)) startsWith(path,
      pattern) else match_pattern(pages, pattern)
    out[fits] <- name
  }
  out
}

# Words of queries: what spaces and punctuation leave, in any script. An apostrophe or hyphen inside
# stays.
query_words <- function(queries) {
  # Most are words and single spaces already.
  odd <- grep("[^a-z0-9 '.+#-]|  ", queries, perl = TRUE)
  queries[odd] <- gsub("[^\\p{L}\\p{M}\\p{N}'\u2019.+#-]+", " ", queries[odd], perl = TRUE)
  strsplit(queries, " ", fixed = TRUE)
}

# The words of each query but those to leave out, each once: a data.table of `query` (its place) and
# `word`.
word_table <- function(queries, leave = function_words) {
  words <- query_words(queries)
  long <- data.table(query = rep(seq_along(queries), lengths(words)),
    word = as.character(unlist(words)))
  unique(long[!long$word %in% c(leave, "")])
}
