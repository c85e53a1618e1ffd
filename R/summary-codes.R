# Texts to small integers, once: everything after the summary works on codes, and two spellings of one
# query or page get one code here, so that nothing later can see two names for one thing.

# In: a text column and a weight per row; `clean` and `key` turn distinct texts into what is shown and what is
# compared. Out: list(code, one per row; names and keys, one per code, in alphabetical order of the key).
code_texts <- function(texts, weight, clean, key) {
  texts <- as_levels(texts)
  row <- as.integer(texts)
  distinct <- levels(texts)
  used <- tabulate(row, length(distinct)) > 0
  names <- clean(distinct)
  keys <- key(names)
  known <- sort(unique(keys[used]), method = "radix")
  code <- chmatch(keys, known)
  list(code = code[row], names = heaviest_names(names, keys, code, known, row, weight), keys = known, spellings = sum(used))
}

# The name shown is the spelling with the most weight; ties by the alphabet, so row order never matters. Weights
# are only summed where a key has several spellings.
heaviest_names <- function(names, keys, code, known, row, weight) {
  shown <- names[match(seq_along(known), code)]
  several <- unique(data.table(code = code, name = names))[!is.na(code)][, .N, by = "code"]
  several <- several$code[several$N > 1]
  if (!length(several)) return(shown)
  use <- which(code[row] %in% several)
  spellings <- data.table(row = row[use], weight = as.numeric(weight[use]))[, .(weight = sum(weight)), by = "row"]
  spellings[, c("code", "name") := list(code[spellings$row], names[spellings$row])]
  named <- spellings[, .(weight = sum(weight)), by = c("code", "name")]
  setorderv(named, c("code", "weight", "name"), c(1L, -1L, 1L))
  best <- named[!duplicated(named$code)]
  shown[best$code] <- best$name
  shown
}

code_queries <- function(texts, weight) {
  code_texts(texts, weight, clean = function(x) trimws(gsub("[[:space:]]+", " ", x)), key = fold_case)
}

code_pages <- function(texts, weight) code_texts(texts, weight, clean = clean_url, key = url_key)
