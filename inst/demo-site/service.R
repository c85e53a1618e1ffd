# The rows of the demo site as a service that can be asked for them.

serve_rows <- function(rows, port, cap, faults, today, token_calls) {
  check_number(port, "port", min = 1, max = 65535)
  check_number(cap, "cap", min = 1)
  check_number(token_calls, "token_calls", min = 1)
  check_flag(faults, "faults")
  rows <- as.data.table(rows)
  missing <- setdiff(c("date", "query", "page", "device", figure_names), names(rows))
  if (length(missing)) abort_argument("rows", paste("with a column", missing[1]), names(rows))
  service <- new.env(parent = emptyenv())
  service$rows <- split(rows, format(as.IDate(rows$date)))
  service$calls <- 0L
  service$tokens <- c(`demo-token` = Inf)
  list2env(
    list(cap = cap, today = check_date(today, "today"), token_calls = token_calls, faults = faults),
    service)
  httpuv::startServer("127.0.0.1", as.integer(port),
    list(call = function(request) service_answer(service, request)))
}

service_answer <- function(service, request) {
  service$calls <- service$calls + 1L
  turn <- if (service$faults) service$calls %% 10L else 0L
  if (turn == 3L) return(served("Slow down", 429L, list(`Retry-After` = "0")))
  if (turn == 6L) return(served("Broken", 500L))
  path <- request$PATH_INFO
  if (path == "/sign-in") return(served("<!doctype html><html><body>Sign in</body></html>"))
  body <- rawToChar(request$rook.input$read())
  if (path == "/token") return(service_token(service, body))
  if (path == "/device") {
    return(served_json(list(device_code = "demo-device", user_code = "SEED-2026",
      verification_uri = "https://www.fernmoor.example/device", expires_in = 60, interval = 0)))
  }
  if (!token_holds(service, request)) {
    return(served("{\"error\": \"invalid_token\"}", 401L,
      list(`WWW-Authenticate` = "Bearer error=\"invalid_token\""), "application/json"))
  }
  asked <- first_given(parse_json(body, simplify = TRUE), list())
  answer <- switch(
    path,
    `/rows` = service_rows(service, asked),
    `/rows.csv` = service_csv(service, request),
    `/volumes` = served_json(list(rows = lapply(asked$names, function(name) {
      list(query = name, volume = 10 * nchar(name))
    }))),
    served("Not found", 404L))
  # Cut off in the middle.
  if (turn == 9L) answer$body <- substr(answer$body, 1, nchar(answer$body) %/% 2)
  answer
}

served_json <- function(value) {
  served(jsonlite::toJSON(value, auto_unbox = TRUE, digits = NA), type = "application/json")
}

service_token <- function(service, body) {
  device <- grepl("device_code=demo-device", body, fixed = TRUE)
  if (device) service$device_asked <- first_given(service$device_asked, 0L) + 1L
  if (device && service$device_asked == 1L) {
    return(served("{\"error\": \"authorization_pending\"}", 400L, type = "application/json"))
  }
  known <- device || grepl("refresh_token=demo-refresh", body, fixed = TRUE) ||
    grepl("grant_type=client_credentials", body, fixed = TRUE)
  if (!known) {
    return(served("{\"error\": \"unsupported_grant_type\"}", 400L, type = "application/json"))
  }
  token <- sprintf("token-%d", service$calls)
  service$tokens[[token]] <- service$token_calls
  served_json(list(access_token = token, token_type = "Bearer", expires_in = 3600))
}

token_holds <- function(service, request) {
  token <- sub("^Bearer ", "", first_given(request$HTTP_AUTHORIZATION, ""))
  left <- service$tokens[token]
  if (is.na(left) || left < 1) return(FALSE)
  service$tokens[[token]] <- left - 1
  TRUE
}

# Rows of a day; the newest two days have not all of their clicks yet.
service_day <- function(service, day, device = NULL) {
  rows <- service$rows[[first_given(day, "")]]
  if (is.null(rows) || as.IDate(day) >= service$today) return(NULL)
  if (!is.null(device)) rows <- rows[rows$device == device]
  if (as.IDate(day) >= service$today - 2L) rows <- copy(rows)[, "clicks" := clicks %/% 2L]
  sums <- sums_by(data.table(rows[, c("query", "page", "clicks", "impressions"), with = FALSE],
    weighted = rows$position * rows$impressions),
    c("query", "page"), c("clicks", "impressions", "weighted"))
  set(sums, j = "position", value = sums$weighted / sums$impressions)
  setorderv(sums, c("clicks", "impressions", "query"), c(-1L, -1L, 1L))
}

service_rows <- function(service, asked) {
  rows <- service_day(service, asked$day, asked$device)
  total <- NROW(rows)
  from <- first_given(asked$offset, 0L)
  many <- min(1000L, first_given(asked$limit, 1000L), service$cap - from)
  own <- if (total && many > 0) rows[seq_len(total) > from & seq_len(total) <= from + many]
  pages <- !"query" %in% asked$dimensions || "page" %in% asked$dimensions
  served_json(list(total = total, rows = lapply(seq_len(NROW(own)), function(i) {
    list(keys = if (pages) list(own$query[i], own$page[i]) else list(own$query[i]),
      clicks = own$clicks[i], impressions = own$impressions[i], position = own$position[i])
  })))
}

service_csv <- function(service, request) {
  query <- strsplit(sub("^[?]", "", request$QUERY_STRING), "&", fixed = TRUE)[[1]]
  asked <-
    lapply(stats::setNames(sub("^[^=]*=", "", query), sub("=.*$", "", query)), utils::URLdecode)
  number <- as.integer(first_given(asked$page, "1"))
  rows <- service_day(service, asked$day)
  if (is.null(rows)) return(served("query,page,clicks,impressions,position\n", type = "text/csv"))
  own <- rows[(seq_len(nrow(rows)) - 1L) %/% 500L + 1L == number]
  lines <- utils::capture.output(fwrite(own[, c("query", "page", figure_names), with = FALSE]))
  more <- nrow(rows) > number * 500L
  served(paste0(paste(lines, collapse = "\n"), "\n"), type = "text/csv",
    headers = if (more) {
      list(Link = sprintf("</rows.csv?day=%s&page=%d>; rel=\"next\"", asked$day, number + 1L))
    } else {
      list()
    })
}
