#' Rows from a service, day by day
#'
#' Asks any HTTP service that returns rows as JSON or CSV, for the days that the archive lacks, and
#' stores them. How the service is asked is described in `inktide.yml`, under `pull`.
#'
#' @details A description:
#'
#' ```yaml
#' pull:
#'   daily:
#'     url: https://service.example/rows
#'     method: POST                       # GET where there is no body
#'     headers: {Accept: application/json}
#'     parameters: {site: fernmoor}       # of the address
#'     body:                              # sent as JSON; {date}, {limit}, {offset} are filled in
#'       day: "{date}"
#'       dimensions: [query, page]
#'       limit: "{limit}"
#'       offset: "{offset}"
#'     format: json                       # or csv, whose fields are headers
#'     rows: /rows                        # where the list of rows is (JSON Pointer, RFC 6901)
#'     fields: {query: /keys/0, page: /keys/1, clicks: /clicks, impressions: /impressions,
#'       position: /position}
#'     paging: {by: offset, limit: 25000} # or {by: link} (RFC 8288), {by: field, at: /next}: {next}
#'     count: /total                      # where an answer says how many rows there are
#'     cap: 50000                         # rows of a day that the service gives at most
#'     split:                             # asked one by one where a day is above the cap
#'       - {body: {device: "{value}"}, values: [mobile, desktop, tablet]}
#'     token_env: FERNMOOR_TOKEN          # bearer token, from the environment
#'     from: 2025-07-01                   # first day
#'     unfinished: 3                      # newest days that may still change
#'     per_minute: 60                     # calls
#' ```
#'
#'   In place of `token_env`, `oauth: {grant: client, client: ID, secret_env: NAME, token_url: URL,
#'   scope: TEXT}` takes a token by client credentials (RFC 6749), `grant: device` with an
#'   `auth_url` lets a person confirm (RFC 8628); what that person was given is kept in
#'   the user's own cache, for nobody else to read. No secret stands in `inktide.yml`, and none is
#'   shown.
#'
#'   Each day is stored when it is whole, so a pull that ends early goes on where it was. A row
#'   that comes again, on the same page or the next, replaces the one before; rows that differ in a
#'   text that no field holds are parts of one, and are summed. The newest days are left for next
#'   time until they are final. Calls that fail for the moment (429, 5xx, a cut connection) are
#'   asked again up to six times, after `Retry-After` (of up to five minutes; a longer one ends the
#'   pull, with a message) or with growing waits. Where a day is above the cap, it is asked for in
#'   the parts of `split` and summed; where parts are above it, too, that is said. Redirects are
#'   followed within the scheme, host and port of the service alone.
#' @param store A `tide_store` object.
#' @param pull A description as a list, or the name of one in the project's settings.
#' @param from,to First and last day; `NULL` for `from` of the description (else the last 16 months)
#'   and the last final day.
#' @param today The day it is.
#' @param progress `NULL`, or a function that is called with a text now and then.
#' @param wait Times the usual waits between tries.
#' @return A tibble, a row a day that was asked for: `day`, `rows`, `clicks`, `calls`, `repeats`
#'   (rows that came again), `state` (`stored`, `no rows`, `above the cap`: stored, but not all of
#'   it).
#' @section Errors: `tide_error_pull` with the request (secrets hidden) and what came;
#'   `tide_error_settings` for a description that is none; `tide_error_range` for figures that are
#'   none.
#' @seealso [tide_pull_facts()], [tide_demo_service()], [tide_load()]
#' @examplesIf requireNamespace("httr2", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' service <- list(url = "https://service.example/rows", body = list(day = "{date}"),
#'   fields = list(query = "/q", clicks = "/c", impressions = "/i", position = "/p"))
#' \dontrun{
#' tide_pull(store, service, from = "2026-08-01")
#' }
#' @export
tide_pull <- function(store, pull, from = NULL, to = NULL, today = Sys.Date(), progress = NULL,
    wait = 1) {
  check_class(store, "tide_store", "store")
  spec <- pull_spec(store, pull)
  spec$say <- progress
  if (!is.null(spec$by)) {
    abort_argument("pull", "one for rows, not for facts", spec$name)
  }
  check_number(wait, "wait", min = 0)
  need_httr2()
  days <- days_to_pull(store, spec, check_date(from, "from"), check_date(to, "to"),
    check_date(today, "today"))
  out <- lapply(seq_along(days), function(i) {
    if (!is.null(progress)) {
      progress(sprintf("Asking for %s (%s to go)", format(days[i]),
        format_plural(length(days) - i, "day")))
    }
    day <- pull_day(spec, days[i], wait)
    spec$seen <<- isTRUE(spec$seen) || nrow(day$rows) > 0
    # What has come whole is stored, whatever ends the rest.
    if (nrow(day$rows)) store_pulled(store, spec, day$rows, days[i], today)
    data.table(day = days[i], rows = nrow(day$rows), clicks = sum(day$rows[["clicks"]]),
      calls = day$calls, repeats = day$repeats,
      state = if (!nrow(day$rows)) "no rows" else if (day$capped) "above the cap" else "stored")
  })
  tibble::as_tibble(if (length(out)) rbindlist(out) else no_pulled())
}

no_pulled <- function() {
  data.table(day = as.IDate(character()), rows = integer(), clicks = numeric(), calls = integer(),
    repeats = integer(), state = character())
}

pull_spec <- function(store, pull) {
  if (!is.character(pull)) return(as_pull_spec(pull, "pull"))
  settings <- tide_settings(dirname(store$dir))
  known <- names(settings$pull)
  if (!pull %in% known) {
    abort_tide(sprintf("No service '%s' is described.", pull),
      where = if (length(known)) {
        sprintf("'inktide.yml' has: %s.", paste(known, collapse = ", "))
      } else {
        "'inktide.yml' has no `pull`."
      },
      fix = "Describe it there; the help page shows how.", class = "settings")
  }
  settings$pull[[pull]]
}

# Final days that the archive lacks, the oldest first.
days_to_pull <- function(store, spec, from, to, today) {
  final <- today - as.integer(spec$unfinished) - 1L
  to <- if (is.null(to)) final else min(to, final)
  if (is.null(from)) {
    from <- if (is.null(spec$from)) {
      months_after(first_of_month(today), -16L)
    } else {
      check_date(spec$from, "from")
    }
  }
  if (from > to) return(as.IDate(character()))
  days <- seq(from, to, by = "day")
  own <- grain_label(intersect(dimension_names, union("date", names(spec$fields))))
  stored <- with_store(store, write = FALSE, function(con) {
    DBI::dbGetQuery(con, "SELECT day FROM current WHERE grain = ?", list(own))$day
  })
  as.IDate(days[!as.integer(days) %in% stored])
}

# Out: list(rows, calls, capped, repeats).
pull_day <- function(spec, day, wait) {
  asked <- ask_all_pages(spec, list(date = format(day)), wait)
  if (asked$capped) {
    for (split_by in spec$split) {
      parts <- lapply(split_by$values, function(value) {
        narrowed <- spec
        if (!is.null(split_by$body)) narrowed$body <-
          utils::modifyList(as.list(spec$body), split_by$body)
        if (!is.null(split_by$parameters)) {
          narrowed$parameters <- utils::modifyList(spec$parameters, split_by$parameters)
        }
        ask_all_pages(narrowed, list(date = format(day), value = value), wait)
      })
      asked$calls <- asked$calls + sum(vapply(parts, `[[`, 0L, "calls"))
      capped <- any(vapply(parts, `[[`, NA, "capped"))
      rows <- rbindlist(lapply(parts, `[[`, "rows"), use.names = TRUE, fill = TRUE)
      # A split that finds less than the whole is none.
      if (NROW(rows) && nrow(rows) >= nrow(asked$rows)) {
        asked <- list(rows = rows, calls = asked$calls, capped = capped,
          repeats = sum(vapply(parts, `[[`, 0L, "repeats")))
      }
      if (!asked$capped) break
    }
  }
  rows <- asked$rows
  if (nrow(rows)) {
    set(rows, j = "date", value = as.IDate(day))
    asked$rows <- sum_pulled(rows)
  }
  asked
}

# The same rules as for a file, with the row as the service counts it.
check_pulled <- function(rows, spec, day) {
  refuse <- function(wrong, column, what) {
    if (!any(wrong)) return(invisible())
    at_row <- which(wrong)[1]
    abort_tide(sprintf("A row's `%s` is %s.", column, what),
      where = sprintf("service '%s', %s, row %s: %s.", spec$name, day, format_count(at_row),
        hide_secrets(spec, row_text(as.list(rows[at_row, setdiff(names(rows), "same"),
          with = FALSE])))),
      fix = "Correct `fields`: where the figure is in a row.", class = "range", column = column)
  }
  for (column in intersect(figure_names, names(rows))) {
    values <- rows[[column]]
    refuse(!is.finite(values) | values < 0, column, "no number of at least 0")
    if (column == "position") {
      refuse(values < 1 & rows$impressions > 0, column, "below 1")
    } else {
      refuse(values > most_counted | abs(values - round(values)) > 1e-6, column, "no whole number")
    }
  }
}

# Parts of a day have the same query on the same page.
sum_pulled <- function(rows) {
  keys <- intersect(dimension_names, names(rows))
  if (!anyDuplicated(rows, by = keys)) return(rows)
  position <- "position" %in% names(rows)
  if (position) set(rows, j = "weighted", value = rows$position * rows$impressions)
  figures <- c("clicks", "impressions", if (position) "weighted")
  sums <- sums_by(rows, keys, figures)
  if (position) {
    set(sums, j = "position", value = sums$weighted / sums$impressions)
    set(sums, j = "weighted", value = NULL)
  }
  sums
}

# At most so many pages of one question are asked for.
most_asked_pages <- 10000L

# All pages of one question: list(rows: each once, the last of those that came again; calls; capped:
# whether the service has more; repeats: how many came again).
ask_all_pages <- function(spec, values, wait) {
  limit <- spec$paging$limit
  address <- spec$url
  rows <- list()
  seen <- new.env()
  asked <- character()
  got <- 0L
  endless <- function(what) {
    abort_answer(spec, shown_request(spec, values, address), what, "",
      "Check `paging`: the service does not take offset, link or field as it is described.")
  }
  repeat {
    values$offset <- got
    values$limit <- limit
    if (is.null(values[["next"]])) values["next"] <- list("")
    answer <- ask_service(spec, values, address, wait)
    if (nrow(answer$rows)) check_pulled(answer$rows, spec, values$date)
    rows[[length(rows) + 1L]] <- answer$rows
    got <- got + nrow(answer$rows)
    paging_by <- spec$paging$by
    if (is.null(paging_by) || !nrow(answer$rows)) break
    fresh <- !vapply(answer$rows$same, exists, NA, envir = seen, inherits = FALSE)
    if (!any(fresh)) endless("The same rows came again.")
    for (one in unique(answer$rows$same[fresh])) assign(one, TRUE, envir = seen)
    if (!is.null(spec$cap) && got >= spec$cap) break
    if (length(rows) >= most_asked_pages) endless("The pages do not end.")
    if (paging_by == "offset") {
      if (nrow(answer$rows) < limit) break
    } else if (paging_by == "field") {
      if (is.null(answer$next_value)) break
      values[["next"]] <- answer$next_value
    } else {
      if (is.null(answer$link)) break
      address <- same_host(spec, answer$link)
      # The link holds all of the question.
      spec$parameters <- list()
    }
    next_page <- switch(paging_by, offset = format(got), field = values[["next"]], address)
    if (next_page %in% asked) endless("The pages go in a circle.")
    asked <- c(asked, next_page)
  }
  answered <- rbindlist(rows, use.names = TRUE, fill = TRUE)
  again <- if (nrow(answered)) duplicated(answered$same, fromLast = TRUE) else logical()
  count <- answer$count
  list(rows = answered[!again], calls = length(rows), repeats = sum(again),
    capped = if (is.null(count)) {
      !is.null(spec$cap) && got >= spec$cap
    } else {
      sum(!again) < count
    })
}

# A token goes to the host that was described, and to no other.
same_host <- function(spec, link) {
  link <- absolute_urls(link, spec$url)
  if (web_origin(link) != web_origin(spec$url)) {
    abort_answer(spec, paste(spec$method, spec$url), "The next page is on another host.", link,
      "Check what the service documents about paging.")
  }
  link
}

store_pulled <- function(store, spec, rows, day, today) {
  columns <- intersect(c(dimension_names, figure_names), names(rows))
  rows <- rows[, columns, with = FALSE]
  path <- pulled_file(rows, paste(spec$name, format(day)))
  on.exit(unlink(dirname(path), recursive = TRUE))
  tide_load(store, path, exported = today)
}

# What came as a file of its own name, so that it is read and checked as any other.
pulled_file <- function(rows, name) {
  folder <- tempfile("pull")
  dir.create(folder)
  path <- file.path(folder, paste0(name, ".csv"))
  fwrite(rows, path)
  path
}
