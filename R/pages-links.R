#' Pages that could link to a page
#'
#' Which existing pages say, in their text, what a page is to rank for, and do not link to it yet.
#'
#' @param summary A `tide_summary` object.
#' @param pages A `tide_pages` object.
#' @param to Address or path of the page to link to.
#' @param queries How many of its queries, those with the most impressions, are looked for.
#' @return A tibble, the strongest page first: `page`, `query`, `sentence` (in which it stands),
#'   `clicks` (of the linking page in the recent window), `linking`, `depth`. A page that is shown
#'   for the query itself, with a tenth of its impressions or more, is none of them: such a link
#'   would say that the other is the answer, or begin a contest.
#' @section Errors: `tide_error_argument` where the page was not read.
#' @seealso [tide_page_words()]
#' @examples
#' dir <- tempfile("pages")
#' dir.create(file.path(dir, "guides", "how-to-grow-radish"), recursive = TRUE)
#' writeLines("<html><head><title>Radishes</title></head><body><h1>Radishes</h1></body></html>",
#'   file.path(dir, "guides", "how-to-grow-radish", "index.html"))
#' writeLines("<html><head><title>Home</title></head><body><p>Mind the spacing of radishes: a
#'   radish spacing of a hand is enough.</p></body></html>", file.path(dir, "index.html"))
#' pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_page_links(summary, pages, "/guides/how-to-grow-radish/")
#' @export
tide_page_links <- function(summary, pages, to, queries = 10) {
  check_class(summary, "tide_summary", "summary")
  check_class(pages, "tide_pages", "pages")
  check_text(to, "to")
  check_number(queries, "queries", min = 1)
  target <- known_page_keys(to, pages$pages$key)
  if (!target %in% pages$pages$key) {
    abort_argument("to", "a page that was read", to)
  }
  own <- summary$pairs[summary$pages$key[summary$pairs$page] == target]
  own <- utils::head(own[order(-own$impressions)], queries)
  asked <- own$query[summary$queries$segment[own$query] != "brand"]
  linked <- pages$links$from[pages$links$to == target]
  sources <- pages$pages[!pages$pages$key %in% c(linked, target) & !pages$pages$noindex]
  none <- tibble::tibble(page = character(), query = character(), sentence = character(),
    clicks = numeric(), linking = integer(), depth = integer())
  if (!length(asked) || !nrow(sources)) return(none)
  stem <- stemmer(sources$language[1])
  phrases <- phrase_forms(summary$queries$key[asked], stem)
  blocks <- strsplit(sources$text, "\n", fixed = TRUE)
  long <- data.table(source = rep(seq_along(blocks), lengths(blocks)), sentence = unlist(blocks))
  said <- stemmed(long$sentence, stem)
  rivals <- rival_pages(summary, asked)
  found <- rbindlist(lapply(seq_along(asked), function(i) {
    hit <-
      which(.Call(phrase_counts, rep(phrases$words[i], length(said)), said, seq_along(said)) > 0)
    hit <- hit[!duplicated(long$source[hit])]
    hit <- hit[!sources$key[long$source[hit]] %in% rivals[[i]]]
    data.table(source = long$source[hit], query = rep(summary$queries$query[asked[i]], length(hit)),
      sentence = long$sentence[hit])
  }))
  if (!nrow(found)) return(none)
  clicks <- sum_codes(summary$pairs$clicks, summary$pairs$page, nrow(summary$pages))
  at <- sources[found$source]
  out <- data.table(page = at$page, query = found$query, sentence = found$sentence,
    clicks = fcoalesce(clicks[match(at$key, summary$pages$key)], 0), linking = at$linking,
    depth = at$depth)
  # One line for each page: of several queries the one asked most.
  out <- out[!duplicated(out$page)]
  tibble::as_tibble(out[order(-out$clicks, -out$linking, out$depth, out$page)])
}

# Keys of the pages shown for each query with a good part of its impressions.
rival_pages <- function(summary, queries) {
  pairs <- summary$pairs
  share <- pairs$impressions /
    sum_codes(pairs$impressions, pairs$query, nrow(summary$queries))[pairs$query]
  lapply(queries, function(query) {
    summary$pages$key[pairs$page[pairs$query == query & share >= assumed("weighty_share")]]
  })
}
