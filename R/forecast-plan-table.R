# A plan as a table: each line checked, and what it brings.

lines_of_table <- function(findings, table, first) {
  need_plan(nrow(table), "The plan has no line.")
  text <- function(column) {
    value <- if (is.null(table[[column]])) rep("", nrow(table)) else as.character(table[[column]])
    fcoalesce(trimws(value), "")
  }
  number <- function(column, low, high) {
    own <- suppressWarnings(as.numeric(text(column)))
    bad <- which(nzchar(text(column)) & (is.na(own) | own < low | own > high))
    if (length(bad)) {
      bad_plan(bad[1], column, text(column)[bad[1]], sprintf("a number from %g to %g", low, high))
    }
    own
  }
  targets <- plan_targets(text("target"))
  chance <- number("chance", 0, 1)
  hours <- number("hours", 0, 1e4)
  ramp <- number("ramp", 1, 24)
  volume <- number("volume", 0, 1e10)
  month <- plan_months(text("month"))
  rows <- lapply(seq_len(nrow(table)), function(i) {
    one_line <- plan_line(findings, text("id")[i], text("query")[i], text("page")[i], targets[i], i,
      volume[i])
    # Who states a chance states all of it.
    if (!is.na(chance[i])) set(one_line, j = c("confidence", "chance"), value = list(1, chance[i]))
    if (!is.na(hours[i])) set(one_line, j = "hours", value = hours[i])
    if (!is.na(month[i]) && month[i] < first && !nzchar(one_line$remark)) {
      set(one_line, j = "remark",
        value = sprintf("late: it was planned for %s", format_month(month[i])))
    }
    set(one_line, j = c("month", "ramp"), value = list(pmax(month[i], first), ramp[i]))
    one_line
  })
  rbindlist(rows)
}

bad_plan <- function(row, column, value, must) {
  abort_tide(sprintf("The plan's `%s` must be %s.", column, must),
    where = sprintf("line %d of the plan: '%s'.", row, value), fix = "Change that line.",
    class = "range", column = column, lines = row)
}

# data.table(place: a position, ctr, fixed), NA where a target is none of it.
plan_targets <- function(text) {
  fixed <- tolower(text) == "fixed"
  share <- grepl("%$", text)
  number <- suppressWarnings(as.numeric(sub("\\s*%$", "", ifelse(fixed, "", text))))
  bad <-
    which(nzchar(text) & !fixed & (is.na(number) | number > 100 | number < ifelse(share, 0, 1)))
  if (length(bad)) {
    bad_plan(bad[1], "target", text[bad[1]],
      "a position from 1 to 100, a CTR such as 12%, or the word fixed")
  }
  data.table(place = ifelse(share, NA, number), ctr = ifelse(share, number / 100, NA), fixed)
}

# The same as text, as a plan reads it back. What a task of the list brings is the list's matter.
plan_target_text <- function(lines) {
  fcase(!is.na(lines$target), format(lines$target, digits = 15, trim = TRUE),
    !is.na(lines$target_ctr) & lines$id == "", sprintf("%.10g%%", 100 * lines$target_ctr),
    default = "")
}

plan_months <- function(text) {
  month <- month_of_text(text)
  bad <- which(nzchar(text) & is.na(month))
  if (length(bad)) bad_plan(bad[1], "month", text[bad[1]], "a month such as 2026-12")
  first_of_month(month)
}

# What one line brings: as the list says, unless its target is another.
plan_line <- function(findings, id, query, page, target, row, volume) {
  found <- findings$findings
  if (nzchar(id) && id %in% found$id) {
    one_line <- lines_of_tasks(findings, id)
    asked <- !is.na(target$ctr) || !is.na(target$place) && !target$place %in% one_line$target
    if (!asked) return(one_line)
    query <- one_line$query
    page <- one_line$page
  } else if (!nzchar(query)) {
    bad_plan(row, if (nzchar(id)) "id" else "query", id, "an id of the list, or a query")
  }
  if (target$fixed) return(fixed_line(findings, query, page, row))
  query_line(findings, query, page, target, row, volume)
}

# What the list says of a query, the line worth most of it.
fixed_line <- function(findings, query, page, row) {
  found <- findings$findings
  same <- query_key(found$query) == query_key(query)
  if (nzchar(page)) same <- same & page_key(found$page) == page_key(page)
  own <- found[which(same)]
  if (!nrow(own)) {
    bad_plan(row, "target", "fixed",
      "a position or a CTR, since the list has nothing on this query")
  }
  lines_of_tasks(findings, own$id[which.max(own$gain)])
}

# What a query earns at its target more than today.
query_line <- function(findings, query, page, target, row, volume) {
  site_summary <- findings$summary
  code <- match(query_key(query), site_summary$queries$key)
  shown <- findings$pairs[findings$pairs$query %in% code]
  if (nzchar(page)) {
    of_page <- site_summary$pages$key[shown$page] %in% known_page_keys(page, site_summary$pages$key)
    shown <- shown[which(of_page)]
  }
  if (is.na(code) || !nrow(shown)) {
    return(new_query_line(findings, query, page, target$place, row, volume))
  }
  shown <- shown[which.max(shown$clicks + shown$impressions / 1e6)]
  place <- if (is.na(target$place)) best_places(findings, shown) else target$place
  brings <- if (is.na(target$ctr)) {
    stride <- step_up(site_summary, findings$curve, shown, place)
    c(stride$done, list(chance = stride$reach))
  } else {
    more_clicked(site_summary, shown, target$ctr)
  }
  there <- if (is.na(target$ctr)) place >= shown$position else target$ctr <= shown$ctr
  data.table(id = "", query = query, page = site_summary$pages$page[shown$page],
    month = as.IDate(NA),
    target = if (is.na(target$ctr)) place else NA_real_, target_ctr = target$ctr,
    position = shown$position, ctr = shown$ctr, done = pmax(0, brings$done),
    done_low = pmax(0, brings$low), done_high = pmax(0, brings$high),
    confidence = 1, chance = brings$chance,
    hours = 1, remark = if (there) "reached" else "", queries = list(list(query)))
}

# Clicks per 30 days at another CTR and the same position; the luck of today's clicks is the range.
more_clicked <- function(summary, shown, ctr) {
  more <- ctr * shown$impressions - shown$clicks
  luck <- stats::qnorm(0.95) * sqrt(shown$clicks + 1)
  month <- per_month(summary)
  list(done = more * month, low = (more - luck) * month, high = (more + luck) * month,
    chance = assumed("rewrite_query_chance"))
}

# A query that is not shown yet, by its search volume: the table's own, else that of the facts.
new_query_line <- function(findings, query, page, place, row, volume) {
  site_summary <- findings$summary
  known <- site_summary$queries
  of_facts <- c(as.numeric(known[["volume"]][match(query_key(query), known$key)]),
    site_summary$not_shown$volume[match(query_key(query),
      query_key(site_summary$not_shown$query))])
  volume <- c(volume, of_facts)
  volume <- volume[!is.na(volume)][1]
  if (is.na(volume)) {
    bad_plan(row, "query", query, paste("a query of the data, or one with a search volume (in a",
      "column `volume` of the plan, or among the facts)"))
  }
  if (is.na(place)) place <- assumed("target_from_page_two")
  ratio <- volume_ratio(findings)
  segment <- setdiff(names(findings$curve$fits), "brand")[1]
  ctr <- curve_at(findings$curve, place, segment)$ctr
  done <- volume * ratio$ratio * ctr
  reach <- stats::qnorm(0.95) * ratio$spread
  data.table(
    id = "",
    query = query,
    page = page,
    month = as.IDate(NA),
    target = place,
    target_ctr = NA_real_,
    position = NA_real_,
    ctr = NA_real_,
    done = done,
    done_low = done * exp(-reach),
    done_high = done * exp(reach),
    confidence = 1,
    chance = assumed("new_page_chance"),
    hours = kind_hours()[["new_page"]],
    remark = sprintf("not shown yet: volume %s x %.2f seen%s", format_count(volume), ratio$ratio,
      if (abs(log(ratio$ratio)) > log(assumed("volumes_agree"))) {
        "; volumes and impressions disagree: another country, or all devices?"
      } else {
        ""
      }),
    queries = list(list(query)))
}

# Impressions in 30 days to search volume, of the site's own queries on page one.
volume_ratio <- function(findings) {
  site_summary <- findings$summary
  volume <- as.numeric(site_summary$queries[["volume"]])
  shown <- findings$pairs[findings$pairs$position <= assumed("page_one_ends")]
  shown <- shown[which(volume[shown$query] > 0)]
  if (nrow(shown) < 5) return(list(ratio = 1, spread = 1))
  log_ratio <- log(shown$impressions * per_month(site_summary) / volume[shown$query])
  list(ratio = exp(stats::median(log_ratio)), spread = stats::mad(log_ratio))
}
