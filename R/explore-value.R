#' What clicks are worth
#'
#' Clicks, conversions and money of the site, its folders, pages or queries: what they have, what is
#' missed against the curve, and what the list would bring.
#'
#' @details Conversions per session of a page lean on its folder's, a folder's on the site's, by as
#'   much as few sessions tell (beta-binomial empirical Bayes); the value of a conversion leans on
#'   the site's with the weight of five. A query takes the rate of the page it lands on, times what
#'   its intent brings against the page's other queries: that is estimated from pages of one folder
#'   whose clicks are of different intents (a Poisson regression, drawn to 1 by few conversions),
#'   and moves what a page with few sessions leans on, too. What has no page with sessions stays
#'   empty. Facts come from [tide_enrich()]. The site's clicks are all of them where totals without
#'   queries are known, private ones at the rate of the others; those of folders, pages and queries
#'   are of the rows with queries.
#' @param findings A `tide_findings` object.
#' @param by `"site"`, `"folder"`, `"page"` or `"query"`.
#' @param rules A [tide_rules()] object, whose groups of pages stand for folders.
#' @param listed A [tide_inventory()] of the same rows by the same name (by query for the site), for
#'   what is lost against a better place.
#' @return A tibble, those worth most first, per 30 days: `name`, `clicks`, `conversions`,
#'   `conversions_low`, `conversions_high` (90 %), `value`, `missed_clicks` (clicks expected on the
#'   curve less clicks had), `missed_conversions`, `missed_value`, `gain` (of the list's tasks),
#'   `gain_conversions`, `gain_value`, with `listed` `lost`, `lost_conversions`, `lost_value`
#'   (against the place that it names, the conversions at the row's own rate), `covered` (share
#'   of the clicks on pages whose rate is known).
#'   Columns of money are missing where no value is known.
#' @section Errors: `tide_error_facts` where no page has sessions and conversions.
#' @seealso [tide_enrich()], [tide_find()]
#' @examples
#' summary <- tide_summary(tide_read(tide_example()[["pairs"]]), brand = "fernmoor")
#' file <- tempfile(fileext = ".csv")
#' pages <- utils::head(summary$pages$page, 20)
#' writeLines(c("page,sessions,conversions,value", paste(pages, 900, 1:20, 30 * 1:20, sep = ",")),
#'   file)
#' found <- tide_find(tide_enrich(summary, tide_facts(file)))
#' tide_value(found, by = "folder")
#' @export
tide_value <- function(findings, by = "page", rules = tide_rules(), listed = NULL) {
  if (!is.null(listed)) check_class(listed, "tide_inventory", "listed")
  check_class(findings, "tide_findings", "findings")
  local_assumptions(findings$assumptions)
  by <- check_choice(by, c("site", "folder", "page", "query"), "by")
  site_summary <- findings$summary
  worth <- page_worth(site_summary, rules)
  if (is.null(worth)) {
    abort_tide("No page has sessions and conversions.", where = "the facts of pages.",
      fix = "Bring a table with page, sessions, conversions and, where known, value.",
      class = "facts")
  }
  pairs <- findings$pairs[findings$pairs$inside]
  rate <- worth$rate[pairs$page] * worth$by_intent(site_summary$queries$query[pairs$query],
    pairs$page)
  each <- if (is.null(worth$each)) rep(NA_real_, nrow(pairs)) else worth$each[pairs$page]
  named <- function(page, query) switch(by, site = rep("all", length(page)),
    folder = page_group(page, rules$page_groups), page = page, query = query)
  month <- per_month(site_summary)
  missed <- (pairs$expected - pairs$clicks) * month
  known <- worth$known[pairs$page]
  rows <- data.table(
    name = named(site_summary$pages$page[pairs$page], site_summary$queries$query[pairs$query]),
    clicks = pairs$clicks * month, conversions = pairs$clicks * month * rate, page = pairs$page,
    value = pairs$clicks * month * rate * each, missed_clicks = missed,
    missed_conversions = missed * rate, missed_value = missed * rate * each,
    covered = pairs$clicks * known, known = known)
  # What a page's rate may be off by is the same for all of its queries.
  unsure <- rows[, list(off = sum(conversions) * worth$relative[page[1]]), by = c("name", "page")]
  unsure <- unsure[, list(off = sqrt(sum(off^2))), by = "name"]
  columns <- setdiff(names(rows), c("name", "page"))
  sums <- rows[, lapply(.SD, sum), by = "name", .SDcols = columns]
  reach <- stats::qnorm(0.95) * unsure$off[match(sums$name, unsure$name)]
  set(sums, j = "covered", value = ifelse(sums$clicks > 0, sums$covered * month / sums$clicks, NA))
  set(sums, j = c("conversions_low", "conversions_high"),
    value = list(pmax(0, sums$conversions - reach), sums$conversions + reach))
  if (by == "site" && all(findings$pairs$inside)) {
    # Private queries land at the rate of the others.
    private_share <- site_clicks(site_summary) / max(sums$clicks, 1e-9)
    had <- c("clicks", "conversions", "conversions_low", "conversions_high", "value")
    set(sums, j = had, value = lapply(sums[, had, with = FALSE], `*`, max(1, private_share)))
  }
  # What nothing is known of stays empty.
  for (column in grep("conversions|value", names(sums), value = TRUE)) {
    set(sums, which(sums$known == 0), column, NA_real_)
  }
  found <- findings$findings
  sums <- add_gains(sums, found, named(found$page, found$query))
  in_order <- c("name", "clicks", "conversions", "conversions_low", "conversions_high", "value",
    "missed_clicks", "missed_conversions", "missed_value", "gain", "gain_conversions", "gain_value",
    if (!is.null(listed)) c("lost", "lost_conversions", "lost_value"), "covered")
  if (is.null(worth$each)) {
    in_order <- setdiff(in_order, c("value", "missed_value", "gain_value", "lost_value"))
  }
  if (!is.null(listed)) sums <- add_lost(sums, listed, by)
  sums <- sums[, in_order, with = FALSE]
  first <- if (is.null(worth$each)) sums$conversions else sums$value
  tibble::as_tibble(sums[order(-fcoalesce(first, -1), -sums$clicks, sums$name)])
}

# What the list's lines bring to each name.
add_gains <- function(sums, found, names) {
  gains <- data.table(name = as.character(names), gain = found$gain,
    gain_conversions = gain_of(found, "gain_conversions"),
    gain_value = gain_of(found, "gain_value"))
  gains <- gains[, lapply(.SD, sum_known), by = "name"]
  # A contest may be won by a page that is not among those chosen.
  sums <- merge(sums, gains, by = "name", all = TRUE, sort = FALSE)
  for (column in c("clicks", "missed_clicks", "gain")) {
    set(sums, which(is.na(sums[[column]])), column, 0)
  }
  set(sums, which(sums$known > 0 & !sums$name %in% gains$name),
    c("gain_conversions", "gain_value"), 0)
}

# What each name is lost per 30 days against the place of a list, at its own conversions a click.
add_lost <- function(sums, listed, by) {
  days <- if (is.na(listed$to)) listed$days else as.integer(listed$to - listed$from) + 1L
  lost <- if (by == "site") {
    listed$total$lost
  } else {
    listed$rows$lost[match(name_key(by, sums$name), name_key(by, listed$rows[[by]]))]
  }
  lost <- lost * 30 / first_given(days, usual_days)
  a_click <- ifelse(sums$clicks > 0, lost / sums$clicks, NA)
  set(sums, j = c("lost", "lost_conversions", "lost_value"),
    value = list(lost, sums$conversions * a_click, sums$value * a_click))
}

sum_known <- function(x) if (all(is.na(x))) x[1] else sum(x, na.rm = TRUE)

gain_of <- function(found, column) {
  if (is.null(found[[column]])) rep(NA_real_, nrow(found)) else found[[column]]
}

# Conversions or money of a click of the site, named by which.
click_value <- function(findings, of, rules) {
  site <- tide_value(findings, "site", rules)
  if (is.null(site[[of]])) {
    abort_argument("of", "conversions, since no page has a value of its conversions", of)
  }
  stats::setNames(site[[of]] / site$clicks, of)
}
