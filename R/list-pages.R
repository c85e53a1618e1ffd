# Where the pages of the site were read: what findings say of titles and descriptions, of addresses
# that moved, of links that are wrong and of those that could be made.

name_pages <- function(found, summary, pages) {
  if (is.null(pages) || !nrow(found)) return(found)
  found <- name_snippets(found, pages)
  found <- name_links(found, summary, pages)
  found <- name_wrong_links(found, summary, pages)
  found <- name_unsaid(found, summary, pages)
  name_moved(found, summary, pages)
}

add_sentence <- function(found, rows, column, sentence) {
  set(found, rows, column, sprintf("%s %s", sub("[.]?$", ".", found[[column]][rows]), sentence))
}

# Of pages clicked too little, the worst that is wrong with what results pages show of them.
name_snippets <- function(found, pages) {
  own <- which(found$kind == "low_ctr")
  at <- match(page_key(found$page[own]), pages$pages$key)
  own <- own[!is.na(at)]
  if (!length(own)) return(found)
  page <- pages$pages[at[!is.na(at)]]
  sharing <- table(pages$pages$description)
  shared <- fcoalesce(as.integer(sharing[page$description]), 1L) - 1L
  sentence <- fcase(!nzchar(page$description), "The page has no description.", shared > 0,
    sprintf("%s its description.", ifelse(shared == 1, "1 other page shares",
      sprintf("%s other pages share", format_count(shared)))),
    page$title_length > longest_shown[["title_length"]],
    sprintf("The title has %d characters, so its end is cut off.", page$title_length),
    rep(TRUE, length(own)), "")
  said <- nzchar(sentence)
  add_sentence(found, own[said], "reason", sentence[said])
}

# Whether any page says what an idea for a page is about.
name_unsaid <- function(found, summary, pages) {
  own <- which(found$kind == "new_page")
  if (!length(own)) return(found)
  asked <- match(found$query[own], summary$queries$query)
  saying <- link_candidates(summary, pages, asked, rep("", length(own)))
  first <- saying$page[match(seq_along(own), saying$asked)]
  add_sentence(found, own, "reason", ifelse(is.na(first), "No page says it.",
    sprintf("%s says it in its text.", format_path(first))))
}

# Addresses that redirect, are gone or are not to be indexed: that comes first.
name_moved <- function(found, summary, pages) {
  status <- tide_page_status(summary, pages)
  at <- match(found$page, status$page)
  own <- which(!is.na(at))
  if (!length(own)) return(found)
  problem <- status$problem[at[own]]
  leads <- status$leads_to[at[own]]
  path <- format_path(leads)
  sentence <- fcase(problem == "canonical elsewhere",
    sprintf("The page names %s as the canonical one.", path), nzchar(leads),
    sprintf("The address is %s: %s.", problem, path), startsWith(problem, "redirects"),
    sprintf("The address %s.", problem), rep(TRUE, length(own)),
    sprintf("The address is %s.", problem))
  found <- add_sentence(found, own, "reason", sentence)
  away <- nzchar(leads)
  add_sentence(found, own[away], "action",
    sprintf("Work on %s, %s.", format_path(leads[away]),
      ifelse(problem[away] == "canonical elsewhere", "its canonical page", "which answers now")))
}

# Where the pages of the site are known, a step names those that could link, with the sentence they
# say it in. Of very many findings those with most clicks if done are looked at.
name_links <- function(found, summary, pages, looked = 60L, most = 2L) {
  kinds <- c("striking_distance", "tail_demand", "missing_words")
  own <- which(found$kind %in% kinds)
  own <- utils::head(own[order(-found$if_done[own])], looked)
  asked <- match(found$query[own], summary$queries$query)
  links <- link_candidates(summary, pages, asked, page_key(found$page[own]))
  for (i in unique(links$asked)) {
    at <- utils::head(links[links$asked == i], most)
    named <- sprintf("%s (where it says \"%s\")", format_path(at$page), short_text(at$sentence))
    action <- sub(" Link to it in varied words from .*$|,? and link to it in varied words from .*$",
      "", found$action[own[i]])
    set(found, own[i], "action", sprintf("%s Link to it in varied words from %s.",
      sub("[.]?$", ".", action), paste(named, collapse = " and ")))
  }
  found
}

# Links with a query's very words that point to a page which should give way are how contests begin.
name_wrong_links <- function(found, summary, pages, most = 3L) {
  own <- which(found$kind == "cannibalized")
  if (!length(own)) return(found)
  stem <- site_stemmer(pages)
  links <- pages$links[which(pages$links$main)]
  said <- stemmed(links$text, stem)
  asked <- stemmed(query_key(found$query[own]), stem)
  for (i in seq_along(own)) {
    others <- setdiff(page_key(strsplit(found$pages[own[i]], " ", fixed = TRUE)[[1]]),
      page_key(found$page[own[i]]))
    from <- unique(links$from[said == asked[i] & links$to %in% others])
    if (!length(from)) next
    path <- format_path(pages$pages$page[match(from, pages$pages$key)])
    shown <- paste(utils::head(path, most), collapse = ", ")
    more <- length(path) - min(most, length(path))
    set(found, own[i], "reason", sprintf("%s %s to the other page with these words: %s%s.",
      found$reason[own[i]], if (length(path) == 1) {
        "1 page links"
      } else {
        sprintf("%s pages link", format_count(length(path)))
      },
      shown, if (more) sprintf(" and %s more", format_count(more)) else ""))
    set(found, own[i], "action", sprintf("%s Point the links from %s to %s.", found$action[own[i]],
      shown, format_path(found$page[own[i]])))
  }
  found
}

short_text <- function(text, most = 60L) {
  ifelse(nchar(text) > most, paste0(trimws(substr(text, 1, most)), "\u2026"), text)
}
