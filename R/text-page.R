# One page, one name. Exports spell a page in several ways: scheme, host case, "www.", trailing
# slash, index files, section fragments, tracking parameters. Folded pages share a key; the name
# shown is the spelling with the most impressions, cleaned of fragment and tracking.

# Parameters that say where a visitor came from and never which page it is.
tracking_parameter <- "^(utm_[a-z_]+|[a-z]*clid)$"

# Without fragment and tracking parameters; scheme and host in lower case.
clean_url <- function(urls) {
  spaced <- text_holds(urls, "blanks")
  urls[spaced] <- trimws(urls[spaced])
  marked <- grepl("#", urls, fixed = TRUE)
  urls[marked] <- sub("#.*$", "", urls[marked])
  # Scheme and host are in lower case already, nearly everywhere.
  loud <- which(text_holds(urls, "capitals"))
  loud <- loud[grepl("^[A-Za-z][A-Za-z0-9+.-]*://[^/?]*", urls[loud], perl = TRUE) &
    grepl("^[^/?]*[A-Z]|^[^/?]*//[^/?]*[A-Z]", urls[loud], perl = TRUE)]
  host <- sub("^([A-Za-z][A-Za-z0-9+.-]*://[^/?]*).*$", "\\1", urls[loud])
  urls[loud] <- paste0(tolower(host), substring(urls[loud], nchar(host) + 1))
  query <- grepl("?", urls, fixed = TRUE)
  urls[query] <- vapply(strsplit(urls[query], "?", fixed = TRUE), function(part) {
    kept <- strsplit(paste(part[-1], collapse = "?"), "&", fixed = TRUE)[[1]]
    kept <- kept[!grepl(tracking_parameter, tolower(sub("=.*$", "", kept))) & nzchar(kept)]
    if (length(kept)) paste0(part[1], "?", paste(kept, collapse = "&")) else part[1]
  }, "")
  urls
}

# What decides whether two clean URLs are one page.
url_key <- function(clean) {
  key <- without_start(clean, c("https://", "http://"))
  # What few have is looked for before it is put right.
  key <- replace_some(key, grepl("://", key, fixed = TRUE), "^[a-z][a-z0-9+.-]*://", "")
  key <- without_start(key, "www.")
  key <- replace_some(key,
    grepl("/index.", key, fixed = TRUE) | grepl("/default.", key, fixed = TRUE),
    "/(index|default)\\.(html?|php|aspx?)($|\\?)", "/\\3")
  marked <- grepl("?", key, fixed = TRUE)
  key <- replace_some(key, marked, "/+($|\\?)", "\\1")
  slash <- endsWith(key, "/") & !marked
  key[slash] <- substr(key[slash], 1L, nchar(key[slash]) - 1L)
  key <- replace_some(key, endsWith(key, "/") & !marked, "/+$", "")
  coded <- which(grepl("%", key, fixed = TRUE) | text_holds(key, "beyond"))
  key[coded] <- plain_signs(key[coded])
  key
}

# Signs that need no percent-encoding as they are, in one Unicode form; those that mean something in
# an address stay encoded, in capitals (RFC 3986, 6.2.2). What decodes to no text stays as it is.
plain_signs <- function(urls) {
  kept <- "%(?=2[1346789ABCDF]|3[ABDF]|40|5[BD]|0|1)"
  once <- unique(urls)
  capitals <- gsub("(%[0-9a-fA-F]{2})", "\\U\\1", once, perl = TRUE)
  capitals <- gsub("%(?![0-9A-F]{2})", "%25", capitals, perl = TRUE)
  decoded <- vapply(gsub(paste0(kept, "|%(?=25)"), "%25", capitals, perl = TRUE), utils::URLdecode,
    "", USE.NAMES = FALSE)
  Encoding(decoded) <- "UTF-8"
  text <- validUTF8(decoded)
  decoded[text] <- utf8::utf8_normalize(decoded[text])
  ifelse(text, decoded, capitals)[match(urls, once)]
}

without_start <- function(x, starts) {
  for (first_at in starts) {
    has <- startsWith(x, first_at)
    x[has] <- substring(x[has], nchar(first_at) + 1L)
  }
  x
}

replace_some <- function(x, which, pattern, by) {
  if (any(which)) x[which] <- sub(pattern, by, x[which], perl = TRUE)
  x
}

# Which page keys are meant by addresses or paths, separated by spaces, a star for everything below;
# NULL: all, where none is named.
touched_pages <- function(pages, keys) {
  if (!nzchar(pages)) return(NULL)
  paths <- paste0(sub("/+$", "", sub("^[^/]*", "", keys)), "/")
  hits <- lapply(strsplit(pages, " +")[[1]], function(one) {
    path <- sub("^[a-z]+://[^/]*", "", one)
    if (endsWith(path, "*")) return(which(startsWith(paths, sub("/*[*]$", "/", path))))
    which(paths == paste0(sub("/+$", "", path), "/"))
  })
  sort(unique(unlist(hits)))
}

page_key <- function(x) url_key(clean_url(x))
