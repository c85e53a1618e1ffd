# Texts to small integers, once: everything after the summary works on codes, and two spellings of one
# query or page get one code here, so that nothing later can see two names for one thing.

# In: a text column and a weight per row; `key` and `clean` turn distinct texts into what is compared and
# what is shown. Out: list(code, one per row; names and keys, one per code, in order of weight).
code_texts <- function(texts, weight, clean, key) {
  distinct <- unique(texts)
  row <- chmatch(texts, distinct)
  spellings <- data.table(distinct = seq_along(distinct), name = clean(distinct))
  spellings[, "key" := key(spellings$name)]
  weights <- data.table(row = row, weight = weight)[, .(weight = sum(as.numeric(weight))), by = "row"]
  spellings[weights$row, "weight" := weights$weight]

  # The name shown is the spelling with the most weight; ties by the alphabet, so row order never matters.
  named <- spellings[, .(weight = sum(weight)), by = c("key", "name")]
  setorderv(named, c("weight", "name"), c(-1L, 1L))
  heaviest <- named[!duplicated(named$key)]
  total <- named[, .(weight = sum(weight)), by = "key"]
  setorderv(total, c("weight", "key"), c(-1L, 1L))
  code_of_distinct <- match(spellings$key, total$key)
  list(
    code = code_of_distinct[row],
    names = heaviest$name[match(total$key, heaviest$key)],
    keys = total$key,
    spellings = length(distinct)
  )
}

code_queries <- function(texts, weight) {
  code_texts(texts, weight, clean = function(x) trimws(gsub("[[:space:]]+", " ", x)), key = squeeze_query)
}

code_pages <- function(texts, weight) code_texts(texts, weight, clean = clean_url, key = url_key)
