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

# Other spellings of the brand in the queries: words, and two words in a row, that are a brand word
# but for a few letters, with the evidence. Edit distance (Levenshtein 1966; two letters that
# changed places count as one) up to 1 for brand words of 5 to 7 letters and up to 2 for longer
# ones; shorter ones have too many neighbours. `shared` is the share of the spelling's clicks that
# land on pages that queries with the brand words lead to: misspellings look for the same house,
# other words do not.

# Out: most clicks first: word, of (the brand word), edits, queries, clicks, impressions, position,
# shared, example.
brand_spellings <- function(summary, brand) {
  check_text(brand, "brand", many = TRUE)
  known <- is_brand(summary$queries$key, brand)
  sums <- reduce_pairs(summary$cells)
  tokens <- query_tokens(summary$queries$key, which(!known))
  close <- close_words(unique(tokens$word), unique(gsub("[ -]", "", query_key(brand))))
  if (!NROW(close)) {
    return(data.table(word = character(), of = character(), edits = integer(), queries = integer(),
      clicks = numeric(), impressions = numeric(), position = numeric(), shared = numeric(),
      example = character()))
  }
  home <- brand_pages(sums[known[sums$query]])
  out <- rbindlist(lapply(seq_len(nrow(close)), function(i) {
    own <- unique(tokens$query[which(tokens$word == close$word[i])])
    at <- sums[sums$query %in% own]
    by_query <- rowsum(at$impressions, at$query)
    data.table(
      queries = length(own),
      clicks = sum(at$clicks),
      impressions = sum(at$impressions),
      position = sum(at$weighted) / sum(at$impressions),
      shared = if (sum(at$clicks)) sum(at$clicks[at$page %in% home]) / sum(at$clicks) else NA_real_,
      example = summary$queries$query[as.integer(rownames(by_query)[which.max(by_query)])])
  }))
  out <- cbind(close, out)
  setorderv(out, c("clicks", "impressions", "word"), c(-1L, -1L, 1L))
  out[]
}

# The pages that nine tenths of the brand's clicks go to.
brand_pages <- function(sums) {
  if (!nrow(sums)) return(integer())
  pages <- sums_by(sums, "page", "clicks")
  setorderv(pages, "clicks", -1L)
  pages$page[cumsum(pages$clicks) - pages$clicks < 0.9 * sum(pages$clicks)]
}

# data.table(word, of, edits): words within the distance that the length of the brand word allows.
close_words <- function(words, brand) {
  found <- rbindlist(lapply(brand[nchar(brand) >= 5], function(name) {
    allowed <- if (nchar(name) <= 7) 1L else 2L
    near <- words[abs(nchar(words) - nchar(name)) <= allowed & words != name]
    if (!length(near)) return(NULL)
    edits <- as.vector(utils::adist(near, name))
    # Two letters that changed places.
    letters_of <- function(x) vapply(strsplit(x, ""), function(l) paste(sort(l), collapse = ""), "")
    swapped <- edits == 2 & nchar(near) == nchar(name)
    swapped[swapped] <- letters_of(near[swapped]) == letters_of(name)
    edits[swapped] <- 1L
    close <- which(edits <= allowed)
    data.table(word = near[close], of = rep(name, length(close)), edits = as.integer(edits)[close])
  }))
  found[!duplicated(found[["word"]])]
}
