# Addresses of the web as browsers read them (WHATWG URL Standard): what markup holds is put
# together with the address it stands on, and encoded as it goes over the wire.

# Signs that are encoded in a path and behind the question mark (WHATWG, "percent-encode sets").
path_encoded <- c(" ", "\"", "#", "<", ">", "?", "`", "{", "}", "^")
query_encoded <- c(" ", "\"", "#", "<", ">", "'")

# In: addresses as markup has them, and the whole address that they stand on. Out: whole addresses
# without fragment and user, or "" where there is none that could be asked for.
absolute_urls <- function(href, base) {
  once <- unique(href)
  on <- split_address(base)
  # Most are plain: a path from the top, or a whole address.
  out <- once
  path <- "((/[A-Za-z0-9_~-][A-Za-z0-9._~-]*)+/?|/)$"
  top <- grepl(paste0("^", path), once, perl = TRUE)
  out[top] <- paste0(read_origin(on$scheme, on$authority), once[top])
  plain <- top | grepl(paste0("^https?://[a-z0-9.-]+", path), once, perl = TRUE)
  if (!all(plain)) out[!plain] <- resolved_urls(once[!plain], on)
  out[match(href, once)]
}

# on: the parts of the address that they stand on.
resolved_urls <- function(href, on) {
  read <- strip_blanks(href)
  scheme <- tolower(sub("^([A-Za-z][A-Za-z0-9+.-]*):.*$", "\\1", read))
  has_scheme <- grepl("^[A-Za-z][A-Za-z0-9+.-]*:", read)
  web <- has_scheme & scheme %in% c("http", "https")
  rest <- ifelse(web, sub("^[^:]*:", "", read), read)
  # A backslash is a slash for a browser, up to the question mark.
  path <- sub("[?#].*$", "", rest)
  after <- substring(rest, nchar(path) + 1L)
  path <- chartr("\\", "/", path)
  # A scheme of another kind than the page's needs no slashes; of the same it may be left out.
  whole <- web & (scheme != on$scheme | startsWith(path, "//"))
  path[whole] <- sub("^/*", "//", path[whole])
  scheme[!whole] <- on$scheme
  query <- sub("^[?]$", "", sub("#.*$", "", after))
  named <- startsWith(path, "//")
  authority <- ifelse(named, sub("^//([^/]*).*$", "\\1", path), on$authority)
  own <- ifelse(named, sub("^//[^/]*", "", path), path)
  nothing <- !named & !nzchar(own)
  relative <- !named & !nothing & !startsWith(own, "/")
  own[relative] <- paste0(sub("[^/]*$", "", on$path), own[relative])
  query[nothing & !nzchar(query)] <- on$query
  own[nothing] <- on$path
  origin <- read_origin(scheme, authority)
  out <- paste0(origin, encode_signs(without_dots(own), path_encoded),
    encode_signs(query, query_encoded))
  out[!nzchar(origin) | has_scheme & !web] <- ""
  out
}

# Blanks and control signs around an address, line ends and tabs within.
strip_blanks <- function(x) {
  x <- gsub("[\t\r\n]", "", as_utf8(as.character(x)))
  gsub("^[\\x01-\\x20]+|[\\x01-\\x20]+$", "", x, perl = TRUE)
}

# Parts of one whole address.
split_address <- function(address) {
  shape <- "^([A-Za-z][A-Za-z0-9+.-]*)://([^/?#\\\\]*)([^?#]*)([^#]*)"
  parts <- regmatches(address, regexec(shape, address))[[1]]
  if (length(parts) != 5) return(list(scheme = "", authority = "", path = "/", query = ""))
  list(scheme = tolower(parts[2]), authority = parts[3],
    path = if (nzchar(parts[4])) parts[4] else "/", query = parts[5])
}

# "https://host:port" in lower case, without the port that goes without saying; "" where the host is
# none, or a user stands before it.
read_origin <- function(scheme, authority) {
  host <- tolower(sub(":[0-9]*$", "", authority))
  coded <- grepl("%", host, fixed = TRUE)
  host[coded] <- tolower(decode_percent(host[coded]))
  host <- ascii_hosts(host)
  port <- ifelse(grepl(":[0-9]+$", authority), sub("^.*:0*([0-9]*)$", "\\1", authority), "")
  usual <- ifelse(scheme == "https", "443", "80")
  number <- suppressWarnings(as.numeric(port))
  good <- scheme %in% c("http", "https") & nzchar(host) &
    (grepl("^\\[[0-9a-f:.]+\\]$", host) | !grepl("[\\x00-\\x20#/:<>?@\\[\\]\\\\^|%\\x7f]", host,
      perl = TRUE)) &
    (!nzchar(port) | number %in% 0:65535)
  ifelse(good, paste0(scheme, "://", host,
    ifelse(nzchar(port) & port != usual, paste0(":", port), "")), "")
}

# Scheme, host and port of whole addresses: what may see a token of the one may see it of the other.
web_origin <- function(addresses) {
  vapply(addresses, function(address) {
    parts <- split_address(address)
    read_origin(parts$scheme, parts$authority)
  }, "", USE.NAMES = FALSE)
}

# Host and port in lower case, without the port that goes without saying.
host_of <- function(addresses) {
  shape <- "^([A-Za-z][A-Za-z0-9+.-]*)://([^/?#\\\\]*).*$"
  whole <- grepl(shape, addresses)
  scheme <- ifelse(whole, tolower(sub(shape, "\\1", addresses)), "")
  sub("^[a-z]+://", "", read_origin(scheme, ifelse(whole, sub(shape, "\\2", addresses), "")))
}

# Path with what follows the question mark.
path_of <- function(addresses) {
  rest <- sub("^[A-Za-z]+://[^/?#]*", "", sub("#.*$", "", addresses))
  ifelse(startsWith(rest, "/"), rest, paste0("/", rest))
}

# "." and ".." in a path are steps, encoded or not.
without_dots <- function(paths) {
  paths <- ifelse(startsWith(paths, "/"), paths, paste0("/", paths))
  dotted <- grepl("/(\\.|%2e)(\\.|%2e)?(/|$)", paths, ignore.case = TRUE)
  if (!any(dotted)) return(paths)
  # The end that is put there, and taken off again, keeps an empty last step.
  split_by <- strsplit(paste0(paths[dotted], "/."), "/", fixed = TRUE)
  paths[dotted] <- vapply(split_by, function(parts) {
    steps <- gsub("%2e", ".", parts[-c(1, length(parts))], ignore.case = TRUE)
    kept <- character()
    for (i in seq_along(steps)) {
      if (steps[i] == "..") {
        kept <- kept[-length(kept)]
      } else if (steps[i] != ".") {
        kept <- c(kept, parts[i + 1L])
      }
    }
    is_open <- steps[length(steps)] %in% c(".", "..")
    paste0("/", paste(c(kept, if (is_open) ""), collapse = "/"))
  }, "")
  paths
}

# Bytes beyond ASCII, control signs and those of a set as %XX; what is encoded already stays.
encode_signs <- function(x, set) {
  plain <- sprintf("^[^\\x01-\\x20\\x7f-\\xff%s]*$", gsub("([]\\^-])", "\\\\\\1", paste(set,
    collapse = "")))
  odd <- which(!grepl(plain, x, perl = TRUE, useBytes = TRUE))
  if (!length(odd)) return(x)
  byte <- as.raw(1:255)
  shown <- rawToChar(byte, multiple = TRUE)
  away <- as.integer(byte) <= 32 | as.integer(byte) >= 127 | shown %in% set
  shown[away] <- sprintf("%%%02X", as.integer(byte)[away])
  x[odd] <- vapply(x[odd], function(one) {
    paste(shown[as.integer(charToRaw(enc2utf8(one)))], collapse = "")
  }, "", USE.NAMES = FALSE)
  x
}

# What is encoded as %XX as it reads; a sign that stands for no text stays as it is.
decode_percent <- function(x) {
  code <- gregexpr("(%[0-9A-Fa-f]{2})+", x)
  regmatches(x, code) <- lapply(regmatches(x, code), function(found) {
    vapply(found, function(one) {
      bytes <- as.raw(strtoi(substring(one, seq(2, nchar(one), 3), seq(3, nchar(one), 3)), 16L))
      if (any(bytes == 0)) return(one)
      text <- rawToChar(bytes)
      if (validUTF8(text)) text else one
    }, "")
  })
  Encoding(x) <- "UTF-8"
  x
}
