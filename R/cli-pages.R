# inktide pages: what the site's own pages say, what they miss, and which could link to one.

command_pages <- function(shared) {
  list(
    job = "read the site's own pages: words, links, depth",
    files = "[SOURCE...|@ADDRESSES]",
    example = "inktide pages site-html --site https://www.fernmoor.example/ --project my-site",
    options = c(
      shared,
      list(
        text_option("--site", "URL", "address of the home page [of inktide.yml]"),
        switch_option("--missing", "queries whose page lacks them in title, heading or text"),
        text_option("--link-to", "PAGE",
          "pages that could link to this one, each with its sentence"),
        text_option("--brief", "PAGE", "sections that a page lacks, each with its queries"),
        switch_option("--status",
          "pages with clicks that are redirected, gone or not to be indexed"),
        switch_option("--changes", "what changed on pages between the readings stored"),
        top_option()),
      walk_options()),
    arguments = c(to = "--link-to", page = "--brief"),
    run = run_pages)
}

# How pages are asked for over HTTP, where SOURCE is an address.
walk_options <- function() {
  list(number_option("--delay", "SECONDS", "between two requests [1]", 1),
    number_option("--max-pages", "N", "addresses asked for at most [2000]", 2000),
    number_option("--depth", "N", "clicks that links are followed from the home page [all]"),
    text_option("--only", "RE", "only paths that match"),
    text_option("--not", "RE", "no paths that match"),
    text_option("--contact", "ADDRESS", "who walks, said with each request [of inktide.yml]"),
    number_option("--timeout", "SECONDS", "to wait for an answer [30]", 30))
}

# What can be asked of pages that were read, by option.
page_views <- c("--missing", "--status", "--changes", "--link-to", "--brief")

check_page_options <- function(options, files) {
  views <- intersect(options$given, page_views)
  if (length(views) > 1) {
    abort_call("Two things are asked at once.", paste(views, collapse = " and "),
      "Ask one of them.")
  }
  if (!length(views)) {
    refuse_given(options, "--top", "What was read is summed up as a whole.",
      "Add --missing, --status or --link-to, or leave it out.")
  }
  if (!length(views) || identical(views, "--changes")) {
    refuse_given(options, c(window_flags, filter_flags, brand_flags, "--facts"),
      "This option chooses among queries and their figures.",
      "Add --missing, --status, --link-to or --brief, or leave it out.")
  }
  if (identical(views, "--link-to")) {
    refuse_given(options, filter_flags, "Pages are found by what they say, not by these.",
      "Leave it out.")
  }
  if (identical(views, "--status")) {
    refuse_given(options, setdiff(filter_flags, c("--page", "--not-page", "--page-group")),
      "The status is that of pages, not of queries.", "Choose by --page, or leave it out.")
  }
  if (identical(views, "--brief")) {
    refuse_given(options, "--top", "A brief is whole.", "Leave it out.")
  }
  if (!any(grepl("^https?://", files))) {
    refuse_given(options, flags_of(walk_options()), "This option is about asking a site over HTTP.",
      "Name the site's address, or leave it out.")
  }
}

# The rows of a table by page, or by query and page, that the filters of the call choose. What they
# rest on is the whole site.
chosen_page_rows <- function(rows, options, input, summary) {
  waiting <- waiting_segments(input)
  if (!length(waiting)) return(rows)
  chosen <- tide_filter(summary, segments = waiting, rules = input$settings$rules)
  key <- function(query, page) paste(query_key(query), page_key(page), sep = "\r")
  kept <- if (is.null(rows[["query"]])) {
    page_key(rows$page) %in% chosen$pages$key[chosen$pairs$page]
  } else {
    key(rows$query, rows$page) %in% key(chosen$queries$query[chosen$pairs$query],
      chosen$pages$page[chosen$pairs$page])
  }
  rows[which(kept), ]
}

run_pages <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  if (any(startsWith(files, "@"))) return(run_titles(options, files))
  check_page_options(options, files)
  folder <- project_folder(options)
  settings <- if (!is.null(folder)) tide_settings(folder)
  store <- if (!is.null(folder)) tide_store(folder)
  pages <- if (length(files)) {
    read <- pages_of_sources(options, files, settings, store)
    if (!is.null(store)) {
      tide_load(store, read)
      cli_note(options, "stored in the project's archive")
    }
    read
  } else {
    if (is.null(store) || is.null(stored_site_pages(store))) {
      abort_call("No pages are known.", "inktide pages",
        "Name a folder, a zip or the site's address, as in: inktide pages site-html --site URL")
    }
    tide_pages_read(store)
  }
  if (options$changes) return(cli_result_page_changes(options, store))
  asked <- options$missing || options$status || !is.null(options$link_to) || !is.null(options$brief)
  if (!asked) {
    rows <- pages$pages[, !c("text", "key")]
    return(cli_result(options, rows, format(pages, width = terminal_width())))
  }
  input <- resolve_input(options, character())
  site_summary <- summarise_input(options, input)
  if (options$status) {
    status <- chosen_page_rows(tide_page_status(site_summary, pages), options, input, site_summary)
    return(cli_result(options, setDT(as.data.frame(status)), status_lines(status, options$top)))
  }
  if (!is.null(options$link_to)) {
    links <- tide_page_links(site_summary, pages, options$link_to)
    return(cli_result(options, setDT(as.data.frame(links)), link_lines(links, options)))
  }
  if (!is.null(options$brief)) {
    words <- chosen_page_rows(tide_page_words(site_summary, pages), options, input, site_summary)
    brief <- tide_page_brief(words, options$brief)
    return(cli_result(options, setDT(as.data.frame(brief)), brief_lines(brief)))
  }
  words <- tide_missing_words(site_summary, pages, assumptions = settings$assumptions)
  words <- chosen_page_rows(words, options, input, site_summary)
  cli_result(options, setDT(as.data.frame(words)), word_lines(words, options$top, terminal_width()))
}

# Titles of the addresses that files list, of any site: nothing of one's own is read or stored.
run_titles <- function(options, files) {
  listed <- startsWith(files, "@")
  if (!all(listed)) {
    abort_call("Lists of addresses and pages of the site cannot be read together.",
      files[!listed][1], "Read them one after the other.")
  }
  used <- c("--delay", "--contact", "--timeout", "--top", "--format", "--out", "--details",
    "--quiet", "--verbose")
  refuse_given(options, setdiff(options$given, used),
    "A list of addresses gives titles and descriptions, nothing else.", "Leave it out.")
  titles <- tide_page_titles(unlist(lapply(files, listed_lines)), delay = options$delay,
    contact = options$contact, timeout = options$timeout,
    progress = progress_to_terminal(options))
  cli_result(options, setDT(as.data.frame(titles)), title_lines(titles, options$top,
    terminal_width()))
}

# Each address with the lengths of its title and description, and beneath what they say.
title_lines <- function(titles, top, width) {
  shown <- utils::head(titles, top)
  read <- !nzchar(shown$problem)
  text <- function(what, said, length) {
    sprintf("  %s: %s", what, ifelse(nzchar(said), sprintf("%s (%s)", visible_text(said),
      format_plural(length, "character")), "none"))
  }
  lines <- lapply(seq_len(nrow(shown)), function(i) {
    row_at <- shown[i, ]
    c(visible_text(row_at$page), if (read[i]) {
      c(text("title", row_at$title, row_at$title_length),
        text("description", row_at$description, row_at$description_length))
    } else {
      sprintf("  not read: %s", row_at$problem)
    })
  })
  long <- function(which) sum(titles[[which]] > longest_shown[[which]])
  c(sprintf(paste("%s of %s read; titles of more than %d characters: %s,",
    "descriptions of more than %d: %s"),
    format_count(sum(!nzchar(titles$problem))), format_plural(nrow(titles), "address", "addresses"),
    longest_shown[["title_length"]], format_count(long("title_length")),
    longest_shown[["description_length"]], format_count(long("description_length"))), "",
    wrap_lines(unlist(lines), width),
    if (nrow(titles) > nrow(shown)) {
      sprintf("... and %s more", format_count(nrow(titles) - nrow(shown)))
    })
}

# A folder, a zip, files; or addresses: the home page, or sitemaps.
pages_of_sources <- function(options, files, settings, store) {
  progress <- progress_to_terminal(options)
  away <- grepl("^https?://", files)
  if (any(away) && !all(away)) {
    abort_call("Addresses and files cannot be read together.", files[away][1],
      "Read them one after the other: the newest counts.")
  }
  maps <- away & grepl("[.](xml|txt)([.]gz)?$", sub("[?].*$", "", files))
  site <- first_given(options$site, if (any(away & !maps)) files[away & !maps][1], settings$site,
    if (any(maps)) sub("^([a-z]+://[^/]*).*$", "\\1/", files[maps][1]))
  if (is.null(site)) {
    abort_call("The address of the site is not known.", "inktide pages",
      "Name it with --site https://www.example.org/, or as 'site' in inktide.yml.")
  }
  if (!any(away)) return(tide_pages_read(files, site, progress = progress))
  known <- if (!is.null(store) && nrow(import_history(store))) {
    site_summary <- summarise_input(options, resolve_input(options, character()))
    sums_of_pages(site_summary)$page
  }
  tide_pages_walk(site, addresses = as.character(c(files[!maps], known)),
    sitemaps = if (any(maps)) files[maps], delay = options$delay, max_pages = options$max_pages,
    depth = first_given(options$depth, 1000), only = options$only, not = options$not,
    contact = first_given(options$contact, settings$contact), timeout = options$timeout,
    keep = if (!is.null(store)) file.path(store$dir, "walk.sqlite"), progress = progress)
}

status_lines <- function(status, top) {
  if (!nrow(status)) return("Every page with impressions that was read answers itself.")
  shown <- utils::head(status, top)
  c(sprintf("%s impr. %s clicks  %s: %s%s", pad_left(format_count(shown$impressions), 8),
    pad_left(format_count(shown$clicks), 6), format_path(shown$page), shown$problem,
    ifelse(nzchar(shown$leads_to), sprintf(" -> %s", format_path(shown$leads_to)), "")),
    if (nrow(status) > nrow(shown)) {
      sprintf("... and %s more", format_count(nrow(status) - nrow(shown)))
    })
}

# Each page once; beneath it a line for each section's first query, its others indented.
brief_lines <- function(brief) {
  if (!nrow(brief)) return("The page says every query it is shown for in its title or a heading.")
  first <- !duplicated(paste(brief$page, brief$section))
  lines <- sprintf("%s impr.  pos %s  %s%s%s", pad_left(format_count(brief$impressions), 8),
    pad_left(format_position(brief$position), 5), ifelse(first, "", "  + "), brief$query,
    ifelse(nzchar(brief$missing), sprintf("  (not said: %s)", brief$missing), ""))
  pages <- factor(brief$page, unique(brief$page))
  wrap_lines(c(
    unlist(lapply(levels(pages), function(page) c(format_path(page), lines[pages == page]))),
    "",
    "A line for each section to write, named by its first query; + others that belong there."),
    terminal_width())
}

# Titles, descriptions and headings between readings, the newest first.
cli_result_page_changes <- function(options, store) {
  if (is.null(store)) {
    abort_call("No readings are stored.", "inktide pages --changes",
      "Read pages into a project's archive, at least twice.")
  }
  changes <- tide_page_changes(store)
  shown <- utils::head(changes, options$top)
  lines <- if (!nrow(changes)) {
    "No page changed between the readings stored."
  } else {
    c(page_change_lines(shown), if (nrow(changes) > nrow(shown)) {
      sprintf("... and %s more", format_count(nrow(changes) - nrow(shown)))
    })
  }
  cli_result(options, setDT(as.data.frame(changes)), lines)
}

page_change_lines <- function(changes) {
  quoted <- function(text) ifelse(nzchar(text), sprintf("\"%s\"", text), "nothing")
  sprintf("%s: %s changed by %s%s", format_path(changes$page), gsub("_", " ", changes$field),
    format_day(changes$date), ifelse(changes$field == "page",
      ifelse(changes$now == "", ": no longer there", ": new"),
      sprintf(": was %s, now %s", quoted(changes$before), quoted(changes$now))))
}

link_lines <- function(links, options) {
  if (!nrow(links)) return("No page says what this page is asked for without linking to it.")
  shown <- utils::head(links, options$top)
  unlist(lapply(seq_len(nrow(shown)), function(i) {
    c(wrap_lines(sprintf("%s (%s, linked from %s, %s from home): \"%s\"",
      format_path(shown$page[i]), format_plural(shown$clicks[i], "click"),
      format_plural(shown$linking[i], "page"),
      if (is.na(shown$depth[i])) "not reached" else format_plural(shown$depth[i], "click"),
      shown$query[i]),
      terminal_width()),
      strwrap(sprintf("... %s", shown$sentence[i]), terminal_width(), indent = 2, exdent = 2))
  }))
}

# A row for each query: where its phrase stands, what saying it could bring, and the words that are
# missing.
word_lines <- function(words, top, width) {
  if (!nrow(words)) return("Every query's phrase stands in the title or a heading of its page.")
  shown <- utils::head(words, top)
  free <- name_width(shown$query, width - 40 - max(7, nchar(shown$missing, "width")))
  mark <- function(n) ifelse(n > 0, format_count(n), "-")
  text_line <- function(query, impressions, position, done, text, cover, missing) {
    sub(" +$", "", paste0(fit_text(query, free), pad_left(impressions, 8), pad_left(position, 6),
      pad_left(done, 9), pad_left(text, 6), pad_left(cover, 7), "  ", missing))
  }
  c(
    text_line("query", "impr.", "pos", "if done", "text", "cover", "missing"),
    text_line(shown$query, format_count(shown$impressions), format_position(shown$position),
      format_gain(shown$if_done), mark(shown$in_text), format_share(shown$cover),
      shown$missing),
    if (nrow(words) > nrow(shown)) sprintf("... and %s more", format_count(nrow(words) - top)),
    "",
    wrap_lines(paste("if done: extra clicks per 30 days with the phrase in title or heading; text:",
      "how often it stands in the text; cover: share of its words that the page says"),
      width))
}

# A matrix of where each phrase stands, and of one query's page the sentence in which it does.
phrase_lines <- function(words, side, top, width, pages) {
  shown <- utils::head(words, top)
  free <- name_width(if (side == "page") format_path(shown$page) else shown$query, width - 56)
  mark <- function(n) ifelse(n > 0, format_count(n), "-")
  name <- if (side == "page") {
    fit_path(format_path(shown$page), free)
  } else {
    fit_text(shown$query, free)
  }
  cells <- cbind(mark(shown$in_address), mark(shown$in_title), mark(shown$in_heading),
    mark(shown$in_text), mark(shown$in_first), mark(shown$in_links), format_share(shown$cover))
  wide <- c(8, 6, 8, 5, 6, 6, 6)
  text_row <- function(name, cells, missing) {
    sub(" +$", "", paste0(name, paste0(pad_left(cells, wide), collapse = ""), "  ", missing))
  }
  sentence <- if (side == "page") said_sentence(shown[1], pages)
  c(
    "What the page says (how often the phrase stands where)",
    text_row(fit_text(side, free), c("address", "title", "heading", "text", "first", "links",
      "cover"),
      "missing"),
    vapply(seq_len(nrow(shown)), function(i) text_row(name[i], cells[i, ], shown$missing[i]), ""),
    if (length(sentence)) strwrap(sprintf("... %s", sentence), width, indent = 2, exdent = 2))
}

said_sentence <- function(words, pages) {
  at <- match(page_key(words$page), pages$pages$key)
  own <- pages$pages[at]
  sentence <- said_in(words$query, own$text, own$language)
  if (nzchar(sentence)) sentence
}
