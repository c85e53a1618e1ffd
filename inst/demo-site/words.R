# The invented shop's pages and queries. Nothing here is random: the seed only decides figures.

demo_host <- "https://www.fernmoor.example"

demo_crops <- c("tomato", "bean", "pea", "kale", "leek", "carrot", "beetroot", "lettuce", "squash",
  "pumpkin", "courgette", "cucumber", "chilli", "pepper", "aubergine", "onion", "shallot", "garlic",
  "potato", "parsnip", "turnip", "swede", "radish", "spinach", "chard", "cabbage", "broccoli",
  "cauliflower", "celery", "celeriac", "fennel", "artichoke", "asparagus", "rhubarb", "sweetcorn",
  "melon", "okra", "endive", "sorrel", "salsify")

demo_varieties <- c("moorland red", "bishop's early", "old copper", "winter giant")

# Queries by the page that answers them; %s is the crop.
demo_templates <- list(
  shop = c("%s seeds", "heirloom %s seeds", "buy %s seeds", "best %s seeds", "cheap %s seeds",
    "organic %s seeds", "%s seeds online", "%s seeds price", "rare %s seeds", "%s seed packets",
    "%s seeds for sale", "open pollinated %s seeds", "%s seeds mail order", "old %s varieties",
    "%s seed collection", "best tasting %s variety", "early %s seeds", "%s seeds vs plants"),
  variety = c("%s", "%s seeds", "buy %s", "%s review", "growing %s", "%s taste"),
  guide = c("how to grow %s", "growing %s from seed", "when to sow %s", "when to harvest %s",
    "how deep to plant %s seeds", "%s spacing", "companion plants for %s",
    "why are my %s leaves yellow", "%s pests and diseases", "how to water %s", "growing %s in pots",
    "how long does %s take to grow", "what to feed %s", "%s growing guide",
    "can you grow %s indoors", "how to save %s seeds", "%s germination temperature",
    "best soil for %s"),
  journal = c("history of the %s", "%s varieties compared", "%s from the walled garden",
    "ideas for a %s bed"))

demo_brand_queries <- c("fernmoor", "fernmoor seeds", "fern moor", "fern moor seeds",
  "fernmore seeds", "fernmor seeds", "fernmoor.example", "fernmoor catalogue",
  "fernmoor seed catalogue", "fernmoor heirloom seeds", "fernmoor discount code",
  "fernmoor delivery", "fernmoor reviews", "fernmoor growing guides", "fernmoor journal",
  "fernmoor tomato seeds", "fernmoor bean seeds", "fernmoor pea seeds", "fernmoor garlic",
  "fernmoor opening hours", "fernmoor contact", "fernmoor gift voucher", "www fernmoor",
  "fernmoor sale")

# What an analyst would pass as brand words: the name and its usual misspellings.
demo_brand_words <- c("fernmoor", "fernmore", "fernmor", "fern moor")

slug <- function(x) gsub("[^a-z0-9]+", "-", gsub("'", "", x))

# data.table(page, folder): 8 of the house, 40 crops, 122 varieties, 40 guides, 40 journal entries.
demo_pages <- function() {
  crop <- demo_crops
  variety <- utils::head(paste(rep(demo_varieties, each = length(crop)), crop), 122)
  paths <- list(
    house = c("/", "/delivery/", "/contact/", "/catalogue/", "/gift-vouchers/", "/about/",
      "/guides/", "/journal/"),
    shop = sprintf("/shop/%s/", crop),
    variety = sprintf("/shop/%s/%s/", rep_len(crop, 122), slug(variety)),
    guide = sprintf("/guides/how-to-grow-%s/", crop),
    journal = sprintf("/journal/the-story-of-%s/", crop))
  data.table(page = paste0(demo_host, unlist(paths)), folder = rep(names(paths), lengths(paths)),
    topic = c(rep("", 8), crop, variety, crop, crop))
}

# data.table(query, page, segment, template): the page that answers each query.
demo_queries <- function(pages) {
  plain <- pages[pages$folder != "house"]
  own <- rbindlist(lapply(seq_len(nrow(plain)), function(i) {
    templates <- demo_templates[[plain$folder[i]]]
    data.table(query = sprintf(templates, plain$topic[i]), page = plain$page[i],
      folder = plain$folder[i], template = templates, topic = plain$topic[i])
  }))
  own <- unique(own, by = "query")
  brand <- data.table(query = demo_brand_queries, page = pages$page[1], folder = "house",
    template = "brand", topic = "")
  rbind(brand, own)[, "segment" := c(rep("brand", nrow(brand)), rep("non-brand", nrow(own)))][]
}
