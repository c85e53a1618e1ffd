# One HTML page: what its head says, its headings, its text block by block, its links. Only what the
# markup holds: no scripts are run.

# Larger than this is no page for people.
largest_page <- 1e7

# In: bytes and the address they stand for. Out: list(fields, blocks: text and whether it is a
# heading, links: to, text, main), or list(skipped: why).
read_html_page <- function(bytes, address) {
  if (!length(bytes)) return(list(skipped = "empty"))
  if (length(bytes) > largest_page) return(list(skipped = "larger than 10 MB"))
  start <- rawToChar(utils::head(bytes[bytes != as.raw(0)], 4000))
  known <- "<(!doctype html|html|head|body|title|meta|h1|p|div)[ >]"
  if (!grepl(known, start, useBytes = TRUE, ignore.case = TRUE)) {
    return(list(skipped = "not HTML"))
  }
  lenient <- c("RECOVER", "NOERROR", "NOWARNING", "NOBLANKS")
  doc <- tryCatch(xml2::read_html(bytes, options = lenient), error = function(e) NULL)
  if (is.null(doc)) return(list(skipped = "markup that cannot be read"))
  list(fields = html_fields(doc, address), blocks = html_blocks(doc),
    links = html_links(doc, address))
}

squash <- function(text) trimws(gsub("[[:space:]\u00a0]+", " ", as_utf8(text)))

html_fields <- function(doc, address) {
  all <- function(path) xml2::xml_find_all(doc, path)
  first_text <- function(path) c(squash(xml2::xml_text(utils::head(all(path), 1))), "")[1]
  meta <- all("//meta[@content]")
  named <- tolower(fcoalesce(xml2::xml_attr(meta, "name"), xml2::xml_attr(meta, "property"), ""))
  of_meta <- function(...) {
    at <- match(c(...), named)
    at <- at[!is.na(at)]
    if (length(at)) squash(xml2::xml_attr(meta[at[1]], "content")) else ""
  }
  canonical <- c(xml2::xml_attr(all("//link[@rel='canonical'][@href]"), "href"), "")[1]
  data <- xml2::xml_text(all("//script[@type='application/ld+json']"))
  types <- unlist(regmatches(data, gregexpr("\"@type\"\\s*:\\s*\"[A-Za-z]+\"", data)))
  stated <- c(xml2::xml_attr(all("//time[@datetime]"), "datetime"), "")[1]
  data.table(
    page = address,
    title = first_text("//title"),
    description = of_meta("description", "og:description"),
    heading = paste(squash(xml2::xml_text(all("//h1"))), collapse = " | "),
    headings = paste(squash(xml2::xml_text(all("//h2 | //h3"))), collapse = " | "),
    language = tolower(substr(c(xml2::xml_attr(all("/html[@lang]"), "lang"), "")[1], 1, 2)),
    canonical = if (nzchar(canonical)) xml2::url_absolute(canonical, address) else "",
    noindex = grepl("noindex|none", of_meta("robots")),
    types = paste(unique(sub("^.*\"([A-Za-z]+)\"$", "\\1", types)), collapse = ", "),
    pictures = paste(squash(xml2::xml_attr(all("//img[@alt]"), "alt")), collapse = " | "),
    published = substr(
      c(of_meta("article:published_time"), stated)[1 + !nzchar(of_meta("article:published_time"))],
      1, 10),
    modified = substr(of_meta("article:modified_time"), 1, 10))
}

# Menus, heads, feet and asides are the frame of a page.
frame_parts <- "ancestor::nav or ancestor::header or ancestor::footer or ancestor::aside"

# Texts of paragraphs, lists, cells and headings outside the frame, in order; of a page without any
# such, its whole text.
html_blocks <- function(doc) {
  named <- paste0("self::",
    c("p", "li", "td", "th", "dt", "dd", "blockquote", "figcaption", paste0("h", 1:6)),
    collapse = " or ")
  nodes <- xml2::xml_find_all(doc,
    sprintf("//body//*[%s][not(%s)][not(.//p or .//li)]", named, frame_parts))
  text <- squash(xml2::xml_text(nodes))
  heading <- grepl("^h[1-6]$", xml2::xml_name(nodes))
  if (sum(lengths(strsplit(text, " ", fixed = TRUE))) < 20) {
    bare <- xml2::xml_find_all(doc, sprintf(
      "//body//text()[normalize-space()][not(ancestor::script or ancestor::style or %s)]",
      frame_parts))
    text <- squash(xml2::xml_text(bare))
    heading <- rep(FALSE, length(text))
  }
  list(text = text[nzchar(text)], heading = heading[nzchar(text)])
}

# Links with an address, resolved, without those of mail and scripts.
html_links <- function(doc, address) {
  of <- function(where, main) {
    nodes <- xml2::xml_find_all(doc, sprintf("//a[@href][%s]", where))
    href <- trimws(xml2::xml_attr(nodes, "href"))
    use <- which(nzchar(href) & !grepl("^(#|mailto:|tel:|javascript:|data:)", tolower(href)))
    setDT(list(to = xml2::url_absolute(href[use], address),
      text = squash(xml2::xml_text(nodes[use])), main = rep(main, length(use))))
  }
  rbind(of(sprintf("not(%s)", frame_parts), TRUE), of(frame_parts, FALSE))
}
