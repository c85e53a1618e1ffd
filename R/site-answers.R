# What addresses answer: redirects to where they lead, and addresses of the performance data that no
# longer answer themselves.

no_answers <- function() {
  setDT(list(address = character(), key = character(), status = integer(), location = character(),
    final = character(), redirects = integer(), problem = character()))
}

# Answers of a walk and saved pages that lead on, each with the address that answers in the end.
settled_answers <- function(answers, pages) {
  leads <- which(nzchar(pages$leads_to))
  rows <- rbind(data.table(address = character(), status = integer(), location = character(),
    problem = character()),
    answers, data.table(address = pages$page[leads], status = rep(NA_integer_, length(leads)),
      location = pages$leads_to[leads], problem = rep("", length(leads))))
  if (!nrow(rows)) return(no_answers())
  rows <- unique(rows, by = "address", fromLast = TRUE)
  set(rows, j = "key", value = page_key(rows$address))
  followed <- follow_redirects(rows)
  set(rows, j = c("final", "redirects"), value = followed[c("final", "redirects")])
  silent <- !nzchar(rows$problem)
  set(rows, which(followed$loop & silent), "problem", "redirects in a loop")
  set(rows, which(followed$endless & silent), "problem", too_many_redirects)
  set(rows, which(followed$redirects > 1 & nzchar(followed$final) & silent), "problem",
    "redirects more than once")
  setcolorder(rows, names(no_answers()))
  rows[]
}

too_many_redirects <- "redirects more than 10 times"

# Where each address leads in the end: list(final, redirects, loop, endless: given up).
follow_redirects <- function(rows, most = 20L) {
  at <- seq_len(nrow(rows))
  redirects <- integer(nrow(rows))
  final <- rows$address
  going <- nzchar(rows$location)
  for (hop in seq_len(most)) {
    if (!any(going)) break
    redirects[going] <- redirects[going] + 1L
    final[going] <- rows$location[at[going]]
    stride <- match(final[going], rows$address)
    at[going] <- stride
    going[going] <- !is.na(stride) & nzchar(rows$location[stride])
  }
  last <- match(final, rows$address)
  answers <- is.na(last) | is.na(rows$status[last]) | rows$status[last] < 400L
  given_up <- rows$location[rows$problem == too_many_redirects]
  endless <- final %in% given_up & !going
  list(final = ifelse(going | endless | !answers, "", final), redirects = redirects, loop = going,
    endless = endless)
}

# Links as they arrive: to where their address leads.
through_redirects <- function(links, answers) {
  moved <- answers[nzchar(answers$location) & nzchar(answers$final)]
  if (!nrow(moved)) return(links)
  target <- page_key(moved$final)[match(links$to, moved$key)]
  out <- copy(links)
  set(out, j = "to", value = fcoalesce(target, links$to))
  out[out$from != out$to]
}

# Addresses from which no page came, with why: as rows of `skipped`.
not_read <- function(answers) {
  own <- answers[!nzchar(answers$location) & (nzchar(answers$problem) | answers$status >= 400L)]
  data.table(file = own$address, reason = answer_problem(own$status, own$problem))
}

# Why an answer is no page, in words.
answer_problem <- function(status, problem) {
  ifelse(nzchar(problem), problem, sprintf("status %d", status))
}

#' Addresses that no longer answer themselves
#'
#' Pages of the performance data that are redirected, gone, not to be indexed, or name another page
#' as the canonical one.
#'
#' @param summary A `tide_summary` object.
#' @param pages A `tide_pages` object.
#' @return A tibble, those with most impressions first: `page`, `clicks`, `impressions`, `status`
#'   (of HTTP, missing where none is known), `leads_to` (the page that answers instead, empty where
#'   none does), `problem`. Pages that were not read are not in it.
#' @section Errors: `tide_error_argument`.
#' @seealso [tide_pages_walk()]
#' @examples
#' dir <- tempfile("pages")
#' dir.create(file.path(dir, "guides", "how-to-grow-radish"), recursive = TRUE)
#' writeLines("<html><head><title>Radishes</title><link rel='canonical' href='/guides/radish/'>
#'   </head><body><h1>Growing radishes</h1></body></html>",
#'   file.path(dir, "guides", "how-to-grow-radish", "index.html"))
#' pages <- tide_pages_read(dir, "https://www.fernmoor.example/")
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' tide_page_status(summary, pages)
#' @export
tide_page_status <- function(summary, pages) {
  check_class(summary, "tide_summary", "summary")
  check_class(pages, "tide_pages", "pages")
  shown <- sums_of_pages(summary)
  answer <- pages$answers[match(shown$key, pages$answers$key)]
  own <- pages$pages[match(shown$key, pages$pages$key)]
  canonical <- fcoalesce(own$canonical, "")
  elsewhere <- nzchar(canonical) & page_key(canonical) != shown$key
  location <- fcoalesce(answer[["location"]], "")
  moved <- nzchar(location) & page_key(location) != shown$key
  lost <- fcoalesce(answer$status >= 400L, FALSE)
  gone <- is.na(own$key) & lost | moved & !nzchar(answer$final)
  problem <- fcase(gone & lost, sprintf("gone (status %d)", answer$status),
    gone & fcoalesce(startsWith(answer$problem, "redirects"), FALSE) &
      fcoalesce(answer$problem != "redirects more than once", FALSE),
    answer$problem, gone, "redirects to an address that is gone",
    moved & fcoalesce(answer$redirects > 1L, FALSE),
    sprintf("redirected %d times", answer$redirects), moved, "redirected",
    fcoalesce(own$noindex, FALSE), "not to be indexed (noindex)", elsewhere, "canonical elsewhere",
    rep(TRUE, nrow(shown)), "")
  leads_to <- fcase(moved & !gone, fcoalesce(answer$final, ""), elsewhere & !gone, canonical,
    rep(TRUE, nrow(shown)), "")
  out <- data.table(page = shown$page, clicks = shown$clicks, impressions = shown$impressions,
    status = answer$status, leads_to = leads_to, problem = problem)
  tibble::as_tibble(out[nzchar(out$problem)])
}

# Pages with their clicks and impressions, most impressions first.
sums_of_pages <- function(summary) {
  pairs <- summary$pairs
  count <- nrow(summary$pages)
  out <- data.table(page = summary$pages$page, clicks = sum_codes(pairs$clicks, pairs$page, count),
    impressions = sum_codes(pairs$impressions, pairs$page, count))
  set(out, j = "key", value = summary$pages$key)
  setorderv(out, c("impressions", "page"), c(-1L, 1L))
}
