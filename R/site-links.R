#' Pages that could link to a page
#'
#' Which existing pages say, in their text, what a page is to rank for, and do not link to it from
#' there yet.
#' @details A page says a query where one sentence or list item holds its phrase, or all of its
#'   telling words.
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
  found <- link_candidates(summary, pages, asked, rep(target, length(asked)))
  # One line for each page: of several queries the one asked most.
  found <- found[!duplicated(found$page)]
  out <- found[order(-found$clicks, -found$linking, found$depth, found$page)]
  tibble::as_tibble(out[, c("page", "query", "sentence", "clicks", "linking", "depth")])
}

# For each of some queries (codes) the pages that say it and could link to a page (by key), the
# strongest first: data.table(asked: which of them, page, query, sentence, clicks, linking, depth).
link_candidates <- function(summary, pages, asked, target) {
  sources <- pages$pages
  stem <- site_stemmer(pages)
  blocks <- strsplit(sources$text, "\n", fixed = TRUE)
  origin <- rep(seq_along(blocks), lengths(blocks))
  sentence <- unlist(blocks)
  phrases <- phrase_forms(summary$queries$key[asked], stem)
  telling <- telling_words(summary$queries$key[asked], stem)
  use <- could_say(sentence, telling)
  origin <- origin[use]
  sentence <- sentence[use]
  stems <- stemmed(sentence, stem)
  rivals <- rival_pages(summary, asked)
  clicks <- sum_codes(summary$pairs$clicks, summary$pairs$page, nrow(summary$pages))
  clicks <- fcoalesce(clicks[match(sources$key, summary$pages$key)], 0)
  stands <- function(word) {
    .Call(phrase_counts, rep(word, length(stems)), stems, seq_along(stems)) > 0
  }
  rbindlist(lapply(seq_along(asked), function(i) {
    whole <- stands(phrases$words[i])
    # A sentence with all of its telling words says it too, if less plainly.
    words <- telling[[i]]
    hit <- which(if (length(words) > 1) whole | Reduce(`&`, lapply(words, stands)) else whole)
    hit <- hit[order(!whole[hit], hit)]
    hit <- hit[!duplicated(origin[hit])]
    linked <- pages$links$from[pages$links$to == target[i] & pages$links$main]
    at <- origin[hit]
    keep <- which(!sources$key[at] %in% c(rivals[[i]], linked, target[i]) & !sources$noindex[at])
    at <- at[keep]
    first <- order(-clicks[at], -sources$linking[at], sources$depth[at], sources$page[at])
    at <- at[first]
    data.table(asked = rep(i, length(at)), page = sources$page[at],
      query = rep(summary$queries$query[asked[i]], length(at)),
      sentence = sentence[hit[keep][first]], clicks = clicks[at], linking = sources$linking[at],
      depth = sources$depth[at])
  }))
}

# Sentences worth stemming: those that hold the beginnings of all telling words of some query, or
# signs beyond ASCII.
could_say <- function(sentence, telling) {
  lower <- fold_case(sentence)
  use <- text_holds(lower, "beyond")
  for (words in unique(telling)) {
    if (!length(words)) next
    begins <- unique(substr(trimws(words), 1, 4))
    use <- use | Reduce(`&`, lapply(begins, grepl, lower, fixed = TRUE))
  }
  which(use)
}

# Stems of the words of each query that tell something, with a space at both ends.
telling_words <- function(keys, stem) {
  lapply(plain_words(keys), function(words) {
    sprintf(" %s ", stem(words[!words %in% silent_words]))
  })
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
