# Daily rows of the demo site. Each impression has a whole position; a row's position is their mean,
# and its clicks are drawn position by position, so a row is the blend that real exports hold.

# In: planted queries, first day, number of days. Out: query, page, date, device, clicks,
# impressions, position.
draw_demo_rows <- function(queries, pages, from, days) {
  shown <- rbindlist(lapply(split(seq_len(nrow(queries)), queries$case), function(rows) {
    showing_pages(queries[rows], pages, days)
  }))
  season <- 1 + shown$season * cos(2 * pi * (shown$day + season_start(from) - shown$peak) / 365.25)
  shown <- shown_events(shown, from)
  expected <- shown$demand * season * demo_seen(shown$position) * shown$share * shown$burst
  shown <- shown[, c("query", "segment", "page", "day", "position", "factor")]
  rows <- rbindlist(lapply(seq_len(nrow(demo_device)), function(i) {
    impressions <- stats::rpois(nrow(shown), expected * demo_device$share[i])
    use <- which(impressions > 0)
    cbind(shown[use], device = demo_device$device[i], lift = demo_device$ctr[i],
      impressions = impressions[use])
  }))
  drawn <- draw_clicks(rows)
  data.table(date = from + rows$day - 1L, query = rows$query,
    page = spell_pages(rows$page, rows$query), device = rows$device, clicks = drawn$clicks,
    impressions = rows$impressions, position = drawn$position)
}

# What events and odd days do to position, clicks and impressions from their day on.
shown_events <- function(shown, from) {
  date <- from + shown$day - 1L
  events <- demo_events()
  for (i in seq_len(nrow(events))) {
    at <- which(date >= events$date[i] & shown$page %in%
      unique(shown$page)[touched_pages(events$pages[i], page_key(unique(shown$page)))])
    set(shown, at, "position", shown$position[at] * events$position[i])
    set(shown, at, "factor", shown$factor[at] * events$clicks[i])
  }
  odd <- match(date, demo_unusual_days()$date)
  set(shown, j = "burst", value = fcoalesce(demo_unusual_days()$impressions[odd], 1))
  set(shown, j = "factor", value = shown$factor * fcoalesce(demo_unusual_days()$clicks[odd], 1))
  shown
}

# Days from the last first of July to the first day.
season_start <- function(from) as.integer(from - as.IDate("2020-07-01")) %% 365L

# Which page is shown for a query on which day, where, and to what share of its searches.
showing_pages <- function(queries, pages, days) {
  needed <- c("query", "segment", "page", "other", "demand", "season", "peak", "position", "factor")
  grid <- queries[rep(seq_len(nrow(queries)), each = days), needed, with = FALSE]
  grid[, c("day", "share") := list(rep(seq_len(days), nrow(queries)), 1)]
  drift <- unlist(lapply(seq_len(nrow(queries)), function(i) {
    as.vector(stats::filter(stats::rnorm(days, 0, 0.035), 0.97, method = "recursive"))
  }))
  grid[, "position" := pmax(1, grid$position * exp(drift))]
  second <- function(keep, at, part) {
    out <- copy(grid)
    out[, c("page", "position", "share") := list(out$other, pmax(1, at), part)]
    out[keep]
  }
  week <- (grid$day - 1) %/% 7
  switch(
    queries$case[1],
    one_page = grid,
    swap = {
      turn <- unlist(lapply(seq_len(nrow(queries)), function(i) {
        rep_len(rep(c(TRUE, FALSE), 60), 120)[rep(seq_len(120), sample(2:5, 120, TRUE))][
          unique(week) + 1]
      }))
      leads <-
        turn[(rep(seq_len(nrow(queries)), each = days) - 1) * length(unique(week)) + week + 1]
      rbind(grid[leads], second(!leads, grid$position + 4, 1),
        second(leads, grid$position + 14, 0.15),
        grid[!leads][, c("position", "share") := list(position + 14, 0.15)])
    },
    split = rbind(grid, second(TRUE, grid$position * 1.1 + 0.5, 0.8)),
    far_second = rbind(grid, second(TRUE, grid$position + 42, 1)),
    blip = rbind(grid, second(grid$day %% 120 %in% 50:51, grid$position - 0.5, 0.6)),
    both_top = rbind(grid, second(TRUE, grid$position + 1, 0.9)),
    brand_links = {
      links <- rbindlist(lapply(2:5, function(i) {
        copy(grid)[, c("page", "position", "share", "factor") :=
          list(pages$page[i], grid$position + 0.3 * i, 0.5, grid$factor * 0.25)]
      }))
      rbind(grid, links)
    })
}

# Impressions spread over whole positions around the row's position; clicks are binomial at each.
draw_clicks <- function(rows) {
  truth <- demo_curve()
  curve <- split(truth$ctr, truth$segment)
  n <- nrow(rows)
  spread <- 0.25 + 0.08 * rows$position
  left <- rows$impressions
  remaining <- rep(1, n)
  clicks <- integer(n)
  weighted <- numeric(n)
  for (offset in -3:3) {
    place <- floor(rows$position + 0.5) + offset
    mass <- stats::pnorm(place + 0.5, rows$position, spread) -
      stats::pnorm(place - 0.5, rows$position, spread)
    if (offset == 3) mass <- remaining
    here <- stats::rbinom(n, left, pmin(1, ifelse(remaining > 1e-9, mass / remaining, 1)))
    at <- pmin(100, pmax(1, place))
    rate <- ifelse(rows$segment == "brand", curve$brand[at], curve[["non-brand"]][at]) *
      rows$factor * rows$lift
    clicks <- clicks + stats::rbinom(n, here, pmin(0.95, rate))
    weighted <- weighted + here * at
    left <- left - here
    remaining <- pmax(0, remaining - mass)
  }
  list(clicks = clicks, position = round(weighted / rows$impressions, 2))
}

# One page under several spellings, as exports have it: section links, tracking, a lost slash, http.
spell_pages <- function(page, query) {
  n <- length(page)
  roll <- stats::runif(n)
  guide <- grepl("/guides/how", page, fixed = TRUE)
  shop <- grepl("/shop/", page, fixed = TRUE)
  out <- page
  pick <- guide & roll < 0.12
  out[pick] <- paste0(page[pick], "#sowing")
  pick <- shop & roll < 0.04
  out[pick] <- paste0(page[pick], "?utm_source=letter&utm_medium=mail")
  pick <- roll > 0.98
  out[pick] <- sub("/$", "", sub("^https://www\\.", "http://", page[pick]))
  out
}
