# One request over HTTP, and what came of it. What is sent along is the same for every host, and no
# secret is among it.

# In: an address. Out: list(status: NA where nothing answered, location, etag, modified, type,
# robots, encoding, wait: seconds of Retry-After, body, problem: "" or why there is no answer).
ask_page <- function(address, agent, timeout, known = NULL, largest = largest_page) {
  handle <- curl::new_handle(followlocation = FALSE, timeout_ms = round(1000 * timeout),
    connecttimeout_ms = round(1000 * timeout), useragent = agent, maxfilesize_large = largest)
  # The bytes stay packed as they come: what they unpack to is counted here, piece by piece.
  curl::handle_setopt(handle, .list = list(accept_encoding = NULL))
  fresh <- c(`If-None-Match` = known$etag, `If-Modified-Since` = known$modified)
  fresh <- fresh[!is.na(fresh) & nzchar(fresh)]
  curl::handle_setheaders(handle,
    .list = c(list(Accept = "text/html, application/xhtml+xml, */*", `Accept-Encoding` = "gzip"),
      as.list(fresh)))
  text_body <- tryCatch(fetched(address, handle, largest),
    error = function(e) list(problem = connection_problem(conditionMessage(e), largest)))
  if (is.list(text_body)) return(no_answer(text_body$problem))
  answer <- curl::handle_data(handle)
  heads <- curl::parse_headers_list(answer$headers)
  header_of <- function(name) {
    found <- unlist(heads[names(heads) == name], use.names = FALSE)
    if (length(found)) as_utf8(found[1]) else ""
  }
  text_body <- unpacked(text_body, tolower(header_of("content-encoding")), largest)
  if (is.character(text_body)) return(no_answer(text_body))
  type <- tolower(header_of("content-type"))
  list(
    status = answer$status_code,
    location = header_of("location"),
    etag = header_of("etag"),
    modified = header_of("last-modified"),
    type = trimws(sub(";.*$", "", type)),
    robots = tolower(header_of("x-robots-tag")),
    encoding = if (grepl("charset=", type)) {
      gsub("[\"' ]", "", sub("^.*charset=([^;]+).*$", "\\1", type))
    } else {
      ""
    },
    wait = retry_after(header_of("retry-after")),
    body = text_body,
    problem = "")
}

no_answer <- function(problem) {
  list(status = NA_integer_, location = "", problem = problem, body = raw())
}

# The bytes of an answer, piece by piece, up to a size.
fetched <- function(address, handle, most) {
  con <- curl::curl(address, handle = handle)
  on.exit(close(con))
  # f: whatever the status.
  open(con, "rbf")
  read_pieces(con, most)
}

read_pieces <- function(con, most) {
  pieces <- list()
  size <- 0
  repeat {
    piece <- readBin(con, "raw", 2^16)
    if (!length(piece)) break
    size <- size + length(piece)
    if (size > most) stop("too large")
    pieces[[length(pieces) + 1L]] <- piece
  }
  if (length(pieces)) unlist(pieces) else raw()
}

# What packed bytes hold, or why they cannot be read.
unpacked <- function(bytes, encoding, most) {
  if (!length(bytes) || encoding %in% c("", "identity")) return(bytes)
  if (!encoding %in% c("gzip", "x-gzip")) return("packed in a way that was not asked for")
  tryCatch(unpack_gzip(bytes, most),
    error = function(e) connection_problem(conditionMessage(e), most))
}

unpack_gzip <- function(bytes, most) {
  con <- gzcon(rawConnection(bytes))
  on.exit(close(con))
  read_pieces(con, most)
}

# What went wrong, in the words of whoever reads the list.
connection_problem <- function(message, most) {
  known <- c("SSL|certificate|TLS", "resolve", "time[d]?[ -]?out", "filesize|file size|too large",
    "malformed|URL using bad|bad/illegal|Unsupported protocol")
  names(known) <- c("certificate fails", "name of the host is not known", "no answer in time",
    sprintf("larger than %.0f MB", most / 2^20), "address that cannot be asked for")
  hit <- names(known)[vapply(known, grepl, NA, x = message, ignore.case = TRUE)]
  if (length(hit)) hit[1] else "no connection"
}

# Seconds, or the day and time until when; NA where neither is given.
retry_after <- function(text, now = Sys.time()) {
  if (!nzchar(text)) return(NA_real_)
  if (grepl("^[0-9]+$", text)) return(as.numeric(text))
  until <- suppressWarnings(curl::parse_date(text))
  if (is.na(until)) NA_real_ else max(0, as.numeric(difftime(until, now, units = "secs")))
}
