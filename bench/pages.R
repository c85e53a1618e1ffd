# The site's own pages: reading saved HTML and matching queries with it, by size. Ratios are to a
# plain baseline in the same run: parsing every page with xml2 and taking its text, and one
# case-insensitive search for each query in its page's text.
#
#   Rscript bench/pages.R [PAGES ...]
suppressPackageStartupMessages({
  library(inktide)
  library(data.table)
})
setDTthreads(1)
sizes <- as.integer(commandArgs(TRUE))
if (!length(sizes)) sizes <- c(2500L, 10000L)

words <- c("seed", "bed", "frost", "slug", "harvest", "winter", "soil", "water", "light", "mulch",
  "root", "leaf", "sowing", "spacing", "variety", "old", "early", "sweet", "tall", "hardy")
sentence <- function(n) paste(sample(words, n, TRUE), collapse = " ")

# A page of about 400 words with a menu, headings and twenty links.
page <- function(i, pages) {
  links <- sprintf("<a href='/p%d/'>page %d</a>", sample(pages, 20), 1:20)
  sections <- paste0("<h2>", replicate(5, sentence(3)), "</h2><p>", replicate(5, sentence(80)),
    "</p>", collapse = "")
  sprintf(paste0("<!doctype html><html lang='en'><head><title>Plant %d | Fernmoor Seeds</title>",
    "<meta name='description' content='All of it'></head><body><nav><a href='/'>Home</a></nav>",
    "<main><h1>Plant %d</h1>%s<ul>%s</ul></main></body></html>"), i, i, sections,
    paste0("<li>", links, "</li>", collapse = ""))
}

cpu <- function(work) {
  gc(reset = TRUE)
  before <- proc.time()
  force(work)
  list(seconds = sum((proc.time() - before)[1:2]), mb = sum(gc()[, 6]))
}

rows <- rbindlist(lapply(sizes, function(pages) {
  set.seed(1)
  dir <- tempfile("pages")
  for (i in seq_len(pages)) {
    dir.create(file.path(dir, sprintf("p%d", i)), recursive = TRUE)
    writeLines(page(i, pages), file.path(dir, sprintf("p%d", i), "index.html"))
  }
  read <- NULL
  of_reading <- cpu(read <- tide_pages_read(dir, "https://www.fernmoor.example/"))
  files <- list.files(dir, recursive = TRUE, full.names = TRUE)
  plain <- cpu(texts <- vapply(files, function(file) xml2::xml_text(xml2::read_html(file)), ""))
  # Ten queries a page.
  exports <- CJ(p = seq_len(pages), q = 1:10)
  exports[, "query" := sprintf("plant %d %s", p, replicate(.N, sentence(2)))]
  data <- data.table(query = exports$query,
    page = sprintf("https://www.fernmoor.example/p%d/", exports$p), clicks = 1, impressions = 50,
    position = 1 + exports$q)
  file <- tempfile(fileext = ".csv")
  fwrite(unique(data, by = c("query", "page")), file)
  summary <- tide_summary(tide_read(file))
  of_matching <- cpu(tide_page_words(summary, read))
  naive <- cpu(mapply(grepl, data$query, texts[match(exports$p,
    as.integer(sub(".*/p([0-9]+)/.*", "\\1", files)))], MoreArgs = list(ignore.case = TRUE)))
  unlink(dir, recursive = TRUE)
  data.table(pages, pairs = nrow(summary$pairs), reading = of_reading$seconds,
    reading_mb = of_reading$mb, against_parsing = of_reading$seconds / plain$seconds,
    matching = of_matching$seconds, matching_mb = of_matching$mb,
    against_search = of_matching$seconds / naive$seconds)
}))
print(rows, digits = 3)
