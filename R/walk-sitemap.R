# Sitemaps as sitemaps.org defines them: lists of addresses, lists of such lists, plain or packed.

largest_sitemap <- 50 * 2^20

# In: bytes of a sitemap. Out: list(pages: data.table(address, modified), maps: addresses of further
# sitemaps, problem: "" or what is wrong with it).
read_sitemap <- function(bytes) {
  none <- function(problem) {
    list(pages = data.table(address = character(), modified = character()), maps = character(),
      problem = problem)
  }
  cut <- FALSE
  if (length(bytes) > 2 && bytes[1] == as.raw(0x1f) && bytes[2] == as.raw(0x8b)) {
    bytes <- unpacked(bytes, "gzip", largest_sitemap)
    if (is.character(bytes)) return(none(bytes))
  }
  if (!length(bytes)) return(none("empty or cut off"))
  if (length(bytes) > largest_sitemap) return(none("larger than 50 MB"))
  signs <- bytes[bytes != as.raw(0)]
  # Entities of its own may unpack to any size; a sitemap has none.
  if (length(grepRaw("<!(DOCTYPE|ENTITY)", signs, ignore.case = TRUE))) {
    return(none("declares entities"))
  }
  start <- rawToChar(utils::head(signs, 2000))
  if (!grepl("<(urlset|sitemapindex|\\?xml)", start, useBytes = TRUE)) {
    lines <- trimws(strsplit(rawToChar(signs), "[\r\n]+", useBytes = TRUE)[[1]])
    lines <- lines[grepl("^https?://[^ <>]+$", lines, useBytes = TRUE)]
    if (!length(lines)) return(none("no sitemap"))
    return(list(pages = data.table(address = lines, modified = ""), maps = character(),
      problem = ""))
  }
  doc <- tryCatch(xml2::read_xml(bytes, options = c("NOBLANKS", "NONET")), error = function(e) {
    cut <<- TRUE
    tryCatch(xml2::read_html(bytes), error = function(e) NULL)
  })
  if (is.null(doc)) return(none("markup that cannot be read"))
  each <- function(what, part) {
    entries <- xml2::xml_find_all(doc, sprintf("//*[local-name()='%s']", what))
    # The last of a text that was cut off may be half an address.
    entries <- utils::head(entries, length(entries) - cut)
    trimws(xml2::xml_text(xml2::xml_find_first(entries, sprintf("./*[local-name()='%s']", part))))
  }
  pages <- data.table(address = each("url", "loc"), modified = each("url", "lastmod"))
  pages <- pages[grepl("^https?://", pages$address)]
  set(pages, j = "modified", value = fcoalesce(substr(pages$modified, 1, 10), ""))
  maps <- each("sitemap", "loc")
  list(pages = pages, maps = maps[grepl("^https?://", maps)], problem = if (cut) "cut off" else "")
}
