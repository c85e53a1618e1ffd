# Texts to small integers, once: everything after the summary works on codes, and two spellings of
# one query or page get one code here, so that nothing later can see two names for one thing.

# In: a text column and a weight per row; `clean` and `key` turn distinct texts into what is shown
# and what is compared. Out: list(code, one per row; names and keys, one per code, in alphabetical
# order of the key; weights of all spellings, where asked for).
code_texts <- function(texts, weight, clean, key, weigh = FALSE) {
  texts <- as_levels(texts)
  row <- as.integer(texts)
  distinct <- levels(texts)
  used <- tabulate(row, length(distinct)) > 0
  of <- code_levels(distinct, clean, key, used)
  list(code = of$code[row],
    names = if (!weigh) {
      heaviest_names(of$names, of$code, length(of$known),
        sum_codes(weight, row, length(distinct)))
    },
    keys = of$known, spellings = sum(used),
    weights = if (weigh) spelling_weights(distinct, of$names, of$keys, row, weight))
}

# What distinct texts become: list(names, keys and code of each; known: the keys of those used, in
# alphabetical order, which the codes are of).
code_levels <- function(distinct, clean, key, used = rep(TRUE, length(distinct))) {
  names <- clean(distinct)
  keys <- key(names)
  known <- sorted_texts(keys[used])
  list(names = names, keys = keys, known = known, code = chmatch(keys, known))
}

spelling_weights <- function(distinct, names, keys, row, weight) {
  sums <- sums_by(data.table(row = row, weight = as.numeric(weight)), "row", "weight")
  setDT(list(key = keys[sums$row], name = names[sums$row], spelt = distinct[sums$row],
    weight = sums$weight))[]
}

# Texts merged from several chunks: list(names, keys, spellings).
heaviest_spellings <- function(texts) {
  named <- sums_by(texts$weights, c("key", "name"), "weight")
  best <- heaviest(named, "key")
  list(names = best$name[chmatch(texts$keys, best$key)], keys = texts$keys,
    spellings = nrow(texts$weights))
}

# The spelling with the most weight; ties by the alphabet, so row order never matters.
heaviest <- function(named, by) {
  setorderv(named, c(by, "weight", "name"), c(1L, -1L, 1L))
  named[!duplicated(named[[by]])]
}

# The name shown of each of `many` codes is the heaviest. names, code, weights: of distinct texts;
# weights are looked at only where a code has several names.
heaviest_names <- function(names, code, many, weights) {
  shown <- names[match(seq_len(many), code)]
  known <- which(!is.na(code))
  if (length(known) == many) return(shown)
  several <- unique(data.table(code = code[known], name = names[known]))[, .N, by = "code"]
  several <- several$code[several$N > 1]
  if (!length(several)) return(shown)
  use <- which(code %in% several)
  named <- sums_by(data.table(code = code[use], name = names[use], weight = weights[use]),
    c("code", "name"), "weight")
  best <- heaviest(named, "code")
  shown[best$code] <- best$name
  shown
}

code_queries <- function(texts, weight, weigh = FALSE) {
  code_texts(texts, weight, clean = clean_query, key = fold_case, weigh = weigh)
}

code_pages <- function(texts, weight, weigh = FALSE) {
  code_texts(texts, weight, clean = clean_url, key = url_key, weigh = weigh)
}

# Pages of rows, which a table may not have.
code_pages_of <- function(rows, weigh = FALSE) {
  if (!is.null(rows[["page"]])) return(code_pages(rows$page, rows$impressions, weigh))
  list(code = rep(1L, nrow(rows)), names = "", keys = "", spellings = 1L,
    weights = if (weigh) setDT(list(key = "", name = "", spelt = "", weight = 0)))
}

# Codes of texts whose keys are known already.
known_codes <- function(texts, known, key) {
  texts <- as_levels(texts)
  chmatch(key(levels(texts)), known)[as.integer(texts)]
}

# Totals by page, with the spellings of one page folded.
reduce_pages <- function(rows) {
  pages <- code_pages(rows$page, rows$impressions)
  out <-
    reduce_by(data.table(page = pages$code, rows[, c("clicks", "impressions", "position")]), "page")
  out[, c("page", "key") := list(pages$names[out$page], pages$keys[out$page])]
  out[]
}
