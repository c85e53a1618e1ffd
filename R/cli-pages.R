# inktide pages: what the site's own pages say, what they miss, and which could link to one.

command_pages <- function(shared) {
  list(
    job = "read the site's own pages: words, links, depth",
    files = "[SOURCE...]",
    example = "inktide pages site-html --site https://www.fernmoor.example/ --project my-site",
    options = c(shared, list(
      text_option("--site", "URL", "address of the folder's top [of inktide.yml]"),
      switch_option("--missing", "queries whose page lacks them in title, heading or text"),
      text_option("--link-to", "PAGE", "pages that could link to this one, each with its sentence"),
      top_option())),
    arguments = c(to = "--link-to"),
    run = run_pages)
}

run_pages <- function(options, files) {
  check_number(options$top, "--top", min = 1)
  folder <- if (!is.null(options$project)) options$project else find_project(".")
  settings <- if (!is.null(folder)) tide_settings(folder)
  store <- if (!is.null(folder) && has_archive(folder)) tide_store(folder)
  pages <- if (length(files)) {
    site <- first_given(options$site, settings$site)
    if (is.null(site)) {
      abort_call("The address of the site is not known.", "inktide pages",
        "Name it with --site https://www.example.org/, or as 'site' in inktide.yml.")
    }
    read <- tide_pages_read(files, site, progress = progress_to_terminal(options))
    if (!is.null(store)) {
      tide_load(store, read)
      note(options, "stored in the project's archive")
    }
    read
  } else {
    if (is.null(store) || is.null(stored_site_pages(store))) {
      abort_call("No pages are known.", "inktide pages",
        "Name a folder or zip of saved pages, as in: inktide pages site-html --site URL")
    }
    tide_pages_read(store)
  }
  if (!options$missing && is.null(options$link_to)) {
    rows <- pages$pages[, !c("text", "key")]
    return(emit(options, rows, format(pages, width = terminal_width())))
  }
  summary <- summarise_input(options, settle_input(options, character()))
  if (!is.null(options$link_to)) {
    links <- tide_page_links(summary, pages, options$link_to)
    return(emit(options, setDT(as.data.frame(links)), link_lines(links, options)))
  }
  words <- tide_missing_words(summary, pages)
  note(options, effect_lines(attr(words, "effect")))
  emit(options, setDT(as.data.frame(words)), word_lines(words, options$top, terminal_width()))
}

# What saying a phrase does on this site.
effect_lines <- function(effect) {
  sprintf(paste("  queries of one page: phrase in title or heading, position x%.2f (%.2f to %.2f)",
    "compared with phrases it does not say; %s"),
    effect$times[1], effect$low[1], effect$high[1], format_plural(effect$pairs[1], "pair"))
}

link_lines <- function(links, options) {
  if (!nrow(links)) return("No page says what this page is asked for without linking to it.")
  shown <- utils::head(links, options$top)
  unlist(lapply(seq_len(nrow(shown)), function(i) {
    c(sprintf("%s (%s, linked from %s, %s from home): \"%s\"", format_path(shown$page[i]),
      format_plural(shown$clicks[i], "click"), format_plural(shown$linking[i], "page"),
      if (is.na(shown$depth[i])) "not reached" else format_plural(shown$depth[i], "click"),
      shown$query[i]),
      strwrap(sprintf("... %s", shown$sentence[i]), terminal_width(), indent = 2, exdent = 2))
  }))
}

# A row for each query: where its phrase stands, what saying it could bring, and the words that are
# missing.
word_lines <- function(words, top, width) {
  if (!nrow(words)) return("Every query's phrase stands in the title or a heading of its page.")
  shown <- utils::head(words, top)
  free <- name_width(shown$query, width - 50)
  mark <- function(n) ifelse(n > 0, format_count(n), "-")
  line <- function(query, impressions, position, done, text, cover, missing) {
    sub(" +$", "", paste0(fit_text(query, free), pad_left(impressions, 8), pad_left(position, 6),
      pad_left(done, 9), pad_left(text, 6), pad_left(cover, 7), "  ", missing))
  }
  c(
    line("query", "impr.", "pos", "if done", "text", "cover", "missing"),
    line(shown$query, format_count(shown$impressions), format_position(shown$position),
      paste0("+", format_clicks(shown$if_done)), mark(shown$in_text), format_share(shown$cover),
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
  row <- function(name, cells, missing) {
    sub(" +$", "", paste0(name, paste0(pad_left(cells, wide), collapse = ""), "  ", missing))
  }
  said <- if (side == "page") said_sentence(shown[1], pages)
  c(
    "What the page says (how often the phrase stands where)",
    row(fit_text(side, free), c("address", "title", "heading", "text", "first", "links", "cover"),
      "missing"),
    vapply(seq_len(nrow(shown)), function(i) row(name[i], cells[i, ], shown$missing[i]), ""),
    if (length(said)) strwrap(sprintf("... %s", said), width, indent = 2, exdent = 2))
}

said_sentence <- function(words, pages) {
  at <- match(page_key(words$page), pages$pages$key)
  own <- pages$pages[at]
  sentence <- said_in(words$query, own$text, own$language)
  if (nzchar(sentence)) sentence
}
