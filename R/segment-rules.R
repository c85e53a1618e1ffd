#' How this site's queries and pages are grouped
#'
#' The word lists and patterns behind the segments: brand words, words that tell intent, groups
#' of pages, position bands. Everything has a default that can be edited; a project keeps its own
#' in `inktide.yml`.
#'
#' @param brand Brand words, see [tide_summary()].
#' @param intent Named list of word lists; the first whose word stands in a query names its
#'   intent, others are `other`.
#' @param page_groups Named patterns; the first that fits a page's address names its group,
#'   others are `other`. A pattern that begins with `/` and holds no signs of a regular
#'   expression is the beginning of the path. Without groups a page's group is its first folder.
#' @param bands Positions at which a band begins.
#' @param ignore What is not the site's subject: reasons, named by the query, or by a regular
#'   expression between slashes. Such queries are never among the findings, where they are counted
#'   with their reason, and stay in all totals.
#' @param intended Pages that should answer queries: addresses or paths, named by the query, or by a
#'   regular expression between slashes; the first that fits counts. Where pages compete for such a
#'   query, it is known which should lead, see [cannibalized] and [tide_intended()].
#' @return A `tide_rules` object: a list of `brand`, `intent`, `page_groups`, `bands`, `ignore` and
#'   `intended`.
#' @examples
#' tide_rules(brand = "fernmoor", page_groups = c(advice = "/guides/", shop = "/shop/"))
#' @export
tide_rules <- function(brand = NULL, intent = intent_words, page_groups = NULL,
    bands = c(1, 4, 11, 21), ignore = NULL, intended = NULL) {
  check_text(brand, "brand", null = TRUE, many = TRUE)
  check_text(unlist(page_groups), "page_groups", null = TRUE, many = TRUE)
  if (!is.list(intent) || is.null(names(intent)) || !all(vapply(intent, is.character, NA))) {
    abort_argument("intent", "a named list of words", intent)
  }
  if (length(page_groups) && is.null(names(page_groups))) {
    abort_argument("page_groups", "patterns with names", page_groups)
  }
  for (pattern in unlist(page_groups)) check_regex(pattern, "page_groups")
  if (!is.numeric(bands) || !length(bands) || bands[1] != 1 ||
      is.unsorted(bands, strictly = TRUE)) {
    abort_argument("bands", "increasing positions that begin with 1, such as 1, 4, 11, 21", bands)
  }
  check_by_query(ignore, "ignore", "reasons named by the queries")
  check_by_query(intended, "intended", "pages named by the queries")
  structure(list(brand = brand, intent = intent, page_groups = unlist(page_groups), bands = bands,
    ignore = unlist(ignore), intended = unlist(intended)),
    class = c("tide_rules", "tide_result"))
}

#' @export
format.tide_rules <- function(x, ...) {
  lists <- function(of) paste(
    sprintf("%s (%s)", names(of), vapply(of, function(words) paste(words, collapse = ", "), "")),
    collapse = "; ")
  c(
    "<tide_rules>",
    sprintf("  brand: %s",
      if (length(x$brand)) paste(x$brand, collapse = ", ") else "no words named"),
    sprintf("  intent: %s", lists(x$intent)),
    sprintf("  page groups: %s",
      if (length(x$page_groups)) lists(x$page_groups) else "by first folder"),
    sprintf("  bands: %s", paste(band_names(x$bands), collapse = ", ")),
    if (length(x$ignore)) {
      sprintf("  ignored: %s",
        paste(sprintf("%s (%s)", names(x$ignore), x$ignore), collapse = ", "))
    },
    if (length(x$intended)) {
      sprintf("  intended pages: %s",
        paste(sprintf("%s (%s)", names(x$intended), x$intended), collapse = ", "))
    })
}

# What is said of queries is named by them, or by patterns between slashes.
check_by_query <- function(said, argument, must) {
  check_text(unlist(said), argument, null = TRUE, many = TRUE)
  if (length(said) && (is.null(names(said)) || any(!nzchar(names(said))))) {
    abort_argument(argument, must, said)
  }
  for (pattern in slashed_patterns(names(said))) check_regex(pattern, argument)
}

slashed_patterns <- function(names) sub("^/(.*)/$", "\\1", grep("^/.+/$", names, value = TRUE))

# Which of the queries a name stands for.
named_queries <- function(keys, name) {
  pattern <- slashed_patterns(name)
  if (length(pattern)) match_pattern(keys, pattern) else keys == query_key(name)
}

# What is said of each query, NA for nothing; of several names that fit it the first counts.
said_of_queries <- function(keys, said) {
  out <- rep(NA_character_, length(keys))
  for (i in rev(seq_along(said))) out[named_queries(keys, names(said)[i])] <- said[[i]]
  out
}

# "1-3", "4-10", "11-20", "21+"
band_names <- function(bands) {
  c(if (length(bands) > 1) sprintf("%g-%g", utils::head(bands, -1), bands[-1] - 1),
    sprintf("%g+", bands[length(bands)]))
}

# An average of 3.4 is nearer to 3 than to 4.
position_band <- function(position, bands) {
  band_names(bands)[findInterval(position, c(1, bands[-1] - 0.5))]
}

page_group <- function(pages, groups) {
  path <- format_path(pages)
  if (!length(groups)) {
    return(ifelse(grepl("^/[^/]+/", path), sub("^(/[^/]+/).*$", "\\1", path), "/"))
  }
  out <- rep("other", length(pages))
  for (name in rev(names(groups))) {
    pattern <- groups[[name]]
    fits <- if (grepl("^/[^][(){}*+?|^$\\\\]*$", pattern)) {
      startsWith(path, pattern)
    } else {
      match_pattern(pages, pattern)
    }
    out[fits] <- name
  }
  out
}

# Intent of a query by its words: what the searcher is about to do.

intent_words <- list(commercial = c("best", "review", "reviews", "vs", "versus", "cheap", "buy",
  "price", "prices", "sale", "online", "order", "deal", "deals", "discount", "compared",
  "comparison", "shop"),
  informational = c("how", "what", "why", "when", "where", "which", "who", "can", "guide", "ideas",
    "history", "meaning", "tips", "does", "is", "growing", "tutorial"))

# In: queries in lower case. Out: the name of the first list that has a word of the query, or
# "other".
query_intent <- function(queries, lists = intent_words) {
  out <- rep("other", length(queries))
  for (intent in rev(names(lists))) {
    words <- gsub("([][(){}*+?|^$.\\\\])", "\\\\\\1", query_key(lists[[intent]]))
    out[grepl(sprintf("(?<![\\p{L}\\p{N}])(%s)(?![\\p{L}\\p{N}])", paste(words, collapse = "|")),
      queries, perl = TRUE)] <- intent
  }
  out
}

# Regular expressions against many texts, with an end: patterns that try every way of splitting a
# text never finish.

match_pattern <- function(texts, pattern, seconds = 20) {
  runaway <- function(...) {
    abort_tide("The regular expression takes too long.", where = sprintf("It is '%s'.", pattern),
      fix = paste("Avoid a repeat inside a repeat, such as '(a+)+'; plain words need no",
        "signs around them."),
      class = "regex", fault = "call")
  }
  last_at <- proc.time()[["elapsed"]] + seconds
  hit <- logical(length(texts))
  for (from in seq(1, length(texts), by = 5000L)[seq_len(ceiling(length(texts) / 5000))]) {
    part <- from:min(from + 4999L, length(texts))
    # Beyond its limit of steps the engine gives up on a text with a warning.
    hit[part] <- withCallingHandlers(grepl(pattern, texts[part], perl = TRUE, ignore.case = TRUE),
      warning = runaway)
    if (proc.time()[["elapsed"]] > last_at) runaway()
  }
  hit
}

length_names <- c("1 word", paste(2:5, "words"), "6+ words")

# Words that say nothing of a topic.
function_words <- c("a", "about", "an", "and", "are", "as", "at", "be", "best", "buy", "by", "can",
  "cheap", "did", "do", "does", "for", "from", "get", "how", "i", "in", "into", "is", "it", "like",
  "long", "make", "me", "my", "near", "not", "of", "on", "or", "s", "should", "so", "that", "the",
  "this", "to", "vs", "was", "what", "when", "where", "which", "who", "why", "will", "with",
  "without", "you", "your")

# Of those the words that no intent shows in either.
function_only <- setdiff(function_words, unlist(intent_words))

# Those that say nothing of what a page should name; buyers' words do.
silent_words <- setdiff(function_words, intent_words$commercial)

# The words of each query but those to leave out, each once: a data.table of `query` (its place) and
# `word`.
word_table <- function(queries, leave = function_words) {
  coded <- .Call(words_of_texts, enc2utf8(spaced_words(queries)))
  use <- which(!(coded[[3]] %in% leave)[coded[[2]]])
  data.table(query = coded[[1]][use], word = coded[[3]][coded[[2]][use]])
}
