# robots.txt as RFC 9309 reads it: which addresses of a host may be asked for.

# So many bytes of it are read (RFC 9309, 2.5), and so many redirects followed, to other hosts too
# (2.3.1.2).
robots_bytes <- 512000L
robots_redirects <- 5L

# Seconds between two requests that a Crawl-delay may ask for at most.
longest_delay <- 60

# In: the text and the name that groups are looked up by. Out: list(rules: data.table(allow, path),
# delay in seconds or 0, sitemaps). Rules of several groups for one name count together; without a
# group of its own, those of "*".
read_robots <- function(text, agent = "inktide") {
  lines <- strsplit(sub("^\ufeff", "", text), "\r\n|\r|\n")[[1]]
  lines <- trimws(sub("#.*$", "", lines))
  shape <- "^([A-Za-z-]+)\\s*:\\s*(.*)$"
  lines <- lines[grepl(shape, lines, perl = TRUE)]
  field <- tolower(sub(shape, "\\1", lines, perl = TRUE))
  value <- sub(shape, "\\2", lines, perl = TRUE)
  named <- field == "user-agent"
  ruling <- field %in% c("allow", "disallow", "crawl-delay")
  # Lines of names one after the other open one group, until a rule stands between them.
  rules_before <- cumsum(ruling)
  opens <- named & !duplicated(ifelse(named, rules_before, -seq_along(named)))
  group <- cumsum(opens)
  names_of <- split(tolower(sub("/.*$", "", value[named])), group[named])
  own <- as.integer(names(names_of)[vapply(names_of, function(own) agent %in% own, NA)])
  if (!length(own)) {
    own <- as.integer(names(names_of)[vapply(names_of, function(own) "*" %in% own, NA)])
  }
  mine <- ruling & group %in% own
  paths <- mine & field != "crawl-delay" & nzchar(value)
  delay <- suppressWarnings(as.numeric(value[mine & field == "crawl-delay"]))
  delay <- delay[is.finite(delay)]
  rules <- unique(data.table(allow = field[paths] == "allow", path = octets(value[paths])))
  list(rules = rules, delay = max(0, delay), sitemaps = value[field == "sitemap"])
}

# Percent-encoding made one: signs that need none decoded, all others encoded in capitals.
octets <- function(paths) {
  paths <- encode_signs(paths, character())
  coded <- grepl("%[0-9A-Fa-f]{2}", paths)
  code <- gregexpr("%[0-9A-Fa-f]{2}", paths[coded])
  regmatches(paths[coded], code) <- lapply(regmatches(paths[coded], code), function(found) {
    direction <- vapply(found, function(one) {
      rawToChar(as.raw(max(1L, strtoi(substring(one, 2), 16L))))
    }, "")
    ifelse(grepl("^[A-Za-z0-9._~-]$", direction), direction, toupper(found))
  })
  paths
}

# Whether each path (with what follows a question mark) may be asked for: the longest rule that
# matches decides, of two as long the one that allows.
robots_allow <- function(rules, paths) {
  once <- unique(paths)
  path <- octets(once)
  allow <- .Call(robots_verdicts, rules$path, rules$allow, path) | path == "/robots.txt"
  allow[match(paths, once)]
}

# Sitemaps as sitemaps.org defines them: lists of addresses, lists of such lists, plain or packed.

largest_sitemap <- 50 * 2^20

# In: bytes of a sitemap. Out: list(pages: data.table(address, modified), maps: addresses of further
# sitemaps, problem: "" or what is wrong with it).
read_sitemap <- function(bytes) {
  none <- function(problem) {
    list(pages = data.table(address = character(), modified = character()), maps = character(),
      problem = problem)
  }
  cutoff <- FALSE
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
  first_at <- rawToChar(utils::head(signs, 2000))
  if (!grepl("<(urlset|sitemapindex|\\?xml)", first_at, useBytes = TRUE)) {
    lines <- trimws(strsplit(rawToChar(signs), "[\r\n]+", useBytes = TRUE)[[1]])
    lines <- lines[grepl("^https?://[^ <>]+$", lines, useBytes = TRUE)]
    if (!length(lines)) return(none("no sitemap"))
    return(list(pages = data.table(address = lines, modified = ""), maps = character(),
      problem = ""))
  }
  doc <- tryCatch(xml2::read_xml(bytes, options = c("NOBLANKS", "NONET")), error = function(e) {
    cutoff <<- TRUE
    null_if_it_fails(xml2::read_html(bytes))
  })
  if (is.null(doc)) return(none("markup that cannot be read"))
  each <- function(what, part) {
    entries <- xml2::xml_find_all(doc, sprintf("//*[local-name()='%s']", what))
    # The last of a text that was cut off may be half an address.
    entries <- utils::head(entries, length(entries) - cutoff)
    trimws(xml2::xml_text(xml2::xml_find_first(entries, sprintf("./*[local-name()='%s']", part))))
  }
  pages <- data.table(address = each("url", "loc"), modified = each("url", "lastmod"))
  pages <- pages[grepl("^https?://", pages$address)]
  set(pages, j = "modified", value = fcoalesce(substr(pages$modified, 1, 10), ""))
  maps <- each("sitemap", "loc")
  list(pages = pages, maps = maps[grepl("^https?://", maps)],
    problem = if (cutoff) "cut off" else "")
}
