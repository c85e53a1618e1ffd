# robots.txt as RFC 9309 reads it: which addresses of a host may be asked for.

# In: the text and the name that groups are looked up by. Out: list(rules: data.table(allow, path),
# delay in seconds or 0, sitemaps). Rules of several groups for one name count together; without a
# group of its own, those of "*".
read_robots <- function(text, agent = "inktide") {
  lines <- strsplit(sub("^\ufeff", "", text), "\r\n|\r|\n")[[1]]
  lines <- sub("#.*$", "", lines)
  parts <- regmatches(lines, regexec("^\\s*([A-Za-z-]+)\\s*:\\s*(.*?)\\s*$", lines, perl = TRUE))
  parts <- parts[lengths(parts) == 3]
  field <- tolower(vapply(parts, `[[`, "", 2))
  value <- vapply(parts, `[[`, "", 3)
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
  list(rules = data.table(allow = field[paths] == "allow", path = octets(value[paths])),
    delay = max(0, delay, na.rm = TRUE), sitemaps = value[field == "sitemap"])
}

# Percent-encoding made one: signs that need none decoded, all others encoded in capitals.
octets <- function(paths) {
  vapply(paths, function(path) {
    bytes <- rawToChar(unlist(lapply(charToRaw(enc2utf8(path)), function(byte) {
      if (byte > as.raw(127)) charToRaw(sprintf("%%%02X", as.integer(byte))) else byte
    })))
    code <- gregexpr("%[0-9A-Fa-f]{2}", bytes)
    regmatches(bytes, code) <- lapply(regmatches(bytes, code), function(found) {
      sign <- vapply(found, function(one) {
        rawToChar(as.raw(max(1L, strtoi(substring(one, 2), 16L))))
      }, "")
      ifelse(grepl("^[A-Za-z0-9._~-]$", sign), sign, toupper(found))
    })
    bytes
  }, "", USE.NAMES = FALSE)
}

# Whether each path (with what follows a question mark) may be asked for: the longest rule that
# matches decides, of two as long the one that allows.
robots_allow <- function(rules, paths) {
  paths <- octets(paths)
  vapply(paths, function(path) {
    if (path == "/robots.txt") return(TRUE)
    hit <- vapply(rules$path, rule_matches, NA, path = path)
    if (!any(hit)) return(TRUE)
    longest <- nchar(rules$path) * hit
    any(rules$allow[longest == max(longest)])
  }, NA, USE.NAMES = FALSE)
}

# A star stands for anything, a dollar at the end for the end. Piece after piece from the left, so
# that no pattern takes long.
rule_matches <- function(rule, path) {
  ends <- endsWith(rule, "$")
  if (ends) rule <- substr(rule, 1, nchar(rule) - 1)
  pieces <- strsplit(paste0(rule, "*"), "*", fixed = TRUE)[[1]]
  if (!length(pieces)) pieces <- ""
  if (!startsWith(path, pieces[1])) return(FALSE)
  if (length(pieces) == 1) return(!ends || path == rule || endsWith(rule, "*"))
  rest <- substring(path, nchar(pieces[1]) + 1)
  last <- length(pieces)
  for (i in seq_len(last)[-1]) {
    if (i == last && ends && !endsWith(rule, "*")) return(endsWith(rest, pieces[i]))
    at <- regexpr(pieces[i], rest, fixed = TRUE)
    if (nzchar(pieces[i]) && at < 0) return(FALSE)
    rest <- substring(rest, max(at, 1) + nchar(pieces[i]))
  }
  TRUE
}
