# What the report says of the site's own pages: remarks, addresses that moved, depth; and under each
# line what its page says, with the sections to add.

report_pages <- function(findings, most = 10) {
  pages <- findings$site_pages
  remarks <- summary(pages)
  rows <- shown_columns(data.table(remark = remarks$remark, of_pages = remarks$pages,
    the_first = format_path(remarks$first)), c("remark", "of_pages", "the_first"))
  status <- tide_page_status(findings$summary, pages)
  shown <- utils::head(status, most)
  moved <- shown_columns(shown, c("page", "clicks", "impressions", "problem", "leads_to"))
  paste0("<p class='soft'>",
    escape(sprintf("%s, as of %s", format_plural(nrow(pages$pages), "page"),
      format_day(pages$date))),
    "</p>", if (nrow(remarks)) html_table(rows) else "<p>Nothing to remark on.</p>",
    if (nrow(shown)) {
      paste0("<h3>Pages with impressions that do not answer themselves</h3>",
        html_table(moved), pages_more(nrow(status) - nrow(shown)))
    },
    inline_svg(ggplot2::autoplot(pages, findings$summary), depth_sentence(pages), height = 4.5))
}

depth_sentence <- function(pages) {
  depth <- table(pages$pages$depth)
  if (!length(depth)) return("No page is reached from the home page.")
  sprintf("Clicks from the home page: %s.",
    paste(sprintf("%s pages at %s", format_count(depth), names(depth)), collapse = ", "))
}

pages_more <- function(more) {
  if (more > 0) sprintf("<p class='soft'>and %s more</p>", format_count(more)) else ""
}

# For each task what its page says of its queries, and sections to add where some are missing.
page_words_parts <- function(findings, leads, most = 8) {
  if (is.null(findings$site_pages)) return(rep("", nrow(leads)))
  words <- setDT(as.data.frame(tide_page_words(findings$summary, findings$site_pages)))
  lines <- findings$findings
  by_page <- split(seq_len(nrow(words)), words$page)
  vapply(seq_len(nrow(leads)), function(i) {
    own <- words[by_page[[leads$page[i]]]]
    if (!nrow(own)) return("")
    asked <- unique(lines$query[lines$task == leads$task[i]])
    task_total <- utils::head(own[own$query %in% asked], most)
    paste0(words_table(task_total), sections_list(tide_page_brief(own, most = 4)))
  }, "")
}

words_table <- function(words) {
  if (!nrow(words)) return("")
  paste0("<p><b>How often the page says it</b></p>", html_table(shown_columns(words,
    c("query", "in_address", "in_title", "in_heading", "in_text", "in_first", "in_links", "cover",
      "missing"))))
}

sections_list <- function(brief) {
  if (!nrow(brief)) return("")
  sections <- vapply(split(brief, brief$section), function(own) {
    own <- utils::head(own, 6)
    items <- sprintf("%s (%s)", escape(own$query), format_count(own$impressions))
    items[1] <- sprintf("<b>%s</b> (%s)", escape(own$query[1]), format_count(own$impressions[1]))
    sprintf("<li>%s</li>", paste(items, collapse = ", "))
  }, "")
  paste0("<p><b>Sections the page lacks</b> (the first query as the heading; impressions)</p><ul>",
    paste(sections, collapse = ""), "</ul>")
}
