#' Facts from a service
#'
#' Asks a service for facts about queries or pages (search volumes, costs, values) and stores them
#' with their date. What is known and not old is not asked for again.
#'
#' @details Described as in [tide_pull()], with `by: query` or `page`, `fields` that hold that
#'   column and the facts, and in address, parameters or body `{names}` (a list of up to
#'   `names_a_call`) or `{name}` (one). `max_age` (30) is how many days facts stay fresh, `budget`
#'   (1000) how many calls one pull may make. A fact that the service does not know stays empty.
#' @inheritParams tide_pull
#' @param names Queries or addresses, the most important first: where the budget does not last, the
#'   first are asked for.
#' @return A `tide_facts` object of what came, stored; or `NULL` where all is known. Its attribute
#'   `left` says how many names are left for the next time.
#' @section Errors: as [tide_pull()].
#' @seealso [tide_pull()], [tide_enrich()]
#' @examplesIf requireNamespace("httr2", quietly = TRUE)
#' store <- tide_store(tempfile("project"))
#' service <- list(url = "https://service.example/volumes", by = "query", names_a_call = 100,
#'   body = list(names = "{names}"), fields = list(query = "/q", volume = "/v"), rows = "/rows")
#' \dontrun{
#' tide_pull_facts(store, service, c("kale seeds", "leek seeds"))
#' }
#' @export
tide_pull_facts <- function(store, pull, names, today = Sys.Date(), progress = NULL, wait = 1) {
  check_class(store, "tide_store", "store")
  spec <- pull_spec(store, pull)
  if (is.null(spec$by)) abort_argument("pull", "one for facts, with `by`", spec$name)
  check_text(names, "names", many = TRUE)
  check_number(wait, "wait", min = 0)
  today <- check_date(today, "today")
  need_httr2()
  spec$say <- progress
  wanted <- names_to_ask(store, spec, names, today)
  if (!length(wanted)) return(NULL)
  each <- if (has_place(list(spec$url, spec$parameters, spec$body), "names")) {
    as.integer(spec$names_a_call)
  } else {
    1L
  }
  calls <- split(wanted, (seq_along(wanted) - 1L) %/% each)
  asked <- utils::head(calls, spec$budget)
  rows <- list()
  keep <- function() {
    came <- rbindlist(rows, use.names = TRUE, fill = TRUE)
    rows <<- list()
    if (nrow(came)) store_pulled_facts(store, spec, came, today)
  }
  # What has come is kept, whatever ends the rest.
  on.exit(keep())
  for (i in seq_along(asked)) {
    if (!is.null(progress)) {
      progress(sprintf("Asking for facts (%s to go)", format_plural(length(asked) - i, "call")))
    }
    own <- asked[[i]]
    answer <- ask_service(spec,
      list(names = if (each > 1) as.list(own) else own, name = own[1], date = format(today)),
      wait = wait)
    came <- answer$rows
    set(came, j = "same", value = NULL)
    # Of one name the answer need not repeat it.
    if (nrow(came) && !spec$by %in% names(came)) set(came, j = spec$by, value = own[1])
    # A name without an answer is known to have none.
    silent <- own[!name_key(spec$by, own) %in% name_key(spec$by, came[[spec$by]])]
    rows[[i]] <- rbind(came, stats::setNames(data.table(silent), spec$by), fill = TRUE)
  }
  facts <- keep()
  if (is.null(facts)) return(NULL)
  structure(facts, left = length(wanted) - length(unlist(asked)))
}

# Names without fresh facts, in their order.
names_to_ask <- function(store, spec, names, today) {
  wanted <- setdiff(names(spec$fields), spec$by)
  fresh <- Filter(function(one) {
    one$by == spec$by && all(wanted %in% names(one$rows)) &&
      as.integer(today - one$date) <= spec$max_age
  }, tide_facts(store))
  known <- unlist(lapply(fresh, function(one) name_key(spec$by, one$rows$name)))
  names <- names[!duplicated(name_key(spec$by, names))]
  names[!name_key(spec$by, names) %in% known]
}

store_pulled_facts <- function(store, spec, rows, today) {
  setcolorder(rows, spec$by)
  path <- pulled_file(rows, paste(spec$name, format(today)))
  on.exit(unlink(dirname(path), recursive = TRUE))
  facts <- tide_facts(path, date = today)
  tide_load(store, facts)
  facts[[1]]
}
