#' What pages say of queries
#'
#' For each query on its page: how often its words stand in the address, title, headings and text,
#' and which of them are missing.
#'
#' @details The phrase is looked for by its words' stems in order (endings, case, accents, hyphens
#'   and words run together make no difference); of scripts without spaces by its characters. Words
#'   weigh by how few of the queries have them, so a telling word that is missing costs more cover
#'   than a usual one.
#' @param summary A `tide_summary` object.
#' @param pages A `tide_pages` object.
#' @return A tibble with a row for each query on a page that was read, those with the most
#'   impressions first: `query`, `page`, `clicks`, `impressions`, `position`, `in_address`,
#'   `in_title`, `in_heading`, `in_text` (how often the phrase stands there), `in_first` (in the
#'   first sentence), `in_description`, `in_links` (links of other pages to this one that say it),
#'   `cover` (0 to 1: share of its words, weighed, that the page says anywhere) and `missing` (the
#'   words that it does not say).
#' @section Errors: `tide_error_argument`.
#' @references Porter (1980), Program 14, 130-137, for the stems.
#' @seealso [tide_pages_read()]
#' @examples
#' dir <- tempfile("pages")
#' dir.create(file.path(dir, "guides", "how-to-grow-radish"), recursive = TRUE)
#' writeLines("<html><head><title>Radishes</title></head><body><h1>Growing radishes</h1><p>Sow
#'   radishes thinly from March.</p></body></html>",
#'   file.path(dir, "guides", "how-to-grow-radish", "index.html"))
#' pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_page_words(summary, pages)[, c("query", "in_title", "in_text", "cover", "missing")]
#' @export
tide_page_words <- function(summary, pages) {
  check_class(summary, "tide_summary", "summary")
  check_class(pages, "tide_pages", "pages")
  at <- match(summary$pages$key, pages$pages$key)
  pairs <- summary$pairs[!is.na(at[summary$pairs$page])]
  if (!nrow(pairs)) return(tibble::as_tibble(word_rows(pairs, summary, NULL)))
  language <- pages$pages$language[at[pairs$page]]
  found <- lapply(split(seq_len(nrow(pairs)), language), function(own) {
    words_in_language(pairs[own], summary, pages, at, stemmer(language[own[1]]))
  })
  found <- rbindlist(found)[order(unlist(split(seq_len(nrow(pairs)), language)))]
  tibble::as_tibble(word_rows(pairs, summary, found))
}

# Of pairs whose pages are in one language: how often each phrase stands where, `cover`, `missing`.
words_in_language <- function(pairs, summary, pages, at, stem) {
  texts <- page_texts(pages, unique(at[pairs$page]), stem)
  own <- match(at[pairs$page], texts$at)
  codes <- sort(unique(pairs$query))
  phrases <- phrase_forms(summary$queries$key[codes], stem)
  query_at <- match(pairs$query, codes)
  fields <- c("address", "title", "heading", "text", "first", "description", "links")
  counts <- lapply(stats::setNames(nm = fields), function(field) {
    count_phrases(phrases$words[query_at], phrases$joined[query_at], texts[[field]], own)
  })
  cover <- word_cover(phrases, query_at, own, texts$anywhere, summary$queries$key[codes])
  # A phrase that is run together is said, word by word or not.
  whole <- which(Reduce(`+`, counts[setdiff(fields, "links")]) > 0)
  cover$cover[whole] <- 1
  cover$missing[whole] <- ""
  setDT(c(counts, cover))
}

word_rows <- function(pairs, summary, found) {
  count <- function(field) if (is.null(found)) integer() else found[[field]]
  out <- data.table(query = summary$queries$query[pairs$query],
    page = summary$pages$page[pairs$page], clicks = pairs$clicks, impressions = pairs$impressions,
    position = pairs$position, in_address = count("address"), in_title = count("title"),
    in_heading = count("heading"), in_text = count("text"), in_first = count("first"),
    in_description = count("description"), in_links = count("links"),
    cover = if (is.null(found)) numeric() else found$cover,
    missing = if (is.null(found)) character() else found$missing)
  setorderv(out, c("impressions", "query", "page"), c(-1L, 1L, 1L))
}

# Words to what is left of them without endings: by Porter's rules for the language, where they are
# known.
stemmer <- function(language) {
  known <- c(en = "english", de = "german", fr = "french", es = "spanish", it = "italian",
    nl = "dutch", pt = "portuguese", sv = "swedish", da = "danish", no = "norwegian",
    fi = "finnish")
  # A page that names no language is taken for English; of a language without rules words stay
  # whole.
  if (!nzchar(language)) language <- "en"
  name <- known[language]
  if (is.na(name)) identity else function(words) SnowballC::wordStem(words, name)
}

# The stemmer of the language that most pages of a site are in.
site_stemmer <- function(pages) {
  language <- names(sort(table(pages$pages$language), decreasing = TRUE))[1]
  stemmer(if (is.null(language)) "" else language)
}

# Every ASCII sign that is no letter and no digit.
plain_signs_of_text <- paste(rawToChar(as.raw(c(1:47, 58:64, 91:96, 123:127))))

# Lower case, no accents, words of letters and digits only; scripts without spaces stay as they are.
# Out: list(word, at: the number of the text each stands in).
text_words <- function(text) {
  text <- fold_case(text)
  for (direction in c("'", "\u2019")) {
    has <- grepl(direction, text, fixed = TRUE)
    text[has] <- gsub(direction, "", text[has], fixed = TRUE)
  }
  letter_runs(text, function(words) plain_forms(words)[[1]])
}

# Runs of letters and digits: list(word, at: the number of the text each stands in). The signs of
# ASCII part nearly all; what a pattern has to look at are single words, each once, since a pattern
# takes time that grows with the square of the length of a text beyond ASCII.
letter_runs <- function(text, form = identity) {
  spaced <- chartr(plain_signs_of_text, strrep(" ", nchar(plain_signs_of_text)), text)
  parts <- strsplit(spaced, " ", fixed = TRUE)
  at <- rep(seq_along(parts), lengths(parts))
  word <- as.character(unlist(parts))
  beyond <- text_holds(word, "beyond")
  odd <- unique(word[beyond])
  spaced <- trimws(gsub("[^\\p{L}\\p{N}]+", " ", form(odd), perl = TRUE))
  inside <- strsplit(spaced, " ", fixed = TRUE)
  pieces <- as.list(word)
  pieces[beyond] <- inside[match(word[beyond], odd)]
  at <- rep(at, lengths(pieces))
  word <- as.character(unlist(pieces))
  keep <- nzchar(word)
  list(word = word[keep], at = at[keep])
}

# The same as a list of words for each text.
plain_words <- function(text) {
  long <- text_words(text)
  unname(split(long$word, factor(long$at, seq_along(text))))
}

# " stem stem stem " of each text, each distinct word stemmed once. All texts are put together at
# once, since calls cost more than words.
stemmed <- function(texts, stem) {
  if (!length(texts)) return(character())
  long <- text_words(texts)
  distinct <- unique(long$word)
  ends <- cumsum(tabulate(long$at, length(texts)) + 1L)
  one_line <- rep("\n", utils::tail(ends, 1))
  one_line[-ends] <- stem(distinct)[match(long$word, distinct)]
  whole <- strsplit(paste0(paste(one_line, collapse = " "), " "), "\n ", fixed = TRUE)[[1]]
  paste0(" ", whole)
}

# Queries as phrases: `words` to look for, with a space at both ends, and `joined` without any.
phrase_forms <- function(keys, stem) {
  words <- stemmed(keys, stem)
  # A script that writes no spaces is looked for within words, too.
  unspaced <- grepl("[\\p{Han}\\p{Hiragana}\\p{Katakana}\\p{Thai}]", keys, perl = TRUE)
  list(words = ifelse(unspaced, trimws(words), words),
    joined = paste0(" ", stem(vapply(plain_words(keys), paste, "", collapse = "")), " "))
}

# No phrase runs from one heading, link or block into the next: this word, which is none, is between
# them.
part_break <- " qzqzq "

# Every field of pages as stemmed text: list(at, address, title, ..., anywhere).
page_texts <- function(pages, at, stem) {
  rows <- pages$pages[at]
  path <- sub("^[a-z]+://[^/]*", "", rows$page)
  own <- split(pages$links$text, factor(pages$links$to, rows$key))
  links <-
    vapply(own, function(texts) paste(unique(texts), collapse = " | "), "", USE.NAMES = FALSE)
  stem_of <- function(text) stemmed(gsub("[|\n]", part_break, text), stem)
  out <- list(at = at, address = stem_of(path), title = stem_of(rows$title),
    heading = stem_of(paste(rows$heading, rows$headings, sep = " | ")), text = stem_of(rows$text),
    first = stem_of(rows$first_sentence), description = stem_of(rows$description),
    links = stem_of(links))
  out$anywhere <- paste0(out$title, out$heading, out$description, out$text, out$address)
  out
}

# How often each phrase stands in a text (by number); words run together count once.
count_phrases <- function(words, joined, texts, own) {
  out <- .Call(phrase_counts, words, texts, own)
  several <- which(out == 0L & words != joined)
  out[several] <- pmin(1L, .Call(phrase_counts, joined[several], texts, own[several]))
  out
}

# The share of a query's words, weighed by how few queries have them, that a page says, and those
# that it does not.
word_cover <- function(phrases, of, own, anywhere, keys) {
  parts <- strsplit(trimws(phrases$words), " ", fixed = TRUE)
  plain <- plain_words(keys)
  long <- setDT(list(query = rep(seq_along(parts), lengths(parts)),
    stem = as.character(unlist(parts)), word = as.character(unlist(plain))))
  often <- table(long$stem)
  set(long, j = "weight", value = log(1 + length(parts) / as.vector(often[long$stem])))
  # Words that tell nothing count where there are no others.
  silent <- long$word %in% silent_words
  telling <- tapply(!silent, long$query, any)
  long <- long[which(!silent | !telling[as.character(long$query)])]
  pair <- setDT(list(query = of, own = own, row = seq_along(of)))
  asked <- long[pair, on = "query", allow.cartesian = TRUE]
  phrase_found <- .Call(phrase_counts, paste0(" ", asked$stem, " "), anywhere, asked$own) > 0
  sum_of <- function(x) sum_codes(x, asked$row, length(of))
  lacking <- character(length(of))
  lacks <- asked[which(!phrase_found)]
  if (nrow(lacks)) {
    joined <- tapply(lacks$word, lacks$row, paste, collapse = " ")
    lacking[as.integer(names(joined))] <- as.vector(joined)
  }
  list(cover = sum_of(asked$weight * phrase_found) / sum_of(asked$weight), missing = lacking)
}

# The first block of a text in which the phrase stands, "" where none does.
said_in <- function(query, text, language) {
  stem <- stemmer(language)
  blocks <- strsplit(text, "\n", fixed = TRUE)[[1]]
  if (!length(blocks)) return("")
  phrase <- phrase_forms(query_key(query), stem)
  hit <- .Call(phrase_counts, rep(phrase$words, length(blocks)), stemmed(blocks, stem),
    seq_along(blocks)) > 0
  c(blocks[hit], "")[1]
}
