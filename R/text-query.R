# Most have single spaces already, and finding that out is quicker than changing them.
clean_query <- function(x) {
  odd <- which(text_holds(x, c("beyond", "blanks")))
  odd <- odd[grepl("(*UCP)^\\s|\\s$|\\s\\s|[^\\S ]", x[odd], perl = TRUE)]
  x[odd] <- trimws(gsub("[[:space:]]+", " ", x[odd]))
  x
}

# Keys that say that they are keys are taken as they are.
query_key <- function(x) if (is_key(x)) x else fold_case(clean_query(x))

as_key <- function(keys) structure(keys, key = TRUE)

is_key <- function(x) isTRUE(attr(x, "key"))

# The form in which queries are compared: one Unicode form (NFC), no difference of case, single
# spaces.
fold_case <- function(x) {
  beyond <- text_holds(x, "beyond")
  capital <- which(text_holds(x, "capitals") & !beyond)
  x[capital] <- tolower(x[capital])
  if (any(beyond)) x[beyond] <- utf8::utf8_normalize(x[beyond], map_case = TRUE)
  x
}

# Words of queries: what spaces and punctuation leave, in any script. An apostrophe or hyphen inside
# stays.
query_words <- function(queries) strsplit(spaced_words(queries), " ", fixed = TRUE)

spaced_words <- function(queries) {
  # Most are words and single spaces already.
  odd <- grep("[^a-z0-9 '.+#-]|  ", queries, perl = TRUE)
  queries[odd] <- gsub("[^\\p{L}\\p{M}\\p{N}'\u2019.+#-]+", " ", queries[odd], perl = TRUE)
  queries
}

# Words and up to so many joined neighbours of some queries: data.table(query, word).
query_tokens <- function(queries, which, most = 2L) {
  words <- query_words(queries[which])
  n <- lengths(words)
  alone <- data.table(query = rep(which, n), word = as.character(unlist(words)))
  # How many words of its query follow each.
  left <- rep(n, n) - sequence(n)
  rbindlist(c(list(alone), lapply(seq_len(most - 1L), function(further) {
    first <- base::which(left >= further)
    parts <- lapply(0:further, function(k) alone$word[first + k])
    data.table(query = alone$query[first], word = do.call(paste0, parts))
  })))
}

# The compared form of queries or pages.
name_key <- function(by, names) (if (by == "query") query_key else page_key)(names)
