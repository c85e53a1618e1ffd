# One task's page: what it says of itself now, a new title to be tried on it, and its queries.

# Titles are cut by width: so many pixels, in the size of letters that results show them in.
title_pixels <- 580L

line_page <- function(held, line) {
  code <- match(line$page, held$findings$summary$pages$page)
  if (is.na(code) || !nzchar(line$page)) return("")
  pairs <- held$findings$pairs
  pairs <- pairs[pairs$page == code]
  rows <- data.table(query = held$findings$summary$queries$query[pairs$query],
    pairs[, c("clicks", "impressions", "ctr", "expected_ctr", "position")],
    missed = missed_clicks(pairs$clicks, pairs$expected))
  setorderv(rows, c("missed", "clicks"), c(-1L, -1L))
  paste0("<section><h2>What is there now</h2>", page_says(held, line$page),
    title_editor(rows, held$read_only), "</section>", page_queries(rows, line$page))
}

# Title, description and heading as they were read.
page_says <- function(held, page) {
  at_row <- match(page_key(page), held$pages$pages$key)
  own <- if (!is.na(at_row)) held$pages$pages[at_row]
  if (!NROW(own)) {
    return(paste("<p class='soft'>Not read yet: 'inktide pages SITE-OR-FOLDER' reads titles,",
      "descriptions and headings.</p>"))
  }
  said <- unlist(own[1, c("title", "description", "heading")])
  size <- c(sprintf(" (%s)", format_plural(nchar(said[1:2]), "character")), "")
  sprintf("<dl class='says'>%s</dl>", paste(sprintf("<div><dt>%s</dt><dd>%s%s</dd></div>",
    column_words(names(said), "label"), ifelse(nzchar(said), escape(said), "none"),
    ifelse(nzchar(said), sprintf("<span class='soft'>%s</span>", size), "")), collapse = ""))
}

# Words of the page's queries, each with the clicks that its queries miss; those that a title holds
# are told while it is typed.
title_editor <- function(rows, read_only, most = 14L) {
  words <- word_table(query_key(rows$query))
  if (!nrow(words)) return("")
  stake <- if (sum(rows$missed) > 0) rows$missed else rows$impressions
  words <- unique(words)
  set(words, j = "stake", value = stake[words$query])
  sums <- sums_by(words, "word", "stake")
  sums <- utils::head(sums[order(-sums$stake)], most)
  sprintf(paste0("<div class='try' data-pixels='%d'><label>Try a title <input id='new-title' ",
    "type='text' maxlength='200' autocomplete='off'></label> <output id='title-fits' ",
    "class='soft'></output><p class='words'>%s</p><p class='soft'>Words of the page's queries, ",
    "those first that miss most clicks; what the title holds is marked.%s</p></div>"), title_pixels,
    paste(sprintf("<span data-word='%s' data-stake='%.4f'>%s</span>",
      escape_attribute(sums$word), sums$stake, escape(sums$word)), collapse = " "),
    if (read_only) "" else " It is stored with the decision, for the checklist.")
}

page_queries <- function(rows, page, most = 10L) {
  shown <- utils::head(rows, most)
  columns <- shown_columns(shown, c("query", "clicks", "impressions", "ctr", "expected_ctr",
    "missed", "position"), text = list(query = leading_names("query", shown$query)))
  sprintf("<section><h2>Queries of %s</h2>%s%s</section>", escape(format_path(page)),
    html_table(columns, look = "data", wide = "query"), if (nrow(rows) > most) {
      sprintf("<p>%s</p>", sprintf("<button type='button' class='plain' %s>all %s</button>",
        step_to("query", "pages", page), format_count(nrow(rows))))
    } else {
      ""
    })
}

# Where a task stands in the list that it was opened from, with the ways to its neighbours.
line_neighbours <- function(held, state, id) {
  ids <- chosen_tasks(held, replace(state, "small", "shown"))$tasks$id
  at <- match(id, ids)
  if (is.na(at)) return("")
  way <- function(to, mark, label, key) {
    if (to < 1 || to > length(ids)) return("")
    sprintf("<button type='button' class='plain' data-%s='1' %s>%s <kbd>%s</kbd></button>", mark,
      go_to(id = ids[to]), label, key)
  }
  sprintf(paste("<nav class='ways' aria-label='tasks'>%s",
    "<span class='soft'>task %s of %s</span> %s</nav>"),
    way(at - 1L, "previous", "previous", "k"), format_count(at), format_count(length(ids)),
    way(at + 1L, "next", "next", "j"))
}
