# Brand queries: those that hold a brand word. A word is looked for in the query as written and with
# its spaces and hyphens taken out, so "fernmoor" also finds "fern moor seeds". Short words (up to
# four letters) must stand alone, because they hide inside others.

is_brand <- function(queries, words) {
  words <- unique(query_key(words))
  words <- words[nzchar(words)]
  hit <- logical(length(queries))
  joined <- gsub("[ -]", "", queries)
  for (word in words) {
    hit <- hit | if (nchar(word) <= 4) {
      grepl(paste0(" ", word, " "), paste0(" ", gsub("[^[:alnum:]]", " ", queries), " "),
        fixed = TRUE)
    } else {
      grepl(word, queries, fixed = TRUE) | grepl(gsub("[ -]", "", word), joined, fixed = TRUE)
    }
  }
  hit
}

# The form in which queries are compared: one Unicode form (NFC), no difference of case, single
# spaces.
fold_case <- function(x) {
  beyond <- text_holds(x, "beyond")
  capital <- which(text_holds(x, "capitals") & !beyond)
  x[capital] <- tolower(x[capital])
  if (any(beyond)) x[beyond] <- utf8::utf8_normalize(x[beyond], map_case = TRUE)
  x
}
