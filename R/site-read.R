#' Read the site's own pages
#'
#' Reads saved HTML (a folder or a zip, such as a static build) into what each page says: title,
#' description, headings, text, links.
#'
#' @details Text that stands on half of the pages, and menus, heads, feet and asides, are the frame
#'   and no page's own words. What only scripts draw is not seen: pages of under 20 words are
#'   remarked on. An address comes from the path in the folder; `index.html` is its folder's.
#' @param sources Paths of folders, zips or HTML files; or a `tide_store`, for the pages that
#'   [tide_load()] put into the archive last.
#' @param site Address that the folder's top stands for, such as `"https://www.fernmoor.example/"`.
#' @param date The day the pages were saved; `NULL` takes the newest file's.
#' @param progress A function of one text, called now and then.
#' @param ... Not used.
#' @return A `tide_pages` object: a list with `pages` (a data.table: `page`, `key`, `title`,
#'   `title_length`, `description`, `description_length` (in characters), `heading` (the main ones),
#'   `headings`, `first_sentence`, `text` (without the frame), `words`, `language`, `canonical`,
#'   `noindex`, `types` (of structured data), `pictures` (their alternative texts), `published`,
#'   `modified`, `linking` (how many other pages link to it), `depth` (clicks from the home page,
#'   missing where no link leads to it), `in_sitemap` (missing where none was read)), `links`
#'   (`from`, `to`: keys, `text`, `main`: whether in the text or in the frame), `skipped` (`file`,
#'   `reason`), `answers` (of addresses that were asked for, and of saved pages that lead on at
#'   once: `address`, `key`, `status`, `location`, `final` (the address that answers in the end,
#'   empty where none does), `redirects` (how many), `problem`), `left` (how many known addresses
#'   a limit left out), `odd_links` (`page`, `link`: what is no address), `site`, `canonical_site`
#'   (where nearly all pages name another host as theirs: that host), `delay` (seconds that
#'   `robots.txt` asks for, and what was kept of it), `date`. Methods: `print`,
#'   `format`, `tidy`, `summary` (remarks with counts).
#' @section Errors: `tide_error_file`; `tide_error_no_table` where no file is a page;
#'   `tide_error_argument` without a `site`.
#' @seealso [tide_page_words()] for what they say of queries.
#' @examples
#' dir <- tempfile("pages")
#' dir.create(file.path(dir, "kale"), recursive = TRUE)
#' writeLines("<html><head><title>Seeds</title></head><body><h1>Seeds</h1><p>Heirloom seeds of old
#'   vegetables, grown for you.</p><a href='/kale/'>Kale seeds</a></body></html>",
#'   file.path(dir, "index.html"))
#' writeLines("<html><head><title>Kale</title></head><body><h1>Kale seeds</h1><p>Kale stands
#'   through the winter.</p></body></html>", file.path(dir, "kale", "index.html"))
#' tide_pages_read(dir, "https://www.fernmoor.example/")
#' @export
tide_pages_read <- function(sources, ...) UseMethod("tide_pages_read")

#' @rdname tide_pages_read
#' @export
tide_pages_read.default <- function(sources, site, date = NULL, progress = NULL, ...) {
  check_no_more(...)
  check_text(sources, "sources", many = TRUE)
  check_site(site)
  date <- check_date(date, "date")
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  files <- html_files(sources, scratch)
  site <- sub("/*$", "/", site)
  read <- lapply(seq_len(nrow(files)), function(i) {
    if (!is.null(progress) && i %% 200 == 0) {
      progress(sprintf("Read %s of %s pages", format_count(i), format_count(nrow(files))))
    }
    address <- paste0(site, sub("(^|/)index\\.html?$", "\\1", files$name[i]))
    page_at <- read_html_page(file_bytes(files$path[i], 0, file.size(files$path[i])), address)
    c(page_at, list(file = files$name[i]))
  })
  saved <- as.IDate(as.Date(max(file.mtime(files$path)), tz = "UTC"))
  new_pages(read, site, if (is.null(date)) saved else date)
}

# Files to read: data.table(path, name: below the folder or zip they came from).
html_files <- function(sources, scratch) {
  found <- rbindlist(lapply(sources, function(source) {
    if (!dir.exists(source)) check_file(source)
    if (!dir.exists(source)) {
      if (grepl("\\.zip$", source, ignore.case = TRUE)) return(unpack_pages(source, scratch))
      return(data.table(path = source, name = basename(source)))
    }
    paths <- sort(list.files(source, page_endings, recursive = TRUE, ignore.case = TRUE))
    data.table(path = file.path(source, paths), name = paths)
  }))
  if (!nrow(found)) {
    abort_no_table("There is no HTML page.", paste(sources, collapse = ", "),
      "Name a folder or a zip of saved pages (.html).")
  }
  found
}

page_endings <- "\\.(html?|xhtml)$"

# The pages of a zip, unpacked as exports are: bounded, under names of our own.
unpack_pages <- function(file, scratch) {
  label <- basename(file)
  members <- zip_members(file, label)
  check_members(members, label)
  pages <- members[members$kind == "file" & grepl(page_endings, members$name, ignore.case = TRUE)]
  meter <- new_meter(file, label)
  check_size(meter, sum(pages$unpacked))
  paths <- vapply(seq_len(nrow(pages)), function(i) {
    target <- tempfile("page", scratch, fileext = ".html")
    if (pages$unpacked[i] == 0) file.create(target)
    if (pages$unpacked[i] > 0) unzip_member(file, pages[i], target, label, meter)
    target
  }, "")
  data.table(path = paths, name = pages$name)[order(pages$name, method = "radix")]
}

check_site <- function(site) {
  check_text(site, "site")
  if (!grepl("^https?://[^/ ]+", site)) {
    abort_argument("site", "an address such as https://www.fernmoor.example/", site)
  }
}

# The pages of a site together: what is the frame, who links to whom. answers, maps, left: what a
# walk was answered, what the site's sitemaps list, how many addresses were not asked for.
new_pages <- function(read, site, date, answers = NULL, maps = NULL, left = 0L) {
  whole <- Filter(function(page) is.null(page[["skipped"]]), read)
  skipped <- Filter(function(page) !is.null(page[["skipped"]]), read)
  if (!length(whole)) {
    abort_no_table("No file is a page.", read[[1]]$file,
      sprintf("The first is %s: save the pages as HTML.", read[[1]]$skipped))
  }
  pages <- rbindlist(lapply(whole, `[[`, "fields"))
  for (column in c("title", "description", "heading", "headings", "pictures")) {
    set(pages, j = column, value = squash(pages[[column]]))
  }
  set(pages, j = "key", value = page_key(pages$page))
  answers <- settled_answers(answers, pages)
  # A page that only leads on is an address, no page.
  last <- !duplicated(pages$key, fromLast = TRUE) & !nzchar(pages$leads_to)
  if (!any(last)) abort_no_table("Every page leads to another.", site, "Read those, too.")
  whole <- whole[last]
  pages <- pages[last]
  set(pages, j = "leads_to", value = NULL)
  blocks <- own_blocks(squash_blocks(lapply(whole, `[[`, "blocks")))
  text <- vapply(blocks, function(own) paste(own$text, collapse = "\n"), "")
  set(pages, j = c("first_sentence", "text", "words", "title_length", "description_length"),
    value = list(vapply(blocks, first_sentence, ""), text, count_words(text), nchar(pages$title),
      nchar(pages$description)))
  links <- site_links(whole, pages, site)
  graph <- link_graph(through_redirects(links, answers), pages$key, page_key(site))
  set(pages, j = c("linking", "depth"), value = graph)
  at <- match(pages$key, page_key(as.character(maps$pages$address)))
  set(pages, j = "in_sitemap", value = if (NROW(maps$pages)) !is.na(at) else NA)
  stated <- which(!nzchar(pages$modified) & !is.na(at))
  set(pages, stated, "modified", maps$pages$modified[at[stated]])
  setcolorder(pages, c("page", "key", "title", "title_length", "description", "description_length",
    "heading", "headings", "first_sentence", "text", "words"))
  structure(list(
    pages = pages[],
    links = links,
    skipped = rbind(data.table(file = vapply(skipped, `[[`, "", "file"),
      reason = vapply(skipped, `[[`, "", "skipped")),
      not_read(answers), data.table(file = maps$problems$address, reason = maps$problems$problem)),
    answers = answers,
    left = left,
    odd_links = rbindlist(lapply(whole, function(page) {
      data.table(page = rep(page$fields$page, length(page$links$odd)), link = page$links$odd)
    })),
    site = site,
    canonical_site = canonical_elsewhere(pages$canonical, site),
    date = date),
    class = c("tide_pages", "tide_result"))
}

# Where nearly all pages say that they belong to another host: its address, else NULL.
canonical_elsewhere <- function(canonical, site, share = 0.8, least = 3) {
  named <- canonical[nzchar(canonical)]
  host <- function(addresses) sub("[/?].*$", "", page_key(addresses))
  away <- named[host(named) != host(site)]
  if (length(away) < least || length(away) < share * length(canonical)) return(NULL)
  hosts <- sort(table(web_origin(away)), decreasing = TRUE)
  if (hosts[1] >= share * length(canonical)) paste0(names(hosts)[1], "/")
}

count_words <- function(text) tabulate(letter_runs(text)$at, length(text))

# White space put right, what is empty gone.
squash_blocks <- function(blocks) {
  sizes <- lengths(lapply(blocks, `[[`, "text"))
  texts <- split(squash(as.character(unlist(lapply(blocks, `[[`, "text")))),
    factor(rep(seq_along(blocks), sizes), seq_along(blocks)))
  Map(function(own, text) list(text = text[nzchar(text)], heading = own$heading[nzchar(text)]),
    blocks, unname(texts))
}

# Blocks without those that stand on half of the pages.
own_blocks <- function(blocks, least = 5, share = 0.5) {
  if (length(blocks) < least) return(blocks)
  distinct <- unlist(lapply(blocks, function(own) unique(own$text)))
  counts <- table(distinct)
  frame <- names(counts)[counts >= max(3, share * length(blocks))]
  lapply(blocks, function(own) {
    keep <- !own$text %in% frame
    list(text = own$text[keep], heading = own$heading[keep])
  })
}

# The first sentence of four words or more that is no heading.
first_sentence <- function(own) {
  text <- own$text[!own$heading]
  text <- text[lengths(strsplit(text, " ", fixed = TRUE)) >= 4]
  if (length(text)) sub("^(.{10,}?[.!?])\\s.*$", "\\1", text[1], perl = TRUE) else ""
}

# Links between pages of the site: data.table(from, to, text, main).
site_links <- function(whole, pages, site) {
  own <- lapply(whole, `[[`, "links")
  links <- setDT(list(from = rep(pages$key, lengths(lapply(own, `[[`, "to"))),
    to = page_key(as.character(unlist(lapply(own, `[[`, "to")))),
    text = squash(as.character(unlist(lapply(own, `[[`, "text")))),
    main = as.logical(unlist(lapply(own, `[[`, "main")))))
  host <- sub("[/?].*$", "", page_key(site))
  inside <- which(sub("[/?].*$", "", links$to) == host & links$to != links$from)
  links[inside]
}

# How many other pages link to each, and its clicks from the home page (breadth first).
link_graph <- function(links, keys, home) {
  distinct <- unique(links[, c("from", "to")])
  linking <- tabulate(match(distinct$to, keys), length(keys))
  depth <- rep(NA_integer_, length(keys))
  reached <- intersect(home, keys)
  steps <- 0L
  while (length(reached)) {
    depth[match(reached, keys)] <- steps
    steps <- steps + 1L
    next_ones <- unique(distinct$to[distinct$from %in% reached])
    reached <- next_ones[next_ones %in% keys & is.na(depth[match(next_ones, keys)])]
  }
  list(linking, depth)
}
