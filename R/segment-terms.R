#' Head terms and their modifiers
#'
#' The topics that the site's own queries are about, and the words that go with each: "seeds",
#' "buy" and "heirloom" around "tomato".
#'
#' @details The head term of a query is the word that sets its page apart: of the query's words
#'   the one whose share among the queries of the same page is furthest above its share among all
#'   queries. Pages with fewer than three queries cannot tell; there the word that is head most
#'   often elsewhere is taken, then the one in most queries. Words without a meaning of their own
#'   ("how", "the", "for"), and words on a tenth of all pages or more ("seeds" where seeds are
#'   sold), are never heads.
#' @param summary A `tide_summary` object.
#' @param modifiers How many modifiers to name.
#' @return A tibble, most clicks first: `term`, `queries`, `pages`, `clicks`, `impressions`,
#'   `ctr`, `position`, `modifiers` (those in most queries, comma separated).
#' @examples
#' head(tide_terms(tide_summary(tide_read(tide_example()[["pairs"]]))))
#' @export
tide_terms <- function(summary, modifiers = 5) {
  check_class(summary, "tide_summary", "summary")
  check_number(modifiers, "modifiers", min = 0)
  sums <- reduce_pairs(summary$cells)
  heading <- head_terms(summary$queries$key, leading_pages(sums, nrow(summary$queries)))
  set(sums, j = "term", value = heading[sums$query])
  sums <- sums[!is.na(sums$term)]
  out <- add_ratios(sums_by(sums, "term", c("clicks", "impressions", "weighted")))
  set(out, j = "queries", value = distinct_by(sums, "term", "query"))
  set(out, j = "pages", value = distinct_by(sums, "term", "page"))
  out <- out[, c("term", "queries", "pages", "clicks", "impressions", "ctr", "position")]
  words <- query_words(summary$queries$key)
  set(out, j = "modifiers", value = vapply(out$term, function(term) {
    others <- unlist(lapply(words[which(heading == term)],
      function(own) setdiff(own, c(term, function_words))))
    distinct <- sorted_texts(others)
    paste(
      utils::head(distinct[order(-tabulate(match(others, distinct), length(distinct)))], modifiers),
      collapse = ", ")
  }, ""))
  setorderv(out, c("clicks", "impressions", "term"), c(-1L, -1L, 1L))
  tibble::as_tibble(out)
}

# The page with most clicks, then impressions, for each query code.
leading_pages <- function(sums, queries) {
  by_lead <- leaders_first(sums)
  first <- by_lead[!duplicated(by_lead$query)]
  first$page[match(seq_len(queries), first$query)]
}

leaders_first <- function(sums) {
  setorderv(copy(sums), c("query", "clicks", "impressions", "page"), c(1L, -1L, -1L, 1L))
}

# Words on so many pages that they set none apart: "seeds" where seeds are sold.
words_of_all <- function(long, least = 5, share = 0.1) {
  pages <- length(unique(long$page))
  pages_of <- unique(long[!is.na(long$page), c("word", "page")])[, .N, by = "word"]
  pages_of$word[pages_of$N >= max(least, share * pages)]
}

# The head term of each query, NA where no word of it tells a topic.
head_terms <- function(queries, pages) {
  long <- word_table(queries)
  set(long, j = "page", value = pages[long$query])
  long <- long[!long$word %in% words_of_all(long)]
  if (!nrow(long)) return(rep(NA_character_, length(queries)))
  long[, "everywhere" := .N / length(queries), by = "word"]
  size <- tabulate(pages, max(pages, 0L, na.rm = TRUE))
  long[, "here" := .N / size[page], by = c("page", "word")]
  long[, "enough" := size[long$page] >= 3]
  long[, "lift" := long$here - long$everywhere]
  votes <- long[which(long$enough)]
  setorderv(votes, c("query", "lift", "everywhere", "word"), c(1L, -1L, -1L, 1L))
  votes <- votes[!duplicated(votes$query)][, .N, by = "word"]
  set(long, j = "votes", value = fcoalesce(votes$N[match(long$word, votes$word)], 0L))
  set(long, j = "lift", value = ifelse(long$enough, long$lift, 0))
  setorderv(long, c("query", "lift", "votes", "everywhere", "word"), c(1L, -1L, -1L, -1L, 1L))
  best <- long[!duplicated(long$query)]
  best$word[match(seq_along(queries), best$query)]
}

# Queries about one subject are one idea. In: all queries in lower case, the leading page of each,
# and which of them are `asked` about. Out: a label for each of those. What sets the other queries'
# pages apart is a subject of the site; what goes with several of these is none ("storage", with
# leek and pumpkin); of the rest the word that most queries hold, that leads to one page, and that
# another always goes with, as in "rain barrel".
subject_ideas <- function(queries, pages, asked) {
  keys <- unique(asked)
  # Some thousands tell what a site is about.
  others <- utils::head(setdiff(which(!is.na(pages)), keys), 20000L)
  subjects <- table(singular(head_terms(queries[others], pages[others])))
  looked <- c(others, keys)
  long <- word_table(queries[looked])
  set(long, j = "query", value = looked[long$query])
  set(long, j = c("page", "word"), value = list(pages[long$query], singular(long$word)))
  long <- unique(long[!grepl("^([a-z]|[0-9]+)$", long$word)])
  of_all <- words_of_all(long[long$query %in% others])
  long <- long[!long$word %in% of_all]
  set(long, j = "votes", value = fcoalesce(as.integer(subjects[long$word]), 0L))
  # Each query's own subject, and with how many of them a word goes.
  setorderv(long, c("query", "votes"), c(1L, -1L))
  lead <- long[!duplicated(long$query) & long$votes > 0]
  subject <- lead$word[match(long$query, lead$query)]
  beside <- unique(data.table(word = long$word, with = subject)[!is.na(subject) &
    subject != long$word])
  many <- table(beside$word)
  long <- long[long$query %in% keys]
  long[, "holding" := .N, by = "word"]
  long[, "one_page" := max(tabulate(match(page, unique(page)))) / .N, by = "word"]
  goes_with <- fcoalesce(as.integer(many[long$word]), 0L)
  long <- long[long$votes > 0 | goes_with < 2 & long$holding >= 2 &
    long$holding <= max(3, 0.25 * length(keys))]
  set(long, j = "held", value = long$one_page^2 * always_with(long) * log1p(long$holding))
  setorderv(long, c("query", "votes", "held", "word"), c(1L, -1L, -1L, 1L))
  best <- long[!duplicated(long$query)]
  out <- queries
  out[best$query] <- best$word
  out[asked]
}

# For each row the share of its word's queries that hold the word it goes with most.
always_with <- function(long) {
  two <- long[long, on = "query", allow.cartesian = TRUE, nomatch = NULL]
  two <- two[two$word != two$i.word, .N, by = c("word", "i.word", "holding")]
  if (!nrow(two)) return(1)
  most <- two[, .(N = max(N)), by = c("word", "holding")]
  fcoalesce((most$N / most$holding)[match(long$word, most$word)], 1)
}

# The English plural's "s", as far as it tells nothing.
singular <- function(words) sub("(?<=[^s\\W]{3})s$", "", words, perl = TRUE)

# Queries that share two words which mostly stand together are one idea; what shares no two joins
# the idea that its rarest word stands in, or those with the same rarest word. In: queries in lower
# case. Out: a label each.
shared_ideas <- function(queries) {
  words <- word_table(queries)
  # A letter or a number tells no idea, nor does a word that a good part of all of them hold.
  words <- words[!grepl("^([a-z]|[0-9]+)$", words$word)]
  words[, "holding" := .N, by = "word"]
  words <- words[words$holding >= 2 & words$holding <= max(3, 0.25 * length(queries))]
  out <- queries
  if (!nrow(words)) return(out)
  two <- words[words, on = "query", allow.cartesian = TRUE]
  two <- two[two$word < two$i.word]
  two[, "both" := .N, by = c("word", "i.word")]
  two <- two[two$both >= 2]
  two[, "tie" := both^2 / (holding * i.holding) * log1p(both)]
  setorderv(two, c("query", "tie", "word", "i.word"), c(1L, -1L, 1L, 1L))
  best <- two[!duplicated(two$query)]
  setorderv(words, c("query", "holding", "word"))
  rarest <- words[!duplicated(words$query) & !words$query %in% best$query]
  setorderv(best, "tie", -1L)
  of_word <- c(best$word, best$i.word)
  joins <- best[(match(rarest$word, of_word) - 1L) %% nrow(best) + 1L]
  out[best$query] <- paste(best$word, best$i.word)
  out[rarest$query] <- ifelse(is.na(joins$word), rarest$word, paste(joins$word, joins$i.word))
  out
}
