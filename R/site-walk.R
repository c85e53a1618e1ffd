#' Walk over a site's own pages
#'
#' Asks a site for its pages over HTTP, politely and one after the other, and reads them like
#' [tide_pages_read()].
#'
#' @details Read are the home page, the `addresses` given, those of the site's sitemaps, and what
#'   their links reach, in this order; never another host. Addresses are put together and encoded
#'   as browsers do (WHATWG URL Standard); links that are no address are kept in `odd_links`.
#'   `robots.txt` is obeyed: its first 500 KiB, also where it is redirected to another host. The
#'   longer of `delay` and its `Crawl-delay`, of 60 seconds at most, is waited between requests.
#'   Redirects are recorded and followed on the
#'   host, chains of up to 10. Answers 429 and 503 are waited for as they ask and slow the walk
#'   down. With `keep`, a walk that was ended goes on where it was, and a later one asks only for
#'   pages that changed (`ETag`, `Last-Modified`). No scripts are run.
#' @param site Address of the home page.
#' @param addresses Further addresses to read, such as those of the performance data.
#' @param sitemaps Addresses of sitemaps; `NULL` takes those that `robots.txt` names, else
#'   `/sitemap.xml`.
#' @param delay Seconds between two requests.
#' @param max_pages At most so many addresses are asked for.
#' @param depth Links are followed at most so many clicks from the home page and the addresses
#'   named.
#' @param only,not Regular expressions: only paths that match, none that match.
#' @param contact Mail or web address by which the site's people can reach whoever walks; part of
#'   the name that requests carry.
#' @param timeout Seconds to wait for an answer.
#' @param keep Path of a file that keeps what was answered; `NULL` keeps nothing.
#' @param progress A function of one text, called now and then.
#' @return A `tide_pages` object, see [tide_pages_read()]. Its `answers` hold each address that was
#'   asked for.
#' @section Errors: `tide_error_walk` where the host does not answer, forbids the walk or asks to
#'   come back later (what was read is kept); `tide_error_no_table` where no answer is a page;
#'   `tide_error_argument`, `tide_error_regex`.
#' @references RFC 9309 (robots.txt), RFC 9110 (conditional requests, `Retry-After`), sitemaps.org
#'   protocol 0.9.
#' @seealso [tide_demo_server()] for a site to try it on.
#' @examples
#' # Nothing listens there, which is said in one message:
#' try(tide_pages_walk("http://127.0.0.1:9/", timeout = 1))
#' @export
tide_pages_walk <- function(site, addresses = character(), sitemaps = NULL, delay = 1,
    max_pages = 2000, depth = 1000, only = NULL, not = NULL, contact = NULL, timeout = 30,
    keep = NULL, progress = NULL) {
  check_site(site)
  check_text(addresses, "addresses", many = TRUE)
  check_text(sitemaps, "sitemaps", many = TRUE, null = TRUE)
  check_number(max_pages, "max_pages", min = 1)
  check_number(depth, "depth", min = 0)
  check_asking(delay, contact, timeout)
  check_regex(only, "only")
  check_regex(not, "not")
  site <- sub("^([a-z]+://[^/]*)$", "\\1/", sub("#.*$", "", site))
  walk <- new_walk(site, contact, timeout, only = only, not = not, max_pages = max_pages,
    depth = depth)
  walk$home <- site
  walk$robots <- site_robots(walk)
  if (!robots_allow(walk$robots$rules, path_of(site))) {
    abort_walk("The site's robots.txt forbids reading its home page.",
      sprintf("%s.", absolute_urls("/robots.txt", site)),
      "Read a folder of saved pages, or have 'inktide' allowed there.")
  }
  asked <- c(asked = walk$robots$delay, kept = min(walk$robots$delay, longest_delay))
  walk$pace <- new_pace(max(delay, asked[["kept"]]))
  if (!is.null(progress)) for (words in delay_words(asked)) progress(words)
  walk$con <- open_walk(keep)
  on.exit(DBI::dbDisconnect(walk$con))
  walk$number <- walk_number(walk$con, site, walk$now)
  maps <- site_sitemaps(walk, sitemaps)
  walked <- walk_on(walk, c(site, addresses, maps$pages$address), progress)
  if (!length(walked$read)) {
    first <- walked$answers[1]
    abort_walk("No page could be read.",
      sprintf("%s: %s.", first$address, answer_problem(first$status, first$problem)),
      "Look whether the address opens in a browser.")
  }
  pages <- new_pages(walked$read, site, as.IDate(as.Date(walk$now, tz = "UTC")), walked$answers,
    maps, walked$left)
  pages$delay <- asked
  finish_walk(walk$con, walk$number, Sys.time())
  pages
}

check_asking <- function(delay, contact, timeout) {
  check_number(delay, "delay", min = 0)
  check_number(timeout, "timeout", min = 0.1)
  check_text(contact, "contact", null = TRUE)
  if (!is.null(contact) && grepl("[^\\x20-\\x7e]", contact, perl = TRUE)) {
    abort_argument("contact", "a mail or web address", contact)
  }
}

# What every request of a walk over a host is made with.
new_walk <- function(site, contact, timeout, only = NULL, not = NULL, max_pages = 2000,
    depth = 1000) {
  list(
    site = site,
    host = host_of(site),
    timeout = timeout,
    agent = sprintf("inktide/%s%s", utils::packageVersion("inktide"),
      if (is.null(contact)) "" else sprintf(" (+%s)", contact)),
    only = only,
    not = not,
    max_pages = max_pages,
    depth = depth,
    now = Sys.time())
}

abort_walk <- function(what, where, fix) abort_tide(what, where, fix, class = "walk")

# Rules of the host. One that cannot be read for an error of the server forbids all (RFC 9309, 2.3).
site_robots <- function(walk) {
  address <- absolute_urls("/robots.txt", walk$site)
  for (hop in 0:robots_redirects) {
    answer <- ask_page(address, walk$agent, walk$timeout)
    if (is.na(answer$status)) {
      abort_walk("The site does not answer.", sprintf("%s: %s.", address, answer$problem),
        "Look whether the address opens in a browser.")
    }
    leads_on <- answer$status >= 300 && answer$status < 400 && nzchar(answer$location)
    to <- if (leads_on) absolute_urls(answer$location, address) else ""
    if (!nzchar(to)) break
    address <- to
  }
  if (answer$status >= 500) {
    abort_walk("The site's robots.txt cannot be read, which forbids reading its pages.",
      sprintf("%s: status %d.", address, answer$status), "Try again later.")
  }
  found <- answer$status < 300
  read_robots(if (found) body_text(utils::head(answer$body, robots_bytes)) else "")
}

body_text <- function(bytes) {
  text <- rawToChar(bytes[bytes != as.raw(0)])
  Encoding(text) <- "UTF-8"
  if (validUTF8(text)) text else iconv(text, "latin1", "UTF-8")
}

# Addresses of all sitemaps of the host: list(pages, problems: data.table(address, problem)).
site_sitemaps <- function(walk, named, most = 1000) {
  asked_for <- if (!is.null(named)) {
    named
  } else if (length(walk$robots$sitemaps)) {
    walk$robots$sitemaps
  } else {
    absolute_urls("/sitemap.xml", walk$site)
  }
  guessed <- is.null(named) && !length(walk$robots$sitemaps)
  queue <- unique(asked_for)
  pages <- list()
  problems <- list()
  done <- 0L
  while (done < length(queue) && done < most) {
    done <- done + 1L
    read <- asked_sitemap(walk, queue[done])
    if (nzchar(read$problem) && !(guessed && is.null(read$pages))) {
      problems[[done]] <- data.table(address = queue[done], problem = read$problem)
    }
    pages[[done]] <- read$pages
    # An index names sitemaps, never a further index.
    if (queue[done] %in% asked_for) queue <- unique(c(queue, read$maps))
  }
  none <- data.table(address = character(), modified = character())
  list(pages = unique(rbindlist(c(list(none), pages)), by = "address"),
    problems = rbindlist(c(list(data.table(address = character(), problem = character())),
      problems)))
}

# One sitemap as read_sitemap() has it; without `pages` where it could not be had.
asked_sitemap <- function(walk, address) {
  if (host_of(address) != walk$host) return(list(problem = "sitemap of another host"))
  answer <- patient_answer(walk, address, largest = largest_sitemap)
  if (!identical(answer$status, 200L)) {
    return(list(problem = answer_problem(answer$status, answer$problem)))
  }
  read_sitemap(answer$body)
}
