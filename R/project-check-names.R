# What the archive's own pages and queries give away: addresses in several spellings, brand words
# that were missed, intended pages that others stand in for.

# Impressions by page as spelt, of the finest table with pages, month by month.
page_spellings <- function(store) {
  plan <- plan_window(store, NULL, NULL, NULL, 0, "page")
  with_page <- unique(plan$wanted$grain)
  with_page <- with_page[vapply(with_page, function(grain) "page" %in% grain_dimensions(grain), NA)]
  if (!length(with_page)) return(NULL)
  finest <- with_page[which.max(nchar(with_page))]
  if (inherits(store, "tide_source")) return(source_pages(store, finest))
  slices <- plan$wanted[plan$wanted$grain == finest]
  month_rows <- split(slices, month_start(slices$day))
  sums <- rbindlist(lapply(month_rows, function(own) {
    rows <- read_slices(store, own, plan$parts, "page")$rows
    if (nrow(rows)) {
      rows[, .(impressions = sum(as.numeric(impressions))), by = "page"][,
        "page" := as.character(page)]
    }
  }))
  if (nrow(sums)) sums_by(sums, "page", "impressions")
}

spelling_problems <- function(pages) {
  if (is.null(pages)) return(NULL)
  mixed <- function(what, one, fix) {
    share <- sum(pages$impressions[one]) / sum(pages$impressions)
    if (share == 0 || share == 1) return(NULL)
    a_problem(sprintf("%s mixed", what), "",
      sprintf("%s of impressions on the rarer", format_share(min(share, 1 - share))),
      "One page stands as two in every table that does not fold addresses; here they are one.", fix,
      "remark")
  }
  whole <- grepl("^https?://", pages$page)
  keys <- page_key(pages$page)
  clean <- clean_url(pages$page)
  times <- table(keys)
  several <- names(times)[times > 1]
  beside <- pages$page[keys %in% several & (duplicated(keys) | clean != pages$page)]
  rbind(if (any(whole)) {
    mixed("http and https", startsWith(pages$page, "http://"), "Redirect http to https.")
  },
    if (any(whole)) {
      mixed("addresses with and without www", grepl("^[a-z]+://www[.]", pages$page),
        "Redirect one to the other.")
    },
    if (length(several)) {
      a_problem("addresses that fold together", "",
        sprintf("%s in several spellings, such as '%s'", format_plural(length(several), "page"),
          beside[1]),
        "Each is counted as one page here; a pivot by address splits it.",
        "Link to one spelling, and name it as the canonical one.", "remark")
    })
}

# Intended pages that another page stands in for.
intended_problems <- function(store, rules) {
  if (!length(rules$intended)) return(NULL)
  site_summary <- tryCatch(tide_summary(tide_stored(store,
    days = days_unless_undated(store, usual_days), by_month = TRUE)),
    tide_error = function(e) NULL)
  if (is.null(site_summary)) return(NULL)
  found <- tide_intended(site_summary, rules)
  problem_line <- function(status, problem, where, consequence, fix) {
    own <- which(found$status == status)
    if (!length(own)) return(NULL)
    shown <- utils::head(own, 5)
    more <- length(own) - length(shown)
    a_problem(problem, "", paste0(paste(where(found[shown, ]), collapse = "; "),
      if (more) sprintf(" and %s more", format_count(more))),
      consequence, fix, "remark")
  }
  rbind(problem_line("outranked", "intended pages that are outranked",
    function(at) {
      sprintf("'%s': %s at %s, behind %s at %s", at$query, format_path(at$intended),
        format_position(at$position), format_path(at$leader), format_position(at$leader_position))
    },
    "Another page answers the query than the one that should.",
    "Link from the leading page to the intended one, and turn the first to its other queries."),
    problem_line("does not rank", "intended pages that do not rank",
      function(at) {
        sprintf("'%s': %s; %s leads at %s", at$query, format_path(at$intended),
          format_path(at$leader), format_position(at$leader_position))
      },
      "The page that should answer the query is not shown for it.",
      "Answer the query on that page and link to it, or name the page that leads."),
    problem_line("query not seen", "queries with an intended page that nobody is shown",
      function(at) {
        sprintf("'%s' (%s)", at$query, format_path(at$intended))
      },
      "They have no impressions in the last 90 days.",
      "Correct their spelling in the settings, or write for them."))
}

missed_spellings <- function(store, brand) {
  site_summary <- tryCatch(tide_summary(tide_stored(store, lag = 0, by_month = TRUE)),
    tide_error = function(e) NULL)
  if (is.null(site_summary)) return(NULL)
  other <-
    brand_spellings(site_summary$queries$key, reduce_pairs(site_summary$cells),
      site_summary$pages$page, brand)
  other <- other[fcoalesce(other$shared, 0) >= 0.5]
  if (!nrow(other)) return(NULL)
  top <- utils::head(other, 5)
  a_problem("spellings that the brand words miss", "",
    paste(sprintf("'%s' (%s)", top$word, format_plural(top$clicks, "click")), collapse = ", "),
    "Brand queries among the others lift the curve and pass for strong pages.",
    "Add these words to 'brand' in inktide.yml, where they are the brand.", "remark")
}
