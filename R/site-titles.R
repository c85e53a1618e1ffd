#' Titles and descriptions of a list of addresses
#'
#' Asks for each address over HTTP and says what its results-page entry is made of: title,
#' description and main heading, with their lengths. The addresses may be of any hosts, such as
#' those that rank above one's own pages.
#'
#' @details Each host is asked as [tide_pages_walk()] asks: one request after the other, as its
#'   `robots.txt` allows and at its pace. Links are not followed; redirects are, on the same host.
#' @param addresses Web addresses, each with `http://` or `https://`.
#' @inheritParams tide_pages_walk
#' @return A tibble with a row for each address, in the order given: `page`, `title`,
#'   `title_length`, `description`, `description_length` (in characters), `heading` (the main ones),
#'   `status` (of the answer), `leads_to` (where a redirect leads, else empty), `problem` (why there
#'   is no title, else empty).
#' @section Errors: `tide_error_argument` where an address is none.
#' @seealso [tide_pages_read()] for one's own site, with its links and remarks.
#' @examples
#' # Nothing listens there, which its row says:
#' tide_page_titles("http://127.0.0.1:9/", timeout = 1)$problem
#' @export
tide_page_titles <- function(addresses, delay = 1, contact = NULL, timeout = 30,
    progress = NULL) {
  check_text(addresses, "addresses", many = TRUE)
  check_asking(delay, contact, timeout)
  cleaned <- clean_url(trimws(addresses))
  odd <- !grepl("^https?://[^/ ]+", cleaned)
  if (any(odd)) {
    abort_argument("addresses", "web addresses such as https://www.fernmoor.example/shop/",
      addresses[odd][1])
  }
  hosts <- split(unique(cleaned), factor(web_origin(unique(cleaned)),
    unique(web_origin(unique(cleaned)))))
  asked <- lapply(names(hosts), function(origin) {
    tryCatch(titles_of_host(paste0(sub("/*$", "", origin), "/"), hosts[[origin]], delay, contact,
      timeout, progress),
      tide_error_walk = function(e) {
        setDT(list(page = hosts[[origin]], problem = paste(e$what, e$where)))
      })
  })
  rows <- rbind(no_titles, rbindlist(asked, fill = TRUE), fill = TRUE)
  # Spellings of one page were asked for once.
  at <- fcoalesce(match(cleaned, rows$page), match(page_key(cleaned), page_key(rows$page)))
  rows <- rows[at]
  set(rows, j = "page", value = addresses)
  for (column in c("title", "description", "heading", "leads_to", "problem")) {
    set(rows, j = column, value = fcoalesce(rows[[column]], ""))
  }
  set(rows, j = "title_length", value = nchar(rows$title))
  set(rows, j = "description_length", value = nchar(rows$description))
  tibble::as_tibble(rows)
}

no_titles <- setDT(list(page = character(), title = character(), title_length = integer(),
  description = character(), description_length = integer(), heading = character(),
  status = integer(), leads_to = character(), problem = character()))

# The rows of one host's addresses.
titles_of_host <- function(site, addresses, delay, contact, timeout, progress) {
  walk <- new_walk(site, contact, timeout, max_pages = Inf, depth = 0)
  walk$robots <- site_robots(walk)
  walk$pace <- new_pace(max(delay, min(walk$robots$delay, longest_delay)))
  walk$con <- open_walk(NULL)
  on.exit(DBI::dbDisconnect(walk$con))
  walk$number <- walk_number(walk$con, site, walk$now)
  walked <- walk_on(walk, addresses, progress)
  answers <- settled_answers(walked$answers, data.table(page = character(),
    leads_to = character()))
  final <- ifelse(nzchar(answers$location), answers$final, answers$address)
  ends <- match(final, answers$address)
  last <- answers[ends]
  skipped <- vapply(walked$read, function(page) !is.null(page[["skipped"]]), NA)
  read <- rbindlist(lapply(walked$read[!skipped], function(page) {
    c(page$fields[c("title", "description", "heading")], list(address = page$file))
  }))
  unread <- vapply(walked$read[skipped], `[[`, "", "skipped")
  names(unread) <- vapply(walked$read[skipped], `[[`, "", "file")
  found <- match(final, read$address)
  page_at <- read[found]
  trouble <- fcoalesce(unname(unread[final]),
    ifelse(nzchar(answers$problem) & answers$problem != "redirects more than once",
      answers$problem, answer_problem(last$status, fcoalesce(last$problem, ""))))
  setDT(list(page = answers$address, title = squash(page_at$title),
    description = squash(page_at$description), heading = squash(page_at$heading),
    status = answers$status, leads_to = ifelse(nzchar(answers$final), answers$location, ""),
    problem = ifelse(is.na(page_at$title), trouble, "")))
}
