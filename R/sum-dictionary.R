# Texts to small integers, once: everything after the summary works on codes, and two spellings of
# one query or page get one code here, so that nothing later can see two names for one thing.

# A dictionary grows with the rows that are coded in it. `clean` and `key` turn a text into what is
# shown and what is compared. Of each text it holds the `code` of its key, the impressions and the
# first day; of each code its key. texts: those known beforehand, as the blocks of one file share
# them.
new_dictionary <- function(clean, key, texts = NULL) {
  dictionary <- list2env(list(clean = clean, key = key, texts = character(), names = character(),
    code = integer(), keys = character(), weight = numeric(), first = integer()),
    parent = emptyenv())
  learn_texts(dictionary, as.character(texts))
}

query_dictionary <- function(texts = NULL) new_dictionary(clean_query, fold_case, texts)

page_dictionary <- function(texts = NULL) new_dictionary(clean_url, url_key, texts)

# Keys that are new get the next codes, in the order of the alphabet.
learn_texts <- function(dictionary, texts) {
  clean_names <- dictionary$clean(texts)
  keys <- dictionary$key(clean_names)
  new <- sorted_texts(keys)
  if (length(dictionary$keys)) new <- new[!new %in% dictionary$keys]
  dictionary$keys <- c(dictionary$keys, new)
  dictionary$texts <- if (length(dictionary$texts)) c(dictionary$texts, texts) else texts
  dictionary$names <- c(dictionary$names, clean_names)
  dictionary$code <- c(dictionary$code, chmatch(keys, dictionary$keys))
  dictionary$weight <- c(dictionary$weight, numeric(length(texts)))
  dictionary$first <- c(dictionary$first, rep(NA_integer_, length(texts)))
  dictionary
}

# Codes of texts, one a row, after they are learnt with their weights (impressions) and days.
code_in <- function(dictionary, texts, weight, day = NULL) {
  texts <- as_levels(texts)
  at_row <- as.integer(texts)
  size <- nlevels(texts)
  used <- which(tabulate(at_row, size) > 0)
  at <- text_places(dictionary, texts)
  new <- used[is.na(at[used])]
  if (length(new)) {
    at[new] <- length(dictionary$texts) + seq_along(new)
    learn_texts(dictionary, levels(texts)[new])
  }
  see_texts(dictionary, at[used], sum_codes(weight, at_row, size)[used],
    if (!is.null(day)) .Call(least_by, as.integer(day), at_row, size)[used])
  dictionary$code[at][at_row]
}

# Weights and first days of some of its texts, by their places.
see_texts <- function(dictionary, at, weight, first) {
  dictionary$weight[at] <- dictionary$weight[at] + weight
  if (!is.null(first)) dictionary$first[at] <- pmin(dictionary$first[at], first, na.rm = TRUE)
}

# Where the levels of a factor stand; those of one file's blocks are the dictionary's own.
text_places <- function(dictionary, texts) {
  if (identical(levels(texts), dictionary$texts)) return(seq_along(dictionary$texts))
  chmatch(levels(texts), dictionary$texts)
}

# Codes of texts that are known already.
known_codes <- function(dictionary, texts) {
  texts <- as_levels(texts)
  dictionary$code[text_places(dictionary, texts)][as.integer(texts)]
}

# Codes in alphabetical order of the keys, without keys that no row has. Out: of the codes so far
# the new ones; the dictionary has them from now on.
sort_codes <- function(dictionary) {
  keys <- sorted_texts(dictionary$keys[dictionary$code[dictionary$weight > 0]])
  place <- chmatch(dictionary$keys, keys)
  dictionary$keys <- keys
  dictionary$code <- place[dictionary$code]
  place
}

# list(names, keys, first: by code; spellings: how many texts they were).
dictionary_texts <- function(dictionary) {
  used <- which(dictionary$weight > 0)
  code <- dictionary$code[used]
  many <- length(dictionary$keys)
  first <- dictionary$first[used]
  list(names = heaviest_names(dictionary$names[used], code, many, dictionary$weight[used]),
    keys = dictionary$keys, spellings = length(used),
    first = if (!all(is.na(first))) .Call(least_by, first, code, many))
}

# The name shown of each of `many` codes is the heaviest, ties by the alphabet, so that the order of
# rows never matters. Weights are looked at only where a code has several names.
heaviest_names <- function(names, code, many, weights) {
  shown <- names[match(seq_len(many), code)]
  if (length(code) == many) return(shown)
  several <- unique(data.table(code = code, name = names))[, .N, by = "code"]
  several <- several$code[several$N > 1]
  if (!length(several)) return(shown)
  use <- which(code %in% several)
  named <- sums_by(data.table(code = code[use], name = names[use], weight = weights[use]),
    c("code", "name"), "weight")
  setorderv(named, c("code", "weight", "name"), c(1L, -1L, 1L))
  best <- named[!duplicated(named$code)]
  shown[best$code] <- best$name
  shown
}

# Texts of one table: list(code, one per row; names, keys, spellings).
code_texts <- function(dictionary, texts, weight) {
  code <- code_in(dictionary, texts, weight)
  c(list(code = sort_codes(dictionary)[code]), dictionary_texts(dictionary))
}

code_queries <- function(texts, weight) code_texts(query_dictionary(), texts, weight)

# Pages may not be there: then all rows are of one without a name.
code_pages <- function(texts, weight) {
  if (!is.null(texts)) return(code_texts(page_dictionary(), texts, weight))
  list(code = rep(1L, length(weight)), names = "", keys = "", spellings = 1L)
}

# Totals by page, with the spellings of one page folded.
reduce_pages <- function(rows) {
  pages <- code_pages(rows$page, rows$impressions)
  out <-
    reduce_by(data.table(page = pages$code, rows[, c("clicks", "impressions", "position")]), "page")
  out[, c("page", "key") := list(pages$names[out$page], pages$keys[out$page])]
  out[]
}
