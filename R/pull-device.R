# A service that a person has to let in: the device grant of OAuth 2.0 (RFC 8628). What the person
# was given is kept in the user's own cache, for nobody else to read, and renewed by itself.

token_file <- function(spec) {
  client <- digest::digest(spec$oauth[c("client", "token_url", "scope")])
  file.path(tools::R_user_dir("inktide", "cache"), sprintf("token-%s.json", substr(client, 1, 16)))
}

# The token that is valid now: stored, renewed, or confirmed by a person.
confirmed_token <- function(spec) {
  path <- token_file(spec)
  kept <- if (file.exists(path)) parse_json(file_text(path))
  if (is.list(kept)) {
    for (name in c("token", "refresh")) {
      if (one_text(kept[[name]])) assign(name, kept[[name]], envir = spec$given)
    }
    if (one_text(kept$token) && is.numeric(kept$until) &&
      kept$until > as.numeric(Sys.time()) + 10) {
      return(kept$token)
    }
  }
  given <- if (is.list(kept) && one_text(kept$refresh)) {
    tryCatch(ask_for_token(spec, grant_type = "refresh_token", refresh_token = kept$refresh),
      tide_error_pull = function(e) NULL)
  }
  if (is.null(given$access_token)) given <- let_confirm(spec)
  keep_token(path, given, if (is.list(kept)) kept$refresh)
  given$access_token
}

keep_token <- function(file, given, refresh) {
  kept <- list(token = given$access_token, refresh = first_given(given$refresh_token, refresh),
    until = as.numeric(Sys.time()) + seconds_between(given$expires_in, 3600, 0, 1e9))
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

# Says to a person where to confirm and with which code, and waits.
let_confirm <- function(spec) {
  if (is.null(spec$say)) {
    abort_tide("The service wants a person to confirm.", where = sprintf("%s.", spec$name),
      fix = "Pull once at a terminal; what is confirmed then is kept.", class = "pull")
  }
  oauth <- spec$oauth
  device <- ask_oauth(spec, oauth$auth_url, list(client_id = oauth$client, scope = oauth$scope))
  where <- first_given(device$verification_uri, device$verification_url)
  if (is.null(device$device_code) || is.null(device$user_code) || !one_text(where) ||
    !nzchar(web_origin(where))) {
    abort_answer(spec, paste("POST", oauth$auth_url), "The service gave no code to confirm.",
      first_given(device$error, ""), "Check the client and `auth_url`.")
  }
  spec$say(hide_secrets(spec, visible_text(sprintf("Open %s and confirm the code %s", where,
    device$user_code))))
  wait <- seconds_between(device$interval, 5, 0, 60)
  until <- Sys.time() + seconds_between(device$expires_in, 600, 1, 1800)
  while (Sys.time() < until) {
    Sys.sleep(wait)
    given <- ask_for_token(spec, grant_type = "urn:ietf:params:oauth:grant-type:device_code",
      device_code = device$device_code)
    if (!is.null(given$access_token)) return(given)
    if (identical(given$error, "slow_down")) wait <- wait + 5
    if (!first_given(given$error, "") %in% c("authorization_pending", "slow_down")) break
  }
  abort_answer(spec, paste("POST", oauth$token_url), "Nobody confirmed in time.",
    first_given(given$error, ""), "Pull again, and confirm the new code.")
}
