# What is worth knowing of the site's pages, with counts.

#' @rdname tide_pages_read
#' @param x,object A `tide_pages` object.
#' @export
tidy.tide_pages <- function(x, ...) tibble::as_tibble(x$pages)

# remark, pages, first: an example. The worst first.
#' @rdname tide_pages_read
#' @export
summary.tide_pages <- function(object, ...) {
  p <- object$pages
  again <- function(text) nzchar(text) & (duplicated(text) | duplicated(text, fromLast = TRUE))
  elsewhere <- nzchar(p$canonical) & page_key(p$canonical) != p$key
  remarks <- list(`not to be indexed (noindex)` = p$noindex, `canonical elsewhere` = elsewhere,
    `nothing links to it` = p$linking == 0 & p$key != page_key(object$site),
    `more than three clicks from the home page` = fcoalesce(p$depth > 3, FALSE),
    `no title` = !nzchar(p$title), `title shared with other pages` = again(p$title),
    `title of more than 60 characters, which is cut off` = p$title_length > 60,
    `no description` = !nzchar(p$description),
    `description shared with other pages` = again(p$description),
    `description of more than 160 characters, which is cut off` = p$description_length > 160,
    `no main heading` = !nzchar(p$heading),
    `several main headings` = grepl(" | ", p$heading, fixed = TRUE),
    `nearly empty without scripts (under 20 words)` = p$words < 20)
  out <- rbindlist(lapply(names(remarks), function(remark) {
    own <- which(remarks[[remark]])
    if (length(own)) {
      data.table(remark = remark, pages = length(own), first = p$page[own[1]])
    }
  }))
  tibble::as_tibble(rbind(data.table(remark = character(), pages = integer(), first = character()),
    out))
}

#' @export
format.tide_pages <- function(x, width = 80, ...) {
  remarks <- summary(x)
  depth <- x$pages$depth
  wrap_lines(c(
    sprintf("<tide_pages> %s of %s, saved %s; %s words, %s between them",
      format_plural(nrow(x$pages), "page"), x$site, format_day(x$date),
      format_count(sum(x$pages$words)), format_plural(nrow(x$links), "link")),
    sprintf("  clicks from the home page: %s",
      paste(sprintf("%s: %s", names(table(depth)), format_count(table(depth))), collapse = ", ")),
    sprintf("  %s: %s, such as %s", remarks$remark, format_plural(remarks$pages, "page"),
      format_path(remarks$first)),
    if (nrow(x$skipped)) {
      reasons <- table(x$skipped$reason)
      sprintf("  not read: %s (%s)", names(reasons), format_plural(as.integer(reasons), "file"))
    }),
    width)
}
