# One call of a service: filled in, signed, asked again where that is safe, and read.

need_httr2 <- function() {
  if (!requireNamespace("httr2", quietly = TRUE)) {
    abort_tide("Asking a service needs the R package httr2, which is not installed.",
      where = "in the R library.", fix = "In R: install.packages(\"httr2\")", class = "pull")
  }
}

# Tries of one call, and the longest wait between two of them, in seconds.
pull_tries <- 6L
pull_wait <- 30

# The request without what is secret, for messages.
shown_request <- function(spec, values, url) {
  body <- if (!is.null(spec$body)) {
    jsonlite::toJSON(fill_template(spec$body, values), auto_unbox = TRUE, null = "null")
  }
  parameters <- fill_template(spec$parameters, values)
  query <- if (length(parameters)) {
    paste0("?", paste(names(parameters), unlist(lapply(parameters, paste, collapse = ",")),
      sep = "=", collapse = "&"))
  }
  hide_secrets(spec, paste0(spec$method, " ", url, query, if (!is.null(body)) paste0(" ", body)))
}

# Tokens that stand in an address or came back with an answer.
hide_secrets <- function(spec, text) {
  for (variable in c(spec$token_env, spec$oauth$secret_env)) {
    secret <- Sys.getenv(variable)
    if (nzchar(secret)) text <- gsub(secret, "***", text, fixed = TRUE)
  }
  text
}

abort_answer <- function(spec, asked, what, came, fix) {
  came <- substr(gsub("\\s+", " ", hide_secrets(spec, came)), 1, 200)
  abort_tide(what,
    where = sprintf("%s%s", asked, if (nzchar(came)) sprintf("; what came: %s", came) else ""),
    fix = fix, class = "pull", fault = "data")
}

# wait: times the usual waits between tries.
signed_request <- function(spec, values, url, wait = 1) {
  request <- httr2::request(fill_template(url, values))
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
  request <- httr2::req_retry(request, max_tries = pull_tries,
    is_transient = function(answer) httr2::resp_status(answer) %in% c(408, 429, 500, 502:504),
    backoff = function(try) wait * min(pull_wait, 2^try) * stats::runif(1, 0.5, 1),
    after = function(answer) waits_asked(answer))
  with_token(request, spec)
}

# Seconds that Retry-After asks for (RFC 9110): a number or a date; NA for none.
waits_asked <- function(answer) {
  asked <- httr2::resp_header(answer, "Retry-After")
  if (is.null(asked)) return(NA)
  if (grepl("^[0-9]+$", asked)) return(as.numeric(asked))
  until <- curl::parse_date(asked)
  if (is.na(until)) NA else max(0, as.numeric(until) - as.numeric(Sys.time()))
}

with_token <- function(request, spec) {
  if (!is.null(spec$token_env)) {
    token <- Sys.getenv(spec$token_env)
    if (!nzchar(token)) {
      abort_tide("The token of the service is not set.",
        where = sprintf("environment variable %s.", spec$token_env),
        fix = sprintf("Set it in the shell: export %s=...", spec$token_env), class = "pull",
        fault = "call")
    }
    return(httr2::req_auth_bearer_token(request, token))
  }
  oauth <- spec$oauth
  if (is.null(oauth)) return(request)
  if (identical(oauth$grant, "device")) {
    return(httr2::req_auth_bearer_token(request, confirmed_token(spec)))
  }
  secret <- if (!is.null(oauth$secret_env)) Sys.getenv(oauth$secret_env)
  client <- httr2::oauth_client(oauth$client, oauth$token_url,
    secret = if (!is.null(secret) && nzchar(secret)) secret, name = spec$name)
  httr2::req_oauth_client_credentials(request, client, scope = oauth$scope)
}

# In: what to fill in, an address (of the description, or the next one that an answer named). Out:
# list(rows: a data.table, count, link, next_value).
ask_service <- function(spec, values, url = spec$url, wait = 1) {
  asked <- shown_request(spec, values, url)
  for (try in 1:3) {
    answer <- tryCatch(httr2::req_perform(signed_request(spec, values, url, wait)),
      tide_error = function(e) stop(e), httr2_oauth = function(e) {
        abort_answer(spec, asked, "The service gave no token.", conditionMessage(e),
          "Check the client, its secret and the address of tokens.")
      },
      error = function(e) {
        abort_answer(spec, asked, "The service does not answer.", plain_cause(e),
          "Check the address and the connection; what was stored stays, and the next pull goes on.")
      })
    text <- httr2::resp_body_string(answer)
    # What was confirmed once may have been taken back: it is asked for once more.
    if (httr2::resp_status(answer) == 401 && try == 1 && forget_token(spec)) next
    check_status(spec, asked, answer, text)
    read <- read_answer(spec, asked, text, last = try == 3)
    # An answer that was cut off is asked for again.
    if (!is.null(read)) break
  }
  read$link <- next_link(answer)
  read
}

check_status <- function(spec, asked, answer, text) {
  status <- httr2::resp_status(answer)
  if (status < 300) return(invisible())
  refused <- status %in% c(401, 403)
  abort_answer(spec, asked, if (refused) {
    sprintf("The service refuses the token (%d).", status)
  } else {
    sprintf("The service answers %d.", status)
  },
    text, if (refused) {
      "Renew the token, and check what it may read."
    } else if (status == 429 || status >= 500) {
      "Try later, or ask less often: per_minute. What was stored stays."
    } else {
      "Check address, parameters and body against what the service documents."
    })
}

# The address of a Link header with rel=next (RFC 8288).
next_link <- function(answer) {
  headers <- httr2::resp_headers(answer)
  links <- as.character(unlist(headers[tolower(names(headers)) == "link"]))
  links <- unlist(strsplit(links, ",(?=\\s*<)", perl = TRUE))
  found <- grep("rel=\"?next\"?", links, value = TRUE)
  if (length(found)) sub("^\\s*<([^>]*)>.*$", "\\1", found[1])
}

# NULL where the text is cut off and may be asked for again.
read_answer <- function(spec, asked, text, last) {
  if (grepl("^\\s*<(!doctype|html)", text, ignore.case = TRUE)) {
    abort_answer(spec, asked, sprintf("A page came, not %s.", toupper(spec$format)), text,
      "Check the address: this is what a browser would show, such as a page to sign in.")
  }
  if (spec$format == "csv") {
    table <- tryCatch(fread(text = text, colClasses = "character", header = TRUE, na.strings = ""),
      error = function(e) NULL, warning = function(w) NULL)
    if (is.null(table) && nzchar(trimws(text))) {
      if (!last) return(NULL)
      abort_answer(spec, asked, "The answer is no CSV.", text, "Check `format`.")
    }
    return(list(rows = csv_rows(spec, asked, table)))
  }
  value <- tryCatch(jsonlite::fromJSON(text, simplifyVector = FALSE), error = function(e) NULL)
  if (is.null(value)) {
    if (!last) return(NULL)
    abort_answer(spec, asked, "The answer is no JSON.", text, "Check the address and `format`.")
  }
  rows <- json_at(value, spec$rows)
  # A day without rows has no list of them on some services; one without any is a wrong pointer.
  if (is.null(rows) && isTRUE(spec$seen)) rows <- list()
  if (is.null(rows) || !is.list(rows) || !is.null(names(rows))) {
    abort_answer(spec, asked, sprintf("No list of rows at '%s'.", spec$rows), text,
      "Point `rows` to the list, as in /rows (JSON Pointer).")
  }
  list(rows = json_rows(spec, asked, rows),
    count = if (!is.null(spec$count)) json_at(value, spec$count),
    next_value = if (identical(spec$paging$by, "field")) json_at(value, spec$paging$at))
}

csv_rows <- function(spec, asked, table) {
  if (is.null(table)) return(data.table())
  missing <- setdiff(unlist(spec$fields), names(table))
  if (length(missing)) abort_field(spec, asked, missing[1], paste(names(table), collapse = ", "))
  out <- table[, unlist(spec$fields), with = FALSE]
  setnames(out, names(spec$fields))
  typed_rows(out)
}

json_rows <- function(spec, asked, rows) {
  if (!length(rows)) return(data.table())
  columns <- lapply(spec$fields, function(pointer) {
    values <- lapply(rows, json_at, pointer)
    known <- lengths(values) == 1
    # Facts may be unknown of a name; a figure that is nowhere is a wrong pointer.
    if (!any(known) || (is.null(spec$by) && !all(known))) {
      abort_field(spec, asked, pointer,
        jsonlite::toJSON(rows[[which(!known)[1]]], auto_unbox = TRUE))
    }
    text <- rep(NA_character_, length(values))
    text[known] <- vapply(values[known], function(one) {
      if (is.numeric(one)) format(one, digits = 15, scientific = FALSE) else as.character(one)
    }, "")
    text
  })
  typed_rows(setDT(columns))
}

typed_rows <- function(rows) {
  for (column in intersect(figure_names, names(rows))) {
    set(rows, j = column, value = suppressWarnings(as.numeric(rows[[column]])))
  }
  rows[]
}

abort_field <- function(spec, asked, field, came) {
  abort_answer(spec, asked, sprintf("A row has no '%s'.", field), came,
    "Correct `fields`: for each column where it is in a row.")
}
