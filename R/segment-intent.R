# Intent of a query by its words: what the searcher is about to do.

intent_words <- list(
  commercial = c("best", "review", "reviews", "vs", "versus", "cheap", "buy", "price", "prices",
    "sale", "online",
    "order", "deal", "deals", "discount", "compared", "comparison", "shop"),
  informational = c("how", "what", "why", "when", "where", "which", "who", "can", "guide", "ideas",
  "history",
    "meaning",
    "tips", "does", "is", "growing", "tutorial")
)

# In: queries in lower case. Out: the name of the first list that has a word of the query, or
# "uncategorised".
query_intent <- function(queries, lists = intent_words) {
  out <- rep("uncategorised", length(queries))
  for (intent in rev(names(lists))) {
    words <- gsub("([][(){}*+?|^$.\\\\])", "\\\\\\1", query_key(lists[[intent]]))
    out[grepl(sprintf("(?<![\\p{L}\\p{N}])(%s)(?![\\p{L}\\p{N}])", paste(words, collapse = "|")),
      queries,
      perl = TRUE)] <- intent
  }
  out
}
