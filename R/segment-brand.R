# Brand queries: those that hold a brand word. A word is looked for in the query as written and with
# its spaces and hyphens taken out, so "fernmoor" also finds "fern moor seeds". Short words (up to
# four letters) must stand alone, because they hide inside others. Queries that only look so, see
# brand_lookalikes(), come with the words.

is_brand <- function(queries, words) {
  lookalikes <- attr(words, "lookalikes")
  words <- unique(query_key(words))
  words <- words[nzchar(words)]
  hit <- logical(length(queries))
  for (word in words) {
    hit <- hit | if (nchar(word) <= 4) {
      grepl(paste0(" ", word, " "), paste0(" ", gsub("[^[:alnum:]]", " ", queries), " "),
        fixed = TRUE)
    } else {
      .Call(holds_joined, as.character(queries), enc2utf8(gsub("[ -]", "", word)))
    }
  }
  if (length(lookalikes)) hit & !queries %in% lookalikes else hit
}

# Places beneath the brand's own queries up to which others stand that mean it, too.
brand_stands_within <- 1.5

# Queries that hold a brand word and something else, and do not mean the brand, as "harbor lantern"
# where the house is called Harbor: who looks for a house finds it at the top or on the pages that
# its name leads to. In: compared forms of queries, sums by query and page (codes), brand words.
brand_lookalikes <- function(keys, sums, words) {
  held <- which(is_brand(keys, words))
  beside <- nzchar(brand_modifiers(keys[held], words))
  alone <- sums[sums$query %in% held[!beside]]
  home <- brand_pages(alone)
  if (!length(home)) return(character())
  usual <- sum(alone$weighted) / sum(alone$impressions)
  own <- sums[sums$query %in% held[beside]]
  set(own, j = c("at_home", "position"),
    value = list(own$clicks * (own$page %in% home), own$weighted / own$impressions))
  queries <- own[, .(best = position[which.max(impressions)], clicks = sum(clicks),
    at_home = sum(at_home), impressions = sum(impressions)), by = "query"]
  far <- queries$best > usual + brand_stands_within & queries$at_home <= 0.5 * queries$clicks &
    queries$impressions >= data_limits$lookalike_least
  keys[queries$query[far]]
}

# Brand queries without the brand: what people want of it ("price", "near me"); "" where the query
# is the brand alone. In: compared forms.
brand_modifiers <- function(queries, words) {
  words <- unique(query_key(words))
  words <- words[nzchar(words)]
  # Letters of a word may stand apart; short words must stand alone.
  letters <- vapply(strsplit(gsub("[ -]", "", words), ""), function(one) {
    paste(gsub("([][(){}*+?|^$.\\\\])", "\\\\\\1", one), collapse = "[ -]?")
  }, "")
  short <- nchar(words) <= 4
  shape <- paste(ifelse(short, sprintf("(?<![\\p{L}\\p{N}])%s(?![\\p{L}\\p{N}])", letters),
    sprintf("\\S*%s\\S*", letters)),
    collapse = "|")
  trimws(gsub("\\s+", " ", gsub(shape, " ", queries, perl = TRUE)))
}

# Other spellings of the brand in the queries: words, and words in a row, that are a brand word but
# for a few letters, with the evidence. Edit distance (Levenshtein 1966; two letters that changed
# places count as one) up to 1 for brand words of 5 to 7 letters and up to 2 for longer ones;
# shorter ones have too many neighbours. Diacritics left out or written in two letters are no
# difference. `shared` is the share of the spelling's clicks that land on pages that queries with
# the brand words lead to: misspellings look for the same house, other words do not. Without pages,
# a spelling is the brand's where it is clicked and placed much as the brand is.

# In: compared forms of queries, sums by query and page (codes), pages, brand words. Out: most
# clicks first: word, of (the brand word), edits, queries, clicks, impressions, position, shared,
# example, sure.
brand_spellings <- function(keys, sums, pages, brand) {
  none <- data.table(word = character(), of = character(), edits = integer(), queries = integer(),
    clicks = numeric(), impressions = numeric(), position = numeric(), shared = numeric(),
    example = character(), sure = logical())
  known <- is_brand(keys, brand)
  tokens <- query_tokens(keys, often_asked(sums, which(!known)),
    most = max(lengths(query_words(query_key(brand)))) + 1L)
  nearby <- close_words(unique(tokens$word), unique(gsub("[ -]", "", query_key(brand))))
  if (!NROW(nearby)) return(none)
  of_brand <- sums[which(known[sums$query])]
  home <- brand_pages(of_brand)
  usual <- total_row(if (nrow(of_brand)) add_ratios(of_brand) else none)
  out <- rbindlist(lapply(seq_len(nrow(nearby)), function(i) {
    own <- unique(tokens$query[which(tokens$word == nearby$word[i])])
    at <- sums[which(sums$query %in% own)]
    by_query <- rowsum(at$impressions, at$query)
    weight <- click_shares(at)
    data.table(queries = length(own), clicks = sum(at$clicks), impressions = sum(at$impressions),
      position = sum(at$weighted) / sum(at$impressions), shared = sum(weight[at$page %in% home]),
      example = keys[as.integer(rownames(by_query)[which.max(by_query)])])
  }))
  alike <- out$position < usual$position + brand_stands_within & out$clicks /
    out$impressions > usual$ctr / 2
  set(out, j = "sure",
    value = (if (length(pages) > 1) out$shared >= 0.5 else alike %in% TRUE) & nrow(of_brand) > 0)
  out <- cbind(nearby, out)
  setorderv(out, c("clicks", "impressions", "word"), c(-1L, -1L, 1L))
  out[]
}

# Queries that are looked at: of very many those with most impressions.
often_asked <- function(sums, queries, most = 50000L) {
  if (length(queries) <= most) return(queries)
  weight <- sum_codes(sums$impressions, sums$query, max(sums$query))[queries]
  sort(queries[order(-weight)[seq_len(most)]])
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
  found <- rbindlist(lapply(brand, function(name) {
    allowed <- if (nchar(name) < 5) 0L else if (nchar(name) <= 7) 1L else 2L
    near <- words[abs(nchar(words) - nchar(name)) <= allowed + 3L & words != name]
    if (!length(near)) return(NULL)
    of_name <- unlist(plain_forms(name))
    near <- near[may_be_close(plain_forms(near), of_name)]
    if (!length(near)) return(NULL)
    forms <- plain_forms(near)
    edits <- do.call(pmin, lapply(of_name, function(own) {
      do.call(pmin, lapply(forms, letters_apart, own))
    }))
    nearby <- which(edits <= allowed & nchar(near) > 3)
    data.table(word = near[nearby], of = rep(name, length(nearby)),
      edits = as.integer(edits)[nearby])
  }))
  found[!duplicated(found[["word"]])]
}

# Words that may be within two edits of a name: of its three parts one must stand in them as it is.
may_be_close <- function(forms, names) {
  parts <- unlist(lapply(unique(names), function(name) {
    ends <- round(nchar(name) * 0:3 / 3)
    substring(name, ends[-4] + 1, ends[-1])
  }))
  parts <- unique(parts[nzchar(parts)])
  Reduce(`|`, lapply(parts, function(part) {
    grepl(part, forms[[1]], fixed = TRUE) | grepl(part, forms[[2]], fixed = TRUE)
  }))
}

# Edit distance, two letters that changed places as one.
letters_apart <- function(words, name) {
  edits <- as.vector(utils::adist(words, name))
  letters_of <- function(x) vapply(strsplit(x, ""), function(l) paste(sort(l), collapse = ""), "")
  swapped <- which(edits == 2 & nchar(words) == nchar(name))
  edits[swapped[letters_of(words[swapped]) == letters_of(name)]] <- 1
  edits
}

# Words without diacritics, left out or written in two letters: a list of the two.
plain_forms <- function(words) {
  # Most have none.
  beyond <- which(text_holds(words, "beyond"))
  one <- two <- words[beyond]
  for (i in seq_along(two_letters)) {
    two <- gsub(two_letters[i], names(two_letters)[i], two, fixed = TRUE)
  }
  from <- paste(one_letter, collapse = "")
  to <- paste(strrep(names(one_letter), nchar(one_letter)), collapse = "")
  lapply(list(one, two), function(own) replace(words, beyond, chartr(from, to, own)))
}

two_letters <- c(ae = "\u00e4", oe = "\u00f6", ue = "\u00fc", ss = "\u00df", aa = "\u00e5",
  oe = "\u00f8", ae = "\u00e6", oe = "\u0153")

one_letter <- c(a = "\u00e0\u00e1\u00e2\u00e3\u00e4\u00e5\u0101\u0103\u0105",
  c = "\u00e7\u0107\u010d", d = "\u010f\u0111",
  e = "\u00e8\u00e9\u00ea\u00eb\u0113\u0117\u0119\u011b", g = "\u011f",
  i = "\u00ec\u00ed\u00ee\u00ef\u012b\u0131", l = "\u0142\u013e", n = "\u00f1\u0144\u0148",
  o = "\u00f2\u00f3\u00f4\u00f5\u00f6\u00f8\u014d\u0151", r = "\u0159", s = "\u015b\u015f\u0161",
  t = "\u0163\u0165", u = "\u00f9\u00fa\u00fb\u00fc\u016b\u016f\u0171", y = "\u00fd\u00ff",
  z = "\u017a\u017c\u017e")

# Brand words with the spellings that the queries show, and the queries that only look so:
# list(words, added: brand_spellings() that count). Words given as they are, by I(), get none.
known_brand <- function(keys, sums, pages, brand) {
  if (is.null(brand) || inherits(brand, "AsIs")) return(list(words = brand, added = NULL))
  other <- brand_spellings(keys, sums, pages, brand)
  # Of words that are in others, one is enough.
  added <- other[which(other$sure & !is_brand(other$word, brand))]
  words <- unique(c(brand, added$word))
  list(words = structure(I(words), lookalikes = brand_lookalikes(keys, sums, words)), added = added)
}

# Rules whose brand words have the spellings that rows of queries show, where conditions are about
# brand.
with_spellings <- function(rules, rows) {
  if (is.null(rules$brand) || inherits(rules$brand, "AsIs") || is.null(rows[["query"]])) {
    return(rules)
  }
  names_by <- intersect(c("query", "page"), names(rows))
  sums <- sums_by(data.table(rows[, c(names_by, "clicks", "impressions"), with = FALSE],
    weighted = rows$impressions * rows$position),
    names_by, c("clicks", "impressions", "weighted"))
  query <- query_key(as.character(sums$query))
  page_at <- if (is.null(sums[["page"]])) rep("", nrow(sums)) else page_key(as.character(sums$page))
  keys <- unique(query)
  pages <- unique(page_at)
  set(sums, j = c("query", "page"), value = list(match(query, keys), match(page_at, pages)))
  rules$brand <- known_brand(keys, sums, pages, rules$brand)$words
  rules
}

about_brand <- function(segments) "brand" %in% names(all_conditions(segments))

# What looks like a brand where none is named: the name in the pages' host, where queries hold it,
# else the most clicked query of up to three words that is searched for by itself, at the top, and
# leads to the home page. Out: list(word, clicks of all queries that hold it), or NULL.
likely_brand <- function(summary, least = 10) {
  sums <- reduce_pairs(summary$cells)
  clicks <- sum_codes(sums$clicks, sums$query, nrow(summary$queries))
  holding <- function(word) sum(clicks[is_brand(summary$queries$key, word)])
  name <- host_name(summary$pages$page[which.max(sum_codes(sums$impressions, sums$page,
    nrow(summary$pages)))])
  if (nzchar(name) && holding(name) >= least) return(list(word = name, clicks = holding(name)))
  home <- which(grepl("^[a-z][a-z0-9+.-]*://[^/]*/?$|^/$", summary$pages$page))
  at_home <- sums[which(sums$page %in% home & sums$position < 2.5)]
  if (!nrow(at_home)) return(NULL)
  own <- sum_codes(at_home$clicks, at_home$query, nrow(summary$queries))
  fits <- which(own >= least & own >= 0.5 * clicks & lengths(query_words(summary$queries$key)) <= 3)
  if (!length(fits)) return(NULL)
  word <- summary$queries$key[fits[which.max(own[fits])]]
  list(word = word, clicks = holding(word))
}

# The longest label of an address's host, without its ending; "" where there is none.
host_name <- function(address) {
  host <- sub("^[a-z][a-z0-9+.-]*://(www[.])?([^/:?]*).*$", "\\2", address)
  if (identical(host, address)) return("")
  label_texts <- strsplit(host, ".", fixed = TRUE)[[1]]
  label_texts <- label_texts[-length(label_texts)]
  if (length(label_texts)) label_texts[which.max(nchar(label_texts))] else ""
}
