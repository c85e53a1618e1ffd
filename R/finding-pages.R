# Where the pages of the site were read: what they add to findings, of titles and descriptions, of
# addresses that moved, of links that are wrong and of those that could be made.

add_page_facts <- function(looked, summary, pages) {
  if (is.null(pages) || !nrow(looked$found)) return(looked)
  found <- looked$found
  looked$facts <- c(looked$facts, snippet_facts(found, pages))
  looked$facts <- link_facts(looked$facts, found, summary, pages)
  looked$facts <- c(looked$facts, wrong_link_facts(found, pages),
    saying_facts(found, summary, pages), moved_facts(found, summary, pages))
  looked
}

# Of pages clicked too little, the worst that is wrong with what results pages show of them.
snippet_facts <- function(found, pages) {
  own <- which(kind_is(found$kind, "snippet"))
  at <- match(page_key(found$page[own]), pages$pages$key)
  own <- own[!is.na(at)]
  if (!length(own)) return(NULL)
  page_at <- pages$pages[at[!is.na(at)]]
  sharing <- table(pages$pages$description)
  shared <- fcoalesce(as.integer(sharing[page_at$description]), 1L) - 1L
  code <- fcase(!nzchar(page_at$description), "no_description", shared > 0, "shared_description",
    page_at$title_length > longest_shown[["title_length"]], "title_cut_off", rep(TRUE, length(own)),
    "")
  new_facts("points_to", code, found$line[own], shared = shared, characters = page_at$title_length)
}

# Whether any page says what an idea for a page is about.
saying_facts <- function(found, summary, pages) {
  own <- which(kind_is(found$kind, "idea"))
  if (!length(own)) return(NULL)
  asked <- match(found$query[own], summary$queries$query)
  saying <- link_candidates(summary, pages, asked, rep("", length(own)))
  first <- saying$page[match(seq_along(own), saying$asked)]
  new_facts("points_to", ifelse(is.na(first), "no_page_says_it", "page_says_it"), found$line[own],
    path = first)
}

# Addresses that redirect, are gone or are not to be indexed: that comes first.
moved_facts <- function(found, summary, pages) {
  status <- tide_page_status(summary, pages)
  at <- match(found$page, status$page)
  own <- which(!is.na(at))
  if (!length(own)) return(NULL)
  one_line <- found$line[own]
  problem <- status$problem[at[own]]
  leads <- status$leads_to[at[own]]
  canonical <- problem == "canonical elsewhere"
  code <- fcase(canonical, "canonical_elsewhere", nzchar(leads), "address_leads_to",
    startsWith(problem, "redirects"), "address_redirects", rep(TRUE, length(own)), "address_is")
  c(new_facts("points_to", code, one_line, problem = problem, path = leads),
    new_facts("step", fifelse(!nzchar(leads), "", fifelse(canonical, "work_on_canonical",
      "work_on_answering")),
      one_line, path = leads))
}

# Where the pages of the site are known, a step names those that could link, with the sentence they
# say it in. Of very many findings those with most clicks if done are looked at.
link_facts <- function(facts, found, summary, pages, looked = 60L, most = 2L) {
  own <- which(kind_is(found$kind, "links"))
  own <- utils::head(own[order(-found$if_done[own])], looked)
  asked <- match(found$query[own], summary$queries$query)
  links <- link_candidates(summary, pages, asked, page_key(found$page[own]))
  if (!nrow(links)) return(facts)
  links <- links[rowid(links$asked) <= most]
  first <- links[!duplicated(links$asked)]
  second <- links[duplicated(links$asked)]
  beside <- match(first$asked, second$asked)
  one_line <- found$line[own[first$asked]]
  c(forget_field(facts, "step", "sources", one_line),
    new_facts("step", "link_from", one_line, path = first$page, saying = short_text(first$sentence),
      two = second$page[beside], saying_two = short_text(second$sentence)[beside]))
}

# Links with a query's very words that point to a page which should give way are how contests begin.
wrong_link_facts <- function(found, pages, most = 3L) {
  own <- which(kind_is(found$kind, "contest"))
  if (!length(own)) return(NULL)
  stem <- site_stemmer(pages)
  links <- pages$links[which(pages$links$main)]
  anchors <- stemmed(links$text, stem)
  asked <- stemmed(query_key(found$query[own]), stem)
  from <- lapply(seq_along(own), function(i) {
    others <- setdiff(page_key(strsplit(found$pages[own[i]], " ", fixed = TRUE)[[1]]),
      page_key(found$page[own[i]]))
    linking <- unique(links$from[anchors == asked[i] & links$to %in% others])
    pages$pages$page[match(linking, pages$pages$key)]
  })
  many <- lengths(from)
  one_line <- found$line[own]
  code <- function(code) ifelse(many > 0, code, "")
  c(
    new_facts("points_to", code("wrong_links"), one_line, linking = many,
      from = lapply(from, utils::head, most), more = ifelse(many > most, many - most, NA)),
    new_facts("step", code("point_links"), one_line, from = lapply(from, utils::head, most),
      page = found$page[own]))
}

short_text <- function(text, most = 60L) {
  ifelse(nchar(text) > most, paste0(trimws(substr(text, 1, most)), "\u2026"), text)
}
