# A service that a person has to let in: the device grant of OAuth 2.0 (RFC 8628). What the person
# was given is kept in the user's own cache, for nobody else to read, and renewed by itself.

token_file <- function(spec) {
  client <- digest::digest(spec$oauth[c("client", "token_url", "scope")])
  file.path(tools::R_user_dir("inktide", "cache"), sprintf("token-%s.json", substr(client, 1, 16)))
}

# The token that is valid now: stored, renewed, or confirmed by a person.
confirmed_token <- function(spec) {
  file <- token_file(spec)
  kept <- if (file.exists(file)) tryCatch(jsonlite::fromJSON(file), error = function(e) NULL)
  if (!is.null(kept$token) && kept$until > as.numeric(Sys.time()) + 10) return(kept$token)
  given <- if (!is.null(kept$refresh)) {
    tryCatch(ask_for_token(spec, grant_type = "refresh_token", refresh_token = kept$refresh),
      error = function(e) NULL)
  }
  if (is.null(given$access_token)) given <- let_confirm(spec)
  keep_token(file, given, kept$refresh)
  given$access_token
}

keep_token <- function(file, given, refresh) {
  kept <- list(token = given$access_token, refresh = first_given(given$refresh_token, refresh),
    until = as.numeric(Sys.time()) + first_given(as.numeric(given$expires_in), 3600))
  # A folder that cannot be written to keeps none: the person is asked again.
  try({
    dir.create(dirname(file), recursive = TRUE, showWarnings = FALSE, mode = "0700")
    write_whole(file, function(path) {
      file.create(path)
      Sys.chmod(path, "0600")
      write_lines(jsonlite::toJSON(kept, auto_unbox = TRUE, digits = NA), path)
    })
    Sys.chmod(file, "0600")
  }, silent = TRUE)
}

# Whether there was one.
forget_token <- function(spec) {
  if (!identical(spec$oauth$grant, "device")) return(FALSE)
  file.exists(token_file(spec)) && unlink(token_file(spec)) == 0
}

# Says to a person where to confirm and with which code, and waits.
let_confirm <- function(spec) {
  if (is.null(spec$say)) {
    abort_tide("The service wants a person to confirm.", where = sprintf("%s.", spec$name),
      fix = "Pull once at a terminal; what is confirmed then is kept.", class = "pull")
  }
  oauth <- spec$oauth
  device <- ask_oauth(spec, oauth$auth_url, list(client_id = oauth$client, scope = oauth$scope))
  where <- first_given(device$verification_uri, device$verification_url)
  if (is.null(device$device_code) || is.null(where)) {
    abort_answer(spec, paste("POST", oauth$auth_url), "The service gave no code to confirm.",
      first_given(device$error, ""), "Check the client and `auth_url`.")
  }
  spec$say(sprintf("Open %s and confirm the code %s", where, device$user_code))
  wait <- first_given(device$interval, 5)
  until <- Sys.time() + first_given(device$expires_in, 600)
  while (Sys.time() < until) {
    Sys.sleep(wait)
    given <- ask_for_token(spec, grant_type = "urn:ietf:params:oauth:grant-type:device_code",
      device_code = device$device_code)
    if (!is.null(given$access_token)) return(given)
    if (identical(given$error, "slow_down")) wait <- wait + 5
    if (!given$error %in% c("authorization_pending", "slow_down")) break
  }
  abort_answer(spec, paste("POST", oauth$token_url), "Nobody confirmed in time.",
    first_given(given$error, ""), "Pull again, and confirm the new code.")
}

ask_for_token <- function(spec, ...) {
  secret <- spec$oauth$secret_env
  ask_oauth(spec, spec$oauth$token_url, list(..., client_id = spec$oauth$client,
    client_secret = if (!is.null(secret)) Sys.getenv(secret)))
}

# A form sent, an object of JSON back: errors of OAuth are such objects, too.
ask_oauth <- function(spec, url, fields) {
  fields <- Filter(function(value) !is.null(value) && nzchar(value), fields)
  request <- httr2::req_error(do.call(httr2::req_body_form, c(list(httr2::request(url)), fields)),
    is_error = function(answer) FALSE)
  answer <- tryCatch(httr2::resp_body_string(httr2::req_perform(httr2::req_timeout(request, 60))),
    error = function(e) {
      abort_answer(spec, paste("POST", url), "The service does not answer.", plain_cause(e),
        "Check the address and the connection.")
    })
  read <- tryCatch(jsonlite::fromJSON(answer), error = function(e) NULL)
  if (!is.list(read)) {
    abort_answer(spec, paste("POST", url), "The answer is no JSON.", answer,
      "Check the addresses of tokens and codes.")
  }
  read
}
