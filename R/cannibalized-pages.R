# Which pages of a query count as rivals: those seen much and for long, each once whatever language
# it is in, and how well each fits the query.

# The pages of a query that matter: at least a tenth of its impressions, on at least a seventh of
# its days (a blip is shorter), and not far below the best placed page.
weighty_pages <- function(contest) {
  contest <- set(copy(contest), j = "weighted", value = contest$impressions * contest$position)
  pages <- add_ratios(sums_by(contest, c("query", "page"), c("clicks", "impressions", "weighted"),
    count = "days"))
  all_days <-
    data.table(query = unique(contest$query), all_days = distinct_by(contest, "query", "date"))
  pages <- all_days[pages, on = "query"]
  pages[, c("share", "total", "best") :=
    list(impressions / sum(impressions), sum(impressions), min(position)),
    by = "query"]
  # The best placed page must itself be shown regularly to make others look far down.
  pages[, "reason" := ifelse(pages$position > pages$best + assumed("far_down_places") &
    pages$position > assumed("far_down_from"),
    "second_far_down", ifelse(pages$days < pmax(4, pages$all_days / assumed("weighty_days")),
      "seen_few_days",
      ifelse(pages$share < assumed("weighty_share"), "second_with_few_impressions", "")))]
  pages[]
}

# One page in several languages or countries (/de/ beside none, hosts of other countries): addresses
# that differ in nothing else are no rivals. In: pages with their reason. Out: the reasons, with
# those added.
same_page_versions <- function(pages, summary) {
  path <- sub("^[a-z][a-z0-9+.-]*://[^/]*", "", summary$pages$page)
  plain <- sub("^/[a-z]{2}([-_][a-z]{2})?(/|$)", "/", path, ignore.case = TRUE)
  of <- copy(pages[, c("query", "page", "impressions", "reason")])
  set(of, j = "plain", value = plain[of$page])
  set(of, j = "row", value = seq_len(nrow(of)))
  setorderv(of, c("query", "plain", "impressions"), c(1L, 1L, -1L))
  of[, "again" := duplicated(of, by = c("query", "plain"))]
  replace(pages$reason, of$row[of$again & of$reason == ""],
    "page_versions")
}

# Whether one of two pages lies beneath the other (/guides/ and /guides/kale/); all lie beneath the
# home page, which does not count.
beneath_other <- function(first, second, page) {
  folder <- function(code) sub("/?$", "/", page[code])
  is_home <- function(code) grepl("^[a-z][a-z0-9+.-]*://[^/]*/$", folder(code))
  startsWith(folder(first), folder(second)) & !is_home(second) |
    startsWith(folder(second), folder(first)) & !is_home(first)
}

# How well a page fits a query: how many of the query's telling words stand in the page's address or
# title, or in most of its other queries too. Of pages that were read: in their title or headings,
# half for those that only their text says.
page_fits <- function(summary, wanted, site_pages = NULL) {
  own <- summary$pairs[summary$pairs$page %in% wanted$page, c("query", "page")]
  queries <- unique(own$query)
  words <- word_table(summary$queries$key[queries], function_only)
  set(words, j = "query", value = queries[words$query])
  asked <- words[wanted, on = "query", nomatch = NULL, allow.cartesian = TRUE]
  if (!nrow(asked)) return(data.table(wanted, fit = 0L))
  held <- words[own, on = "query", nomatch = NULL, allow.cartesian = TRUE][, .(holding = .N),
    by = c("page", "word")]
  others <- own[, .(others = .N - 1L), by = "page"]
  asked <- others[held[asked, on = c("page", "word")], on = "page"]
  # The query itself holds all of its words.
  in_others <- asked$others >= 3 & asked$holding - 1 >= 0.5 * asked$others
  asked[, "held" := in_others | in_address(asked$word, asked$page, summary$pages)]
  set(asked, j = "fit", value = as.numeric(asked$held))
  if (!is.null(site_pages)) fit_by_text(asked, summary, site_pages)
  sums_by(asked, c("query", "page"), "fit")[wanted, on = c("query", "page")]
}

# Where the words of pages are known, they decide (changed in place).
fit_by_text <- function(asked, summary, site_pages) {
  at <- match(summary$pages$key[asked$page], site_pages$pages$key)
  own <- which(!is.na(at))
  if (!length(own)) return(asked)
  stem <- site_stemmer(site_pages)
  said <- page_texts(site_pages, unique(at[own]), stem)
  row <- match(at[own], said$at)
  word <- stemmed(asked$word[own], stem)
  holds <- function(texts) .Call(phrase_counts, word, texts, row) > 0
  set(asked, own, "fit",
    ifelse(holds(said$title) | holds(said$heading), 1, assumed("text_match") * holds(said$text)))
}

# Whether a word of the page's address or title begins as each word does; the last three letters may
# be an ending (storing, storage).
in_address <- function(word, page, pages, address = TRUE) {
  if (!length(word)) return(logical())
  codes <- unique(page)
  title <- if (is.null(pages[["title"]])) "" else fcoalesce(as.character(pages$title[codes]), "")
  path <- if (address) sub("^[a-z][a-z0-9+.-]*://[^/]*", "", pages$page[codes]) else ""
  said <- tolower(paste(path, title))
  said <- paste0(" ", gsub("[^\\p{L}\\p{N}]+", " ", said, perl = TRUE))[match(page, codes)]
  begins <- substr(word, 1, pmax(4L, nchar(word) - 3L))
  mapply(grepl, paste0(" ", begins), said, fixed = TRUE, USE.NAMES = FALSE)
}
