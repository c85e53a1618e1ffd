# The token of a service: from the environment, by client credentials (RFC 6749, 4.4), or confirmed
# by a person (pull-device.R). What was given is known to `spec$given`, so that it is never shown.

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
  if (is.null(spec$oauth)) return(request)
  device <- identical(spec$oauth$grant, "device")
  httr2::req_auth_bearer_token(request, if (device) confirmed_token(spec) else client_token(spec))
}

# Given once, it serves until shortly before it ends.
client_token <- function(spec) {
  given <- spec$given
  if (is.null(given$access_token) || given$until < as.numeric(Sys.time()) + 10) {
    came <- ask_for_token(spec, grant_type = "client_credentials", scope = spec$oauth$scope)
    if (is.null(came$access_token)) {
      abort_answer(spec, paste("POST", spec$oauth$token_url), "The service gave no token.",
        first_given(came$error, ""), "Check the client, its secret and the address of tokens.")
    }
  }
  given$access_token
}

# Whether there was one that can be asked for anew.
forget_token <- function(spec) {
  had <- !is.null(spec$given$access_token)
  rm(list = ls(spec$given), envir = spec$given)
  if (!identical(spec$oauth$grant, "device")) return(had)
  path <- token_file(spec)
  file.exists(path) && unlink(path) == 0
}

ask_for_token <- function(spec, ...) {
  secret <- spec$oauth$secret_env
  ask_oauth(spec, spec$oauth$token_url, list(..., client_id = spec$oauth$client,
    client_secret = if (!is.null(secret)) Sys.getenv(secret)))
}

# A form sent, an object of JSON back: errors of OAuth are such objects, too. Out: its texts and
# numbers; all that is secret among them is known from then on.
ask_oauth <- function(spec, url, fields) {
  asked <- paste("POST", url)
  fields <- Filter(function(value) !is.null(value) && nzchar(value), fields)
  request <- do.call(httr2::req_body_form, c(list(httr2::request(url)), fields))
  request <- httr2::req_error(httr2::req_timeout(request, 60), is_error = function(answer) FALSE)
  answer <- performed(spec, asked, request)
  read <- parse_json(answer_text(spec, asked, answer))
  if (!is.list(read) || is.null(names(read))) {
    abort_answer(spec, asked, "The answer is no JSON.", answer_text(spec, asked, answer),
      "Check the addresses of tokens and codes.")
  }
  texts <- Filter(one_text, read)
  for (name in intersect(c("access_token", "refresh_token", "id_token", "device_code"),
    names(texts))) {
    assign(name, texts[[name]], envir = spec$given)
  }
  read <- c(texts, Filter(function(value) is.numeric(value) && length(value) == 1, read))
  if (!is.null(read$access_token)) {
    spec$given$until <- as.numeric(Sys.time()) + seconds_between(read$expires_in, 3600, 0, 1e9)
  }
  read
}

# A number of seconds that a service gives, kept within bounds.
seconds_between <- function(given, default, least, most) {
  seconds <- suppressWarnings(as.numeric(first_given(given, default)))
  if (length(seconds) != 1 || is.na(seconds)) seconds <- default
  min(most, max(least, seconds))
}
