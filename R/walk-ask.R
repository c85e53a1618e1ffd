# One request over HTTP, and what may be asked for at all: one host, nothing else.

# In: an address. Out: list(status: NA where nothing answered, location, etag, modified, type,
# robots, encoding, wait: seconds of Retry-After, body, problem: "" or why there is no answer).
ask_page <- function(address, agent, timeout, known = NULL, largest = largest_page) {
  handle <- curl::new_handle(followlocation = FALSE, timeout_ms = round(1000 * timeout),
    connecttimeout_ms = round(1000 * timeout), useragent = agent, accept_encoding = "gzip, deflate",
    maxfilesize_large = largest)
  fresh <- c(`If-None-Match` = known$etag, `If-Modified-Since` = known$modified)
  fresh <- fresh[!is.na(fresh) & nzchar(fresh)]
  curl::handle_setheaders(handle,
    .list = c(list(Accept = "text/html, application/xhtml+xml, */*"), as.list(fresh)))
  body <- tryCatch(fetched(address, handle, largest),
    error = function(e) list(problem = connection_problem(conditionMessage(e))))
  if (is.list(body)) return(list(status = NA_integer_, problem = body$problem, body = raw()))
  answer <- curl::handle_data(handle)
  heads <- curl::parse_headers_list(answer$headers)
  of <- function(name) {
    found <- unlist(heads[names(heads) == name], use.names = FALSE)
    if (length(found)) found[1] else ""
  }
  type <- tolower(of("content-type"))
  list(
    status = answer$status_code,
    location = of("location"),
    etag = of("etag"),
    modified = of("last-modified"),
    type = trimws(sub(";.*$", "", type)),
    robots = tolower(of("x-robots-tag")),
    encoding = if (grepl("charset=", type)) {
      gsub("[\"' ]", "", sub("^.*charset=([^;]+).*$", "\\1", type))
    } else {
      ""
    },
    wait = retry_after(of("retry-after")),
    body = body,
    problem = "")
}

# The bytes of an answer, piece by piece, up to a size.
fetched <- function(address, handle, most) {
  con <- curl::curl(address, handle = handle)
  on.exit(close(con))
  # f: whatever the status.
  open(con, "rbf")
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

# What went wrong, in the words of whoever reads the list.
connection_problem <- function(message) {
  known <- c(`certificate fails` = "SSL|certificate|TLS",
    `name of the host is not known` = "resolve", `no answer in time` = "time[d]?[ -]?out",
    `larger than 10 MB` = "filesize|file size|too large")
  hit <- names(known)[vapply(known, grepl, NA, x = message, ignore.case = TRUE)]
  if (length(hit)) hit[1] else "no connection"
}

# Seconds, or the day and time until when; NA where neither is given.
retry_after <- function(text, now = Sys.time()) {
  if (!nzchar(text)) return(NA_real_)
  if (grepl("^[0-9]+$", text)) return(as.numeric(text))
  until <- curl::parse_date(text)
  if (is.na(until)) NA_real_ else max(0, as.numeric(difftime(until, now, units = "secs")))
}
