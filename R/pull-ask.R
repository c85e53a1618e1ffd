# One call of a service: filled in, signed, asked again where that is safe.

need_httr2 <- function() {
  if (!requireNamespace("httr2", quietly = TRUE)) {
    abort_tide("Asking a service needs the R package httr2, which is not installed.",
      where = "in the R library.", fix = "In R: install.packages(\"httr2\")", class = "pull")
  }
}

# Tries of one call, and the longest wait between two of them, in seconds: what we wait without
# being asked, and what a service may ask for before the pull ends and says when to come back.
pull_tries <- 6L
pull_wait <- 30
pull_wait_asked <- 300
# A redirect within the service leads on at most so often.
pull_redirects <- 5L

# The request without what is secret, for messages.
shown_request <- function(spec, values, url) {
  sent <- if (!is.null(spec$body)) {
    jsonlite::toJSON(fill_template(spec$body, values), auto_unbox = TRUE, null = "null")
  }
  parameters <- fill_template(spec$parameters, values)
  query <- if (length(parameters)) {
    paste0("?", paste(names(parameters), unlist(lapply(parameters, paste, collapse = ",")),
      sep = "=", collapse = "&"))
  }
  hide_secrets(spec, paste0(spec$method, " ", url, query, if (!is.null(sent)) paste0(" ", sent)))
}

abort_answer <- function(spec, asked, what, came, fix) {
  came <- substr(gsub("\\s+", " ", hide_secrets(spec, as_utf8(came))), 1, 200)
  abort_tide(what,
    where = sprintf("%s%s", hide_secrets(spec, asked),
      if (nzchar(came)) sprintf("; what came: %s", came) else ""),
    fix = fix, class = "pull", fault = "data")
}

# wait: times the usual waits between tries.
signed_request <- function(spec, values, url, wait = 1) {
  # A next page stands as the service gave it.
  if (identical(url, spec$url)) url <- fill_template(url, lapply(values, url_value))
  request <- httr2::request(url)
  request <- httr2::req_method(request, spec$method)
  parameters <- fill_template(spec$parameters, values)
  if (length(parameters)) request <- do.call(httr2::req_url_query, c(list(request), parameters))
  if (!is.null(spec$body)) {
    request <- httr2::req_body_json(request, fill_template(spec$body, values), auto_unbox = TRUE)
  }
  if (length(spec$headers)) {
    request <- do.call(httr2::req_headers, c(list(request), fill_template(spec$headers, values)))
  }
  request <- httr2::req_user_agent(request, "inktide")
  request <- httr2::req_timeout(request, 120)
  request <- httr2::req_error(request, is_error = function(answer) FALSE)
  request <- httr2::req_throttle(request, spec$per_minute / 60, realm = spec$name)
  waits <- function(seconds) {
    if (seconds >= 5 && !is.null(spec$say)) {
      spec$say(sprintf("The service is busy: asking again in %s",
        format_plural(ceiling(seconds), "second")))
    }
    seconds
  }
  retry <- list(request, max_tries = pull_tries, is_transient = asked_again,
    backoff = function(try) waits(wait * min(pull_wait, 2^try) * stats::runif(1, 0.5, 1)),
    after = function(answer) {
      asked <- waits_asked(answer)
      if (is.na(asked)) NA else waits(asked)
    })
  # Newer versions ask again after a cut connection only where they are told to.
  if ("retry_on_failure" %in% names(formals(httr2::req_retry))) retry$retry_on_failure <- TRUE
  with_token(do.call(httr2::req_retry, retry), spec)
}

# A value within an address.
url_value <- function(value) {
  vapply(as.character(unlist(value)), utils::URLencode, "", reserved = TRUE, USE.NAMES = FALSE)
}

asked_again <- function(answer) {
  httr2::resp_status(answer) %in% c(408, 429, 500, 502:504) &&
    !isTRUE(waits_asked(answer) > pull_wait_asked)
}

# Seconds that Retry-After asks for (RFC 9110); NA for none.
waits_asked <- function(answer) retry_after(first_given(httr2::resp_header(answer, "Retry-After"),
  ""))

# The answer of a request. A redirect is followed within the same scheme, host and port alone: what
# is sent along is meant for those, and for no other.
performed <- function(spec, asked, request) {
  request <- httr2::req_options(request, followlocation = 0L)
  for (hop in 0:pull_redirects) {
    answer <- tryCatch(httr2::req_perform(request), tide_error = stop, error = function(e) {
      abort_answer(spec, asked, "The service does not answer.", plain_cause(e),
        "Check the address and the connection; what was stored stays, and the next pull goes on.")
    })
    to <- redirected_to(answer, request$url)
    if (is.null(to)) return(answer)
    if (web_origin(to) != web_origin(request$url)) {
      abort_answer(spec, asked, "The service redirects to another host.", to,
        "Nothing was sent there. If it is the service's own, describe that address.")
    }
    request <- httr2::req_url(request, to)
    # "See other" asks for another thing, without what was sent (RFC 9110, 15.4.4).
    if (httr2::resp_status(answer) == 303) {
      request$body <- NULL
      request <- httr2::req_method(request, "GET")
    }
  }
  abort_answer(spec, asked, "The service redirects without end.", to, "Check the address.")
}

redirected_to <- function(answer, url) {
  to <- httr2::resp_header(answer, "Location")
  if (!httr2::resp_status(answer) %in% c(301, 302, 303, 307, 308) || is.null(to)) return(NULL)
  absolute_urls(to, url)
}

# In: what to fill in, an address (of the description, or the next one that an answer named). Out:
# list(rows: a data.table, count, link, next_value).
ask_service <- function(spec, values, url = spec$url, wait = 1) {
  asked <- shown_request(spec, values, url)
  for (attempt in 1:3) {
    answer <- performed(spec, asked, signed_request(spec, values, url, wait))
    # What was given once may have been taken back: it is asked for once more.
    if (httr2::resp_status(answer) == 401 && attempt == 1 && forget_token(spec)) next
    check_status(spec, asked, answer)
    read <- read_answer(spec, asked, answer, last = attempt == 3)
    # An answer that was cut off is asked for again.
    if (!is.null(read)) break
  }
  read$link <- next_link(answer)
  read
}

check_status <- function(spec, asked, answer) {
  status <- httr2::resp_status(answer)
  if (status < 300) return(invisible())
  later <- waits_asked(answer)
  if (status %in% c(429, 503) && isTRUE(later > pull_wait_asked)) {
    abort_answer(spec, asked, sprintf("The service asks to come back in %s (%d).",
      format_wait(later), status), "", "Pull again then; what was stored stays.")
  }
  refused <- status %in% c(401, 403)
  abort_answer(spec, asked, if (refused) {
    sprintf("The service refuses the token (%d).", status)
  } else {
    sprintf("The service answers %d.", status)
  },
    answer_text(spec, asked, answer), if (refused) {
      "Renew the token, and check what it may read."
    } else if (status == 429 || status >= 500) {
      "Try later, or ask less often: per_minute. What was stored stays."
    } else {
      "Check address, parameters and body against what the service documents."
    })
}

format_wait <- function(seconds) {
  if (seconds < 120) return(format_plural(ceiling(seconds), "second"))
  if (seconds < 7200) return(format_plural(ceiling(seconds / 60), "minute"))
  format_plural(ceiling(seconds / 3600), "hour")
}

# The address of a Link header with rel=next (RFC 8288).
next_link <- function(answer) {
  headers <- httr2::resp_headers(answer)
  links <- as.character(unlist(headers[tolower(names(headers)) == "link"]))
  links <- unlist(strsplit(links, ",(?=\\s*<)", perl = TRUE))
  found <- grep("rel=\"?next\"?", links, value = TRUE)
  if (length(found)) sub("^\\s*<([^>]*)>.*$", "\\1", found[1])
}
