# The demo site's own pages as saved HTML: templates with menus and related links, and what is
# planted in them. Where a query stands on its page (title, heading, text or nowhere) follows from
# its words alone, so the truth is known without drawing anything.

# Where the phrase of each query is `planted` on the page that answers it, and where it `stands` in
# the end: data.table(query, page, topic, planted, stands).
demo_phrases <- function(queries) {
  own <- queries[queries$segment == "non-brand", c("query", "page", "topic", "weak"), with = FALSE]
  turn <- abs(digest::digest2int(own$query)) %% 10L
  set(own, j = "stands", value = c("none", "none", "text", "text", "text", "heading", "heading",
    "heading", "title", "title")[turn + 1L])
  # A weak title names nothing that people ask for.
  set(own, which(own$weak < 1 & own$stands == "title"), "stands", "heading")
  # Pages have one title: the first query that claims it.
  again <- which(own$stands == "title" & duplicated(paste(own$page, own$stands)))
  set(own, again, "stands", "heading")
  planted <- own$stands
  # A phrase stands where a longer one does that holds it, and where the name of the page does.
  rank <- c(none = 0, text = 1, heading = 2, title = 3)
  best <- vapply(seq_len(nrow(own)), function(i) {
    rivals <- which(own$page == own$page[i] & planted != "none")
    holds <-
      grepl(paste0(" ", own$query[i], " "), paste0(" ", own$query[rivals], " "), fixed = TRUE)
    named <- !any(own$page == own$page[i] & planted == "title") &&
      grepl(paste0(" ", house_name(own$query[i]), " "),
        paste0(" ", house_name(basename(own$page[i])), " "), fixed = TRUE)
    max(rank[planted[i]], rank[planted[rivals[holds]]], if (named) 3)
  }, 0)
  data.table(own[, c("query", "page", "topic")], planted, stands = names(rank)[best + 1L])
}

house_name <- function(x) gsub("'", "", gsub("-", " ", x))

# Sentences that say nothing of any query.
demo_filler <- c("Water at dusk and let the ground drain before the next round.",
  "Our own beds lie on heavy clay above the river.", "Nothing here is treated or coated.",
  "We post twice a week, in paper.", "Ask us by letter and we answer by letter.",
  "The old barn dries everything slowly over the summer.",
  "A fleece helps when nights are cold, and a net when birds are hungry.")

# Pages as a list: path (below the folder), html, and the links between pages: data.table(from, to,
# text, main), by path of the address.
demo_html <- function(site) {
  pages <- demo_pages()
  phrases <- demo_phrases(site$truth$queries)
  path <- sub(demo_host, "", pages$page, fixed = TRUE)
  by_page <- split(phrases, factor(phrases$page, pages$page))
  links <- demo_links(path, pages$folder, site)
  html <- vapply(seq_along(path), function(i) {
    demo_page(path[i], pages$topic[i], by_page[[i]], links[links$from == path[i]], i)
  }, "")
  list(path = path, file = paste0(substring(path, 2), "index.html"), html = html, links = links,
    phrases = phrases)
}

demo_menu <-
  c(`/` = "Home", `/guides/` = "Guides", `/journal/` = "Journal", `/catalogue/` = "Catalogue")

# The home page leads to the indexes of shop, guides and journal, these to their pages but each
# twelfth, which hangs on its neighbour, and each fortieth, which nothing links to. Of pages that
# compete, some link to the wrong one with the very words of the query.
demo_links <- function(path, folder, site) {
  index <- c("/guides/", "/journal/", "/catalogue/")
  of <- c(guide = "/guides/", journal = "/journal/", shop = "/catalogue/")
  link <- function(from, to, text, main) {
    data.table(from = rep_len(from, length(to)), to = to, text = text, main = main)
  }
  name <- function(to) gsub("-", " ", basename(to))
  within <- rbindlist(lapply(names(of), function(kind) {
    own <- path[folder == kind]
    place <- seq_along(own)
    orphan <- place %% 40 == 0
    hung <- place %% 12 == 0 & !orphan
    listed <- own[!hung & !orphan]
    rbind(link(of[[kind]], listed, name(listed), TRUE),
      link(own[place[hung] - 1L], own[hung], name(own[hung]), TRUE))
  }))
  varieties <- path[folder == "variety"]
  shop <- sub("[^/]+/$", "", varieties)
  frame <- rbindlist(lapply(path, function(from) {
    to <- setdiff(names(demo_menu), from)
    link(from, to, demo_menu[to], FALSE)
  }))
  swaps <- site$truth$queries[site$truth$queries$case == "swap"]
  journal <- path[folder == "journal"]
  wrong <- rbindlist(lapply(seq_len(min(5, nrow(swaps))), function(i) {
    link(journal[3 * i + 0:2], rep(sub(demo_host, "", swaps$other[i], fixed = TRUE), 3),
      swaps$query[i], TRUE)
  }))
  all <- rbind(within, data.table(from = shop, to = varieties, text = name(varieties), main = TRUE),
    link("/", c("/delivery/", "/contact/", "/gift-vouchers/", "/about/"),
      c("Delivery", "Contact", "Gift vouchers", "About us"), TRUE),
    wrong, frame)
  all[all$from != all$to]
}

demo_page <- function(path, topic, phrases, links, i) {
  said <- function(where) phrases$query[phrases$planted == where]
  house <- gsub("-", " ", if (path == "/") "Fernmoor" else basename(path))
  title <- c(said("title"), house)[1]
  sections <- said("heading")
  inside <- said("text")
  a <- function(rows) sprintf("<a href='%s'>%s</a>", rows$to, escape_text(rows$text))
  filler <- function(k) demo_filler[(i + k) %% length(demo_filler) + 1L]
  main <- links[links$main]
  paste0("<!doctype html><html lang='en'><head><meta charset='utf-8'><title>",
    escape_text(sprintf("%s | Fernmoor Seeds", title)), "</title>",
    if (i %% 9 != 0) {
      sprintf("<meta name='description' content='%s'>",
        if (i %% 7 == 0) {
          "Heirloom seeds by post"
        } else {
          escape_text(sprintf("All of %s at a glance.", house))
        })
    },
    sprintf("<link rel='canonical' href='%s%s'>", demo_host, path),
    if (path == "/about/") "<meta name='robots' content='noindex'>", "</head><body><header><nav>",
    paste(a(links[!links$main]), collapse = " "), "</nav></header><main><h1>", escape_text(title),
    "</h1><p>", filler(0), "</p>", paste0("<h2>", escape_text(sections), "</h2><p>", filler(1),
      "</p>", collapse = "")[length(sections) > 0],
    paste0("<p>", escape_text(sprintf("A word on %s, since many ask.", inside)), "</p>",
      collapse = "")[length(inside) > 0],
    if (nrow(main)) paste0("<ul><li>", paste(a(main), collapse = "</li><li>"), "</li></ul>"), "<p>",
    filler(2), "</p></main><footer><p>Fernmoor Seeds, by post since always.</p></footer>",
    "</body></html>")
}

escape_text <- function(x) htmltools::htmlEscape(x, attribute = TRUE)

# The pages as a folder, with one page in another encoding, one whose markup is broken, one copy
# that names its original as canonical, and two old addresses that lead on, one by way of the other.
write_demo_html <- function(site, dir) {
  made <- demo_html(site)
  files <- file.path(dir, made$file)
  for (folder in unique(dirname(files))) dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  html <- made$html
  broken <- match("/delivery/", made$path)
  html[broken] <- sub("</main>", "", gsub("</p>", "", html[broken], fixed = TRUE), fixed = TRUE)
  other <- match("/contact/", made$path)
  html[other] <-
    sub("utf-8", "iso-8859-1", sub("<title>contact", "<title>Caf\u00e9 and contact", html[other]))
  for (i in seq_along(files)) {
    bytes <- charToRaw(if (i == other) iconv(html[i], "UTF-8", "latin1") else enc2utf8(html[i]))
    writeBin(bytes, files[i])
  }
  kale <- match("/guides/how-to-grow-kale/", made$path)
  extra <- c(`print/how-to-grow-kale` = html[kale], `old/kale` = lead_on("/old/kale-guide/"),
    `old/kale-guide` = lead_on(made$path[kale]))
  for (path in names(extra)) {
    dir.create(file.path(dir, path), recursive = TRUE, showWarnings = FALSE)
    write_lines(extra[[path]], file.path(dir, path, "index.html"))
  }
  copied <- made$links[made$links$from == made$path[kale]]
  made$links <- rbind(made$links, set(copied, j = "from", value = "/print/how-to-grow-kale/"))
  invisible(made)
}

lead_on <- function(to) {
  sprintf(
    "<!doctype html><html><head><meta http-equiv='refresh' content='0; url=%s'></head></html>", to)
}
