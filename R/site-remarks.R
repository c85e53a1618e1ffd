# What is worth knowing of the site's pages, with counts.

#' @rdname tide_pages_read
#' @param x,object A `tide_pages` object.
#' @export
tidy.tide_pages <- function(x, ...) tibble::as_tibble(x$pages)

# Characters that results pages show of them, as a rule: more is cut off.
longest_shown <- c(title_length = 60, description_length = 160)

# remark, pages, first: an example. The worst first.
#' @rdname tide_pages_read
#' @export
summary.tide_pages <- function(object, ...) {
  p <- object$pages
  again <- function(text) nzchar(text) & (duplicated(text) | duplicated(text, fromLast = TRUE))
  elsewhere <- nzchar(p$canonical) & page_key(p$canonical) != p$key
  lonely <- p$linking == 0 & p$key != page_key(object$site)
  remarks <- list(
    `not to be indexed (noindex)` = p$noindex,
    `canonical elsewhere` = elsewhere,
    `in the sitemap, and nothing links to it` = fcoalesce(p$in_sitemap, FALSE) & lonely,
    `nothing links to it` = lonely & !fcoalesce(p$in_sitemap, FALSE),
    `more than three clicks from the home page` = fcoalesce(p$depth > 3, FALSE),
    `no title` = !nzchar(p$title),
    `title shared with other pages` = again(p$title),
    `title of more than 60 characters, which is cut off` = p$title_length >
      longest_shown["title_length"],
    `no description` = !nzchar(p$description),
    `description shared with other pages` = again(p$description),
    `description of more than 160 characters, which is cut off` = p$description_length >
      longest_shown["description_length"],
    `no main heading` = !nzchar(p$heading),
    `several main headings` = grepl(" | ", p$heading, fixed = TRUE),
    `nearly empty without scripts (under 20 words)` = p$words < 20)
  found <- c(address_remarks(object), lapply(remarks, function(own) p$page[which(own)]))
  found <- found[lengths(found) > 0]
  tibble::tibble(remark = as.character(names(found)), pages = unname(lengths(found)),
    first = vapply(found, `[[`, "", 1, USE.NAMES = FALSE))
}

# Pages by remark on links and on what addresses answer.
address_remarks <- function(pages) {
  links <- pages$links
  answer <- pages$answers[match(links$to, pages$answers$key)]
  from <- function(own) {
    keys <- unique(links$from[which(own)])
    pages$pages$page[match(keys, pages$pages$key)]
  }
  leads <- nzchar(fcoalesce(answer[["location"]], ""))
  lost <- answer$status >= 400L | leads & !nzchar(answer$final)
  plain <- fold_case(links$text)
  words <- setDT(list(text = plain, to = links$to))[links$main & grepl(" ", plain, fixed = TRUE)]
  words <- unique(words)
  shared <- words$text[duplicated(words$text)]
  list(`links to an address that is gone` = from(lost),
    `links through a redirect` = from(leads & nzchar(answer$final)),
    `links with the same words to different pages` = from(links$main & plain %in% shared))
}

#' @export
format.tide_pages <- function(x, width = 80, ...) {
  remarks <- summary(x)
  depth <- x$pages$depth
  wrap_lines(c(
    sprintf("<tide_pages> %s of %s, as of %s; %s words, %s between them",
      format_plural(nrow(x$pages), "page"), x$site, format_day(x$date),
      format_count(sum(x$pages$words)), format_plural(nrow(x$links), "link")),
    if (all(is.na(depth))) {
      "  no page is reached from the home page"
    } else {
      sprintf("  clicks from the home page: %s",
        paste(sprintf("%s: %s", names(table(depth)), format_count(table(depth))), collapse = ", "))
    },
    sprintf("  %s: %s, such as %s", remarks$remark, format_plural(remarks$pages, "page"),
      format_path(remarks$first)),
    if (x$left) {
      sprintf("  not asked for, since the limit was reached: %s",
        format_plural(x$left, "known address", "known addresses"))
    },
    if (NROW(x$odd_links)) {
      sprintf("  left out: %s, such as '%s' on %s",
        format_plural(nrow(x$odd_links), "link that is no address", "links that are no address"),
        visible_text(substr(trimws(x$odd_links$link[1]), 1, 60)), format_path(x$odd_links$page[1]))
    },
    sprintf("  %s", delay_words(x$delay)),
    if (!is.null(x$canonical_site)) {
      sprintf("  nearly all pages name %s as their own address: is %s the right site?",
        x$canonical_site, x$site)
    },
    if (nrow(x$skipped)) {
      reasons <- table(x$skipped$reason)
      sprintf("  not read: %s (%s)", format_count(as.integer(reasons)), names(reasons))
    }),
    width)
}

# What robots.txt asks for between two requests, and what of it was kept.
delay_words <- function(delay) {
  if (is.null(delay) || delay[["asked"]] <= 0) return(NULL)
  sprintf("robots.txt asks for %s %s between two requests%s",
    format(delay[["asked"]], big.mark = ",", scientific = FALSE, digits = 3),
    if (delay[["asked"]] == 1) "second" else "seconds",
    if (delay[["kept"]] < delay[["asked"]]) sprintf("; %g were kept", delay[["kept"]]) else "")
}
