# Intent of a query by its words: what the searcher is about to do.

intent_words <- list(
  commercial = c("best", "review", "reviews", "vs", "versus", "cheap", "buy", "price", "prices", "sale", "online",
    "order", "deal", "deals", "discount", "compared", "comparison", "shop"),
  informational = c("how", "what", "why", "when", "where", "which", "who", "can", "guide", "ideas", "history", "meaning",
    "tips", "does", "is", "growing", "tutorial")
)

# In: queries in lower case. Out: "commercial", "informational" or "uncategorised"; the first list wins.
query_intent <- function(queries) {
  holds <- function(words) grepl(sprintf("\\b(%s)\\b", paste(words, collapse = "|")), queries, perl = TRUE)
  ifelse(holds(intent_words$commercial), "commercial",
    ifelse(holds(intent_words$informational), "informational", "uncategorised"))
}
