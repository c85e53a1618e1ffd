# One HTML page: what its head says, its headings, its text block by block, its links. Only what the
# markup holds: no scripts are run.

# Larger than this is no page for people.
largest_page <- 10 * 2^20

# In: bytes, the address they stand for, and the encoding where whoever sent them names one. Out:
# list(fields, blocks: text and whether it is a heading, links: to, text, main), or list(skipped:
# why).
read_html_page <- function(bytes, address, encoding = "") {
  if (!length(bytes)) return(list(skipped = "empty"))
  if (length(bytes) > largest_page) return(list(skipped = "larger than 10 MB"))
  first_at <- rawToChar(utils::head(bytes[bytes != as.raw(0)], 4000))
  known <- "<(!doctype html|html|head|body|title|meta|h1|p|div)[ >]"
  if (!grepl(known, first_at, useBytes = TRUE, ignore.case = TRUE)) {
    return(list(skipped = "not HTML"))
  }
  lenient <- c("RECOVER", "NOERROR", "NOWARNING", "NOBLANKS")
  text <- html_text(bytes, encoding)
  doc <-
    null_if_it_fails(xml2::read_html(charToRaw(text), encoding = "UTF-8", options = lenient))
  if (is.null(doc)) return(list(skipped = "markup that cannot be read"))
  list(fields = html_fields(doc, address), blocks = html_blocks(doc),
    links = html_links(doc, address))
}

# The bytes as UTF-8: by the mark they begin with, else in the encoding that whoever sent them or
# the head of the page names, where they can be in it, else as they are or as Windows wrote them.
html_text <- function(bytes, encoding) {
  begins <- function(...) identical(utils::head(bytes, ...length()), as.raw(c(...)))
  if (begins(0xff, 0xfe) || begins(0xfe, 0xff)) {
    encoding <- "utf-16"
  } else if (!nzchar(encoding) && !begins(0xef, 0xbb, 0xbf)) {
    heading <- rawToChar(utils::head(bytes[bytes != as.raw(0)], 1024))
    shape <- "^.*<meta[^>]*charset\\s*=\\s*[\"']?\\s*([A-Za-z0-9._-]+).*$"
    named <- sub(shape, "\\1", heading, perl = TRUE, useBytes = TRUE, ignore.case = TRUE)
    if (named != heading) encoding <- tolower(named)
  }
  # What pages call Latin-1 is the code page of Windows (WHATWG Encoding Standard).
  windows <- c("iso-8859-1", "iso8859-1", "latin1", "latin-1", "us-ascii", "ascii", "windows-1252")
  if (encoding %in% windows) encoding <- "windows-1252"
  text <- if (nzchar(encoding) && !encoding %in% c("utf-8", "utf8") &&
    toupper(encoding) %in% toupper(iconvlist())) {
    iconv(list(bytes), encoding, "UTF-8", sub = "\ufffd")
  }
  if (is.null(text) || is.na(text)) text <- as_utf8(rawToChar(bytes[bytes != as.raw(0)]))
  sub("^\ufeff", "", text)
}

# Runs of white space as one blank; many texts at once, since calls cost more than texts, and byte
# by byte, since long texts beyond ASCII take far longer otherwise.
squash <- function(text) {
  text <- gsub("(?:[ \t\n\r\f\v]|\\xc2\\xa0)+", " ", enc2utf8(text), perl = TRUE, useBytes = TRUE)
  text <- gsub("^ | $", "", text, perl = TRUE, useBytes = TRUE)
  Encoding(text) <- "UTF-8"
  text
}

# Texts as the markup holds them: white space is put right for all pages at once.
html_fields <- function(doc, address) {
  make_all <- function(path) xml2::xml_find_all(doc, path)
  texts <- function(path) xml2::xml_text(make_all(path))
  first <- function(x) if (length(x) && !is.na(x[1])) x[1] else ""
  meta <- make_all("//meta[@content]")
  named <- xml2::xml_attr(meta, "name")
  named[is.na(named)] <- xml2::xml_attr(meta, "property")[is.na(named)]
  content <- xml2::xml_attr(meta, "content")
  of_meta <- function(...) first(content[match(c(...), tolower(named), nomatch = 0)])
  canonical <- first(xml2::xml_attr(make_all("//link[@rel='canonical'][@href]"), "href"))
  refresh <- content[!is.na(xml2::xml_attr(meta, "http-equiv"))]
  leads_to <- first(refresh[grepl("^\\s*0\\s*;\\s*url\\s*=", refresh, ignore.case = TRUE)])
  leads_to <- gsub("^[^=]*=\\s*['\"]?|['\"]?\\s*$", "", leads_to)
  input_data <- texts("//script[@type='application/ld+json']")
  types <- if (length(input_data)) {
    unlist(regmatches(input_data, gregexpr("\"@type\"\\s*:\\s*\"[A-Za-z]+\"", input_data)))
  }
  stated <- of_meta("article:published_time")
  if (!nzchar(stated)) stated <- first(xml2::xml_attr(make_all("//time[@datetime]"), "datetime"))
  list(page = address, title = first(texts("//title")),
    description = of_meta("description", "og:description"),
    heading = paste(texts("//h1"), collapse = " | "),
    headings = paste(texts("//h2 | //h3"), collapse = " | "),
    language = tolower(substr(first(xml2::xml_attr(make_all("/html"), "lang")), 1, 2)),
    canonical = if (nzchar(canonical)) absolute_urls(canonical, address) else "",
    leads_to = if (nzchar(leads_to)) absolute_urls(leads_to, address) else "",
    noindex = grepl("noindex|none", of_meta("robots")),
    types = paste(unique(sub("^.*\"([A-Za-z]+)\"$", "\\1", types)), collapse = ", "),
    pictures = paste(xml2::xml_attr(make_all("//img[@alt]"), "alt"), collapse = " | "),
    published = substr(stated, 1, 10), modified = substr(of_meta("article:modified_time"), 1, 10))
}

# Menus, heads, feet and asides are the frame of a page.
frame_parts <- "ancestor::nav or ancestor::header or ancestor::footer or ancestor::aside"

block_path <- local({
  named <- paste0("self::",
    c("p", "li", "td", "th", "dt", "dd", "blockquote", "figcaption", paste0("h", 1:6)),
    collapse = " or ")
  sprintf("//body//*[%s][not(%s)][not(.//p or .//li)]", named, frame_parts)
})

bare_path <- sprintf(
  "//body//text()[normalize-space()][not(ancestor::script or ancestor::style or %s)]", frame_parts)

# Texts of paragraphs, lists, cells and headings outside the frame, in order; of a page without any
# such, its whole text.
html_blocks <- function(doc) {
  nodes <- xml2::xml_find_all(doc, block_path)
  text <- xml2::xml_text(nodes)
  heading <- grepl("^h[1-6]$", xml2::xml_name(nodes))
  if (sum(nchar(text)) < 100) {
    text <- xml2::xml_text(xml2::xml_find_all(doc, bare_path))
    heading <- rep(FALSE, length(text))
  }
  list(text = text, heading = heading)
}

# Links with an address, resolved, without those of mail and scripts: list(to, text, main; odd: what
# is no address), those of the text first.
html_links <- function(doc, address) {
  links <- lapply(c("//a[@href][not(%s)]", "//a[@href][%s]"), function(path) {
    xml2::xml_find_all(doc, sprintf(path, frame_parts))
  })
  href <- unlist(lapply(links, xml2::xml_attr, "href"))
  if (!length(href)) {
    return(list(to = character(), text = character(), main = logical(), odd = character()))
  }
  text <- unlist(lapply(links, xml2::xml_text))
  main <- rep(c(TRUE, FALSE), lengths(links))
  # Within the page, and what other schemes stand for, is no link to a page.
  own <- !grepl("^\\s*(#|$)", href) & (grepl("^\\s*https?:", href, ignore.case = TRUE) |
    !grepl("^\\s*[a-z][a-z0-9+.-]*:", href, ignore.case = TRUE))
  to <- absolute_urls(href, address)
  use <- own & nzchar(to)
  list(to = to[use], text = text[use], main = main[use], odd = unique(href[own & !nzchar(to)]))
}
