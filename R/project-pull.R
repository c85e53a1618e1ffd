# How a service is asked, as inktide.yml describes it: everything that differs from one service to
# another stands there, and nothing in the code knows any.

pull_defaults <- list(method = NULL, parameters = list(), headers = list(), body = NULL,
  format = "json", rows = "", paging = list(), token_env = NULL, oauth = NULL, from = NULL,
  unfinished = 3, per_minute = 60, cap = NULL, count = NULL, split = list(), by = NULL,
  names_a_call = 1, max_age = 30, budget = 1000)

# In: a description as a list. Out: a `tide_pull_spec`, checked, with what was left out filled in.
# refuse: a function of the name and what must be.
as_pull_spec <- function(given, name, refuse = abort_pull_spec) {
  if (inherits(given, "tide_pull_spec")) return(given)
  must <- function(ok, what, ...) if (!isTRUE(ok)) refuse(name, sprintf(what, ...))
  must(is.list(given) && !is.null(names(given)), "lines of 'name: value'")
  known <- c("url", "fields", names(pull_defaults))
  unknown <- setdiff(names(given), known)
  must(!length(unknown), "without '%s' (did you mean '%s'?)", unknown[1],
    if (length(unknown)) nearest_name(unknown[1], known))
  spec <- pull_defaults
  spec[names(given)] <- given
  check_pull_kinds(spec, must)
  secret <- !is.null(spec$token_env) || !is.null(spec$oauth)
  check_pull_address(spec$url, "url", secret, must)
  for (one in intersect(c("token_url", "auth_url"), names(spec$oauth))) {
    check_pull_address(spec$oauth[[one]], one, TRUE, must)
  }
  check_pull_fields(spec, must)
  check_pull_paging(spec$paging, must)
  check_pull_token(spec, must)
  must(spec$format %in% c("json", "csv"), "with `format` json or csv")
  for (column in c("unfinished", "per_minute", "cap", "names_a_call", "max_age", "budget")) {
    value <- spec[[column]]
    least <- if (column == "unfinished") 0 else 1
    must(is.null(value) || is.numeric(value) && length(value) == 1 && is.finite(value) &&
      value >= least,
      "with `%s` a number of at least %d", column, least)
  }
  if (is.null(spec$method)) spec$method <- if (is.null(spec$body)) "GET" else "POST"
  # What the service gives to whoever asks: tokens, which are never shown.
  structure(c(spec, list(name = name, given = new.env(parent = emptyenv()))),
    class = "tide_pull_spec")
}

# Lines that hold names and values, texts, or a list.
check_pull_kinds <- function(spec, must) {
  for (name in c("parameters", "headers", "paging", "oauth", "body")) {
    value <- spec[[name]]
    must(!length(value) || is.list(value) && !is.null(names(value)),
      "with `%s` as lines of 'name: value'", name)
  }
  for (name in c("token_env", "count", "rows", "format", "method", "by")) {
    must(is.null(spec[[name]]) || one_text(spec[[name]]), "with `%s` one text", name)
  }
  for (name in c("headers", "parameters")) {
    must(all(vapply(spec[[name]], function(value) length(value) > 0 && is.atomic(value), NA)),
      "with a value for each of `%s`", name)
  }
  must(is.list(spec$split) && is.null(names(spec$split)) &&
    all(vapply(spec$split, function(one) is.list(one) && length(one$values) > 0, NA)),
    "with `split` as a list of parts, each with `values`")
}

# A token goes over the wire only where nobody can read along, to a host that is plain to see.
check_pull_address <- function(address, name, secret, must) {
  must(one_text(address) && nzchar(web_origin(address)),
    "with a `%s` that begins with https:// and a host", name)
  own <- c("127.0.0.1", "localhost", "[::1]")
  must(!secret || startsWith(address, "https://") ||
    sub(":[0-9]+$", "", host_of(address)) %in% own,
    "with an https:// address where a token is sent")
}

check_pull_token <- function(spec, must) {
  oauth <- spec$oauth
  if (is.null(oauth)) return(invisible())
  must(isTRUE(oauth$grant %in% c("client", "device")), "with `grant` client or device in `oauth`")
  for (name in c("client", "token_url", if (oauth$grant == "device") "auth_url")) {
    must(one_text(oauth[[name]]), "with `%s` in `oauth`", name)
  }
  for (name in c("secret_env", "scope")) {
    must(is.null(oauth[[name]]) || one_text(oauth[[name]]), "with `%s` one text in `oauth`", name)
  }
}

# Rows need figures; facts need what they are about.
check_pull_fields <- function(spec, must) {
  must(is.list(spec$fields) && !is.null(names(spec$fields)) &&
    all(vapply(spec$fields, one_text, NA)),
    "with `fields`: where each column is in a row, such as {clicks: /clicks}")
  if (!is.null(spec$by)) {
    return(must(spec$by %in% c("query", "page"), "with `by` query or page"))
  }
  known <- c(dimension_names, figure_names)
  unknown <- setdiff(names(spec$fields), known)
  must(!length(unknown), "with `fields` among %s, not '%s'", paste(known, collapse = ", "),
    unknown[1])
  lacking <- setdiff(c("clicks", "impressions"), names(spec$fields))
  must(!length(lacking), "with a field for %s", lacking[1])
}

check_pull_paging <- function(paging, must) {
  if (is.null(paging$by)) return(must(!length(paging), "with `paging` by offset, link or field"))
  must(one_text(paging$by) && paging$by %in% c("offset", "link", "field"),
    "with `paging` by offset, link or field")
  must(paging$by != "offset" || is.numeric(paging$limit) && length(paging$limit) == 1 &&
    is.finite(paging$limit) && paging$limit >= 1,
    "with a `limit` of rows for paging by offset")
  must(paging$by != "field" || one_text(paging$at),
    "with `at`, where an answer says what comes next")
}

abort_pull_spec <- function(name, must) {
  abort_tide(sprintf("The description of the service must be %s.", must),
    where = sprintf("'%s'.", name), fix = "Correct it; the help page shows every line.",
    class = "settings")
}

# JSON Pointer (RFC 6901): the part of a value, or NULL.
json_at <- function(value, pointer) {
  if (!nzchar(pointer)) return(value)
  for (stride in strsplit(sub("^/", "", pointer), "/", fixed = TRUE)[[1]]) {
    stride <- gsub("~0", "~", gsub("~1", "/", stride, fixed = TRUE), fixed = TRUE)
    if (!is.list(value)) return(NULL)
    value <- if (is.null(names(value)) && grepl("^[0-9]+$", stride)) {
      place <- as.integer(stride) + 1L
      if (place <= length(value)) value[[place]]
    } else {
      value[[stride]]
    }
  }
  value
}

# Places such as {date} filled in, all through a template; one that is all of a text keeps its type.
fill_template <- function(template, values) {
  if (is.list(template)) return(lapply(template, fill_template, values))
  if (!is.character(template)) return(template)
  if (length(template) > 1) {
    return(vapply(template, function(one) as.character(fill_template(one, values)), "",
      USE.NAMES = FALSE))
  }
  for (name in names(values)) {
    place <- sprintf("{%s}", name)
    if (identical(template, place)) return(values[[name]])
    if (grepl(place, template, fixed = TRUE)) {
      template <- gsub(place, paste(values[[name]], collapse = ","), template, fixed = TRUE)
    }
  }
  template
}

has_place <- function(template, name) {
  any(grepl(sprintf("{%s}", name), unlist(template), fixed = TRUE))
}
