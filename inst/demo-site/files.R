# The demo site as files. Out: their paths.
write_demo <- function(site, dir) {
  folder <- file.path(dir, "exports")
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  if (!dir.exists(folder)) {
    abort_tide("The folder cannot be made.", where = sprintf("'%s'.", folder),
      fix = "Name a folder that you may write to.", class = "file", file = folder)
  }
  files <- stats::setNames(file.path(folder,
    c("daily.csv", "daily-totals.csv", "page-totals.csv", "top-queries.csv", "rich-results.csv")),
    c("daily", "totals", "page_totals", "capped", "rich"))
  daily <- data.table(Date = site$daily$date, Query = site$daily$query, Page = site$daily$page,
    Device = site$daily$device, export_figures(site$daily))
  write_whole(files[["daily"]], function(path) fwrite(daily, path))
  write_whole(files[["totals"]],
    function(path) fwrite(data.table(Date = site$totals$date, export_figures(site$totals)), path))
  write_whole(files[["page_totals"]], function(path) {
    fwrite(data.table(Page = site$page_totals$page, export_figures(site$page_totals)), path)
  })
  capped <- data.table(`Top queries` = site$capped$query, Clicks = format_count(site$capped$clicks),
    Impressions = format_count(site$capped$impressions),
    CTR = sprintf("%.2f%%", 100 * site$capped$ctr),
    Position = sprintf("%.1f", site$capped$position))
  write_whole(files[["capped"]], function(path) fwrite(capped, path))
  write_whole(files[["rich"]], function(path) fwrite(demo_rich_results(site), path))
  Sys.setFileTime(files, as.POSIXct(paste(max(site$totals$date) + 1L, "09:00:00"), tz = "UTC"))
  write_whole(file.path(dir, "volumes.csv"), function(path) fwrite(demo_volumes(site), path))
  Sys.setFileTime(file.path(dir, "volumes.csv"), as.POSIXct(max(site$totals$date), tz = "UTC"))
  write_demo_values(site, dir)
  write_demo_html(site, file.path(dir, "site-html"))
  write_whole(file.path(dir, "results-pages.csv"),
    function(path) fwrite(demo_results_pages(site), path))
  write_whole(file.path(dir, "events.csv"),
    function(path) fwrite(site$truth$events[, c("date", "event", "pages")], path))
  write_whole(file.path(dir, "inktide.yml"), function(path) write_lines(demo_settings(), path))
  invisible(files)
}

# What analysts have besides: three years of monthly totals, sessions with conversions and their
# value by page, and a plan.
write_demo_values <- function(site, dir) {
  put <- function(name, rows) write_whole(file.path(dir, name), function(path) fwrite(rows, path))
  put("monthly-totals.csv", demo_months(site))
  put("page-values.csv", demo_page_values(site))
  seen <- site$daily[,
    list(impressions = sum(impressions), position = sum(position * impressions) / sum(impressions)),
    by = "query"]
  near <- utils::head(seen[seen$position > 4 & seen$position < 12][order(-impressions)], 5)
  months <- months_after(max(site$totals$date), c(1, 1, 2, 3, 5)[seq_len(nrow(near))])
  put("plan.csv", data.table(query = near$query, target = rep(3, nrow(near)),
    month = format(months, "%Y-%m"), hours = rep(3, nrow(near))))
}

# Whole months of the data, and before them those of a year later less growth, with a wobble that is
# the same each time.
demo_months <- function(site, years = 3, growth = 0.93) {
  sums <-
    site$totals[, list(days = .N, clicks = sum(clicks)), by = list(month = first_of_month(date))]
  sums <- sums[sums$days == days_in_month(sums$month)]
  if (!nrow(sums)) return(data.table(month = character(), clicks = numeric()))
  back <- seq_len(12L * years) - 1L
  # From the newest back.
  months <- months_after(max(sums$month), -back)
  clicks <- sums$clicks[match(months, sums$month)]
  for (i in which(is.na(clicks))) {
    clicks[i] <- if (i > 12) {
      clicks[i - 12] * growth * (1 + 0.06 * sin(7 * i))
    } else {
      mean(sums$clicks)
    }
  }
  data.table(month = format(rev(months), "%Y-%m"), clicks = round(rev(clicks)))
}

demo_page_values <- function(site) {
  last <- site$daily[site$daily$date > max(site$daily$date) - 90]
  own <- sums_by(setDT(list(page = clean_url(last$page), clicks = last$clicks)), "page", "clicks")
  own <- own[own$clicks > 0][order(page)]
  rate <- ifelse(grepl("/shop/", own$page, fixed = TRUE), 0.03, 0.004)
  with_seed(11, {
    sessions <- stats::rpois(nrow(own), 1.08 * own$clicks)
    conversions <-
      stats::rbinom(nrow(own), sessions, pmin(0.3, rate * exp(stats::rnorm(nrow(own), 0, 0.4))))
  })
  data.table(page = own$page, sessions, conversions, value = round(23.4 * conversions, 2))
}

# A year of searches by month, in one cell, as shares of the best month.
demo_trends <- function(site, queries) {
  month <- format(as.Date(site$daily$date), "%Y-%m")
  last <- utils::tail(sort(unique(month)), 13)[1:12]
  use <- which(month %in% last)
  sums <- sums_by(data.table(query = site$daily$query[use], month = month[use],
    impressions = site$daily$impressions[use]),
    c("query", "month"), "impressions")
  wide <- sums[CJ(query = queries, month = last, sorted = FALSE), on = c("query", "month")]
  by_query <- matrix(fcoalesce(as.numeric(wide$impressions), 0), ncol = 12, byrow = TRUE)
  apply(round(100 * by_query / pmax(1, apply(by_query, 1, max))), 1, paste, collapse = ",")
}

# What the results pages of the queries seen most show, looked at on the last day: other invented
# houses stand above, some with an answer box.
demo_results_pages <- function(site, many = 24, places = 5) {
  plain <- site$daily[!is_brand(query_key(site$daily$query), demo_brand_words)]
  seen <- sums_by(plain, c("query", "page"), "impressions")
  setorderv(seen, c("impressions", "query"), c(-1L, 1L))
  seen <- utils::head(seen[!duplicated(seen$query)], many)
  titles <- c("7 rules of %s", "%s: a guide for beginners", "How to get %s right", "10 tips on %s",
    "Buy: %s")
  rows <- CJ(of = seq_len(nrow(seen)), place = seq_len(places))
  own <- rows$place == places
  data.table(
    query = seen$query[rows$of],
    place = rows$place,
    address = ifelse(own, seen$page[rows$of],
      sprintf("https://house-%d.example/%d/", rows$place, rows$of)),
    title = sprintf(titles[ifelse(own, 5L, (rows$place + rows$of) %% 4L + 1L)],
      seen$query[rows$of]),
    features = ifelse(rows$place == 1 & rows$of %% 3 == 0, "answer box", ""),
    date = max(site$daily$date))
}

# Results with mark-up by day, as shares of the site's totals: one is clicked more than the site on
# the whole, one less.
demo_rich_results <- function(site) {
  kinds <- data.table(rich = c("Review stars", "Recipe", "Video"), seen = c(0.21, 0.06, 0.09),
    clicked = c(0.26, 0.05, 0.03), places = c(-0.9, 0.4, 2.1))
  days <- site$totals
  rbindlist(lapply(seq_len(nrow(kinds)), function(i) {
    rows <- data.table(clicks = round(days$clicks * kinds$clicked[i]),
      impressions = round(days$impressions * kinds$seen[i]),
      position = pmax(1, days$position + kinds$places[i]))
    data.table(Date = days$date, `Rich result` = kinds$rich[i], export_figures(rows))[
      rows$impressions > 0]
  }))
}

# Search volumes as such tables have them: of the queries seen most, rounded.
demo_volumes <- function(site, most = 300) {
  seen <- sums_by(site$daily, "query", "impressions")
  setorderv(seen, c("impressions", "query"), c(-1L, 1L))
  days <- length(unique(site$daily$date))
  trend <- demo_trends(site, seen$query)
  utils::head(data.table(query = seen$query, volume = signif(1.2 * seen$impressions * 30 / days, 2),
    trend = trend),
    most)
}

export_figures <- function(rows) {
  data.table(Clicks = as.integer(rows$clicks), Impressions = as.integer(rows$impressions),
    CTR = round(rows$clicks / rows$impressions, 4), Position = round(rows$position, 2))
}

demo_settings <- function() {
  c("# Fernmoor Seeds, an invented mail-order house. Paths are relative to this file.",
    sprintf("site: %s/", demo_host), "events: events.csv", "history: monthly-totals.csv",
    "currency: EUR", "brand:", paste0("  - ", demo_brand_words), "exports:",
    "  - exports/daily.csv", "  - exports/daily-totals.csv", "  - exports/page-totals.csv",
    "  - exports/rich-results.csv", "segments:", "  phone: {device: mobile}",
    "  computer: {device: desktop}", "  questions: {has_any: [how, why, when, what]}", "watched:",
    "  seeds: [pea seeds, kale seeds, /heirloom courgette/]",
    "  guides: [/melon germination/, /how to save artichoke/]", "intended:",
    "  garlic seeds online: /shop/garlic/")
}
