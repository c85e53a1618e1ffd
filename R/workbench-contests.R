# Queries that several pages compete for: who led when, day by day.

contests_view <- function(held, state, most = 60) {
  # The tasks that the list has of this kind, with what they bring together.
  made <- tasks_decided(held)
  of_list <- which(kind_is(held$tasks$kind, "contest") & !made$away)
  tasks <- held$tasks[of_list]
  found <- copy(held$findings$findings[match(tasks$id, held$findings$findings$id)])
  set(found, j = "if_done", value = tasks$if_done)
  if (!nrow(found) || is.null(held$findings$summary$contested)) {
    return(empty_state("No query has pages that compete.",
      "Contests show in data by date, query and page."))
  }
  decided <- made$decision[of_list]
  shown <- utils::head(seq_len(nrow(found)), most)
  strips <- lapply(shown, function(i) contest_strip(held, found[i]))
  drawn <- function(part) vapply(strips, `[[`, "", part)
  sprintf(paste0("<h1 tabindex='-1'>Cannibalized queries</h1><p class='soft'>Each strip is the ",
    "recent window, a mark a day: <span class='lead first'>tall</span> where the first page had ",
    "the most clicks of the query (impressions, where none), <span class='lead second'>low</span> ",
    "where the other had, a gap where neither was shown.</p>%s%s"),
    html_table(c(
      list(` ` = pick_boxes(found$id[shown], found$query[shown])),
      shown_columns(found[shown], c("query", "led", "pages_led", "if_done", "confidence",
        "decision"),
        text = list(query = as_html(sprintf("<button type='button' class='row' %s>%s</button>",
          go_each("line", "id", found$id[shown]), escape(found$query[shown]))),
          led = as_html(drawn("svg")), pages_led = drawn("days_led"),
          decision = decided[shown]))),
      sprintf("data-id='%s' data-gain='%.4f' data-hours='%g'", tasks$id[shown], tasks$gain[shown],
        tasks$hours[shown]),
      look = "data", wide = "pages_led"),
    decide_bar(held))
}

# The first two pages of a query, and who led on each day: list(svg, days_led).
contest_strip <- function(held, line) {
  site_summary <- held$findings$summary
  code <- match(line$query, site_summary$queries$query)
  pages <- utils::head(strsplit(line$pages, " ", fixed = TRUE)[[1]], 2)
  codes <- match(pages, site_summary$pages$page)
  days <- site_summary$contested[which(site_summary$contested$query == code &
    site_summary$contested$page %in% codes)]
  if (!nrow(days)) return(list(svg = "", days_led = "", days = NULL))
  first <- days[order(days$date, -days$clicks, -days$impressions)]
  first <- first[!duplicated(first$date)]
  everything <- seq(site_summary$recent$from, site_summary$recent$to, by = 1L)
  x <- as.integer(first$date) - as.integer(everything[1])
  wide <- length(everything)
  led <- first$page == codes[1]
  days_led <- sprintf("%s (%s), %s (%s)", format_path(pages[1]), format_plural(sum(led), "day"),
    format_path(pages[2]), format_plural(sum(!led), "day"))
  list(days_led = days_led, days = days, pages = pages, codes = codes,
    led = format_count(c(sum(led), sum(!led))), svg = sprintf(paste0(
    "<svg class='strip' viewBox='0 0 %d 14' preserveAspectRatio='none' role='img' ",
    "aria-label='%s'>%s</svg>"), as.integer(wide * 4),
    escape_attribute(paste("days in the lead:", days_led)),
    paste(sprintf("<rect class='%s' x='%d' y='%d' width='3' height='%d'></rect>",
      ifelse(led, "first", "second"), as.integer(x * 4), ifelse(led, 0L, 6L),
      ifelse(led, 14L, 8L)), collapse = "")))
}

# Where both pages stood by day, what each is called, and which is to be kept.
line_contest <- function(held, line) {
  if (!kind_is(line$kind, "contest") || is.null(held$findings$summary$contested)) return("")
  strip <- contest_strip(held, line)
  days <- strip$days
  if (is.null(days)) return("")
  every <- as.IDate(seq(as.Date(min(days$date)), as.Date(max(days$date)), by = 1))
  looks <- c("line", "line second")
  of <- lapply(1:2, function(nth) {
    own <- days[days$page == strip$codes[nth]]
    own$position[match(every, own$date)]
  })
  # Seven days around each, as far as the page was shown.
  level <- frollmean(of, 7, align = "center", na.rm = TRUE)
  pages <- strip$pages
  said <- if (is.null(held$pages)) rep("", 2) else {
    at <- match(page_key(pages), held$pages$pages$key)
    fcoalesce(as.character(held$pages$pages$title[at]), "")
  }
  sums <- reduce_by(days, "page")
  sums <- sums[match(strip$codes, sums$page)]
  tbl <- shown_columns(set(sums, j = "page", value = pages), c("page", "title", "days_led",
    "clicks", "impressions", "position"),
    text = c(list(page = as_html(sprintf("<span class='lead %s'>%s</span>%s",
      c("first", "second"), escape(format_path(pages)), c(" <b>to keep</b>", ""))),
      days_led = strip$led), if (any(nzchar(said))) list(title = said)))
  sprintf("<section><h2>Both pages by day</h2>%s%s</section>",
    course_figure(held, every, stats::setNames(level, looks), "position of both pages by day",
      write = format, places = TRUE, points = stats::setNames(of, c("dot first", "dot second")),
      width = 900, height = 190), html_table(tbl, look = "data"))
}
