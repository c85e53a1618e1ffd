# Most have single spaces already, and finding that out is quicker than mending.
clean_query <- function(x) {
  odd <- which(text_holds(x, c("beyond", "blanks")))
  odd <- odd[grepl("(*UCP)^\\s|\\s$|\\s\\s|[^\\S ]", x[odd], perl = TRUE)]
  x[odd] <- trimws(gsub("[[:space:]]+", " ", x[odd]))
  x
}

query_key <- function(x) fold_case(clean_query(x))

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
query_words <- function(queries) {
  # Most are words and single spaces already.
  odd <- grep("[^a-z0-9 '.+#-]|  ", queries, perl = TRUE)
  queries[odd] <- gsub("[^\\p{L}\\p{M}\\p{N}'\u2019.+#-]+", " ", queries[odd], perl = TRUE)
  strsplit(queries, " ", fixed = TRUE)
}

# Words and joined neighbours of some queries: data.table(query, word).
query_tokens <- function(queries, which) {
  words <- query_words(queries[which])
  n <- lengths(words)
  single <- data.table(query = rep(which, n), word = as.character(unlist(words)))
  first <- as.logical(unlist(lapply(n, function(k) c(rep(TRUE, max(k - 1L, 0L)), if (k) FALSE))))
  joined <- data.table(query = single$query[first],
    word = paste0(single$word[first], single$word[base::which(first) + 1L]))
  rbind(single, joined)
}

# The compared form of queries or pages.
name_key <- function(by, names) (if (by == "query") query_key else page_key)(names)
