# The documentation site: help pages, grouped by stage, and vignettes, as pages that work from disk.
# Ends with status 1 where a page is missing or a link leads nowhere.
options(pkgdown.internet = FALSE)
pkgdown::build_site(override = list(destination = "site"), preview = FALSE, devel = TRUE,
  new_process = FALSE, install = FALSE)

# What the README points to.
dir.create("site/docs", showWarnings = FALSE)
invisible(file.copy("docs/screenshots", "site/docs", recursive = TRUE))
dir.create("site/bench", showWarnings = FALSE)
for (page in c("README", "accuracy")) {
  markdown::mark_html(sprintf("bench/%s.md", page), sprintf("site/bench/%s.html", page))
}

pages <- list.files("site", "[.]html$", recursive = TRUE, full.names = TRUE)
broken <- unlist(lapply(pages, function(page) {
  html <- paste(readLines(page, warn = FALSE), collapse = "\n")
  links <- unlist(regmatches(html, gregexpr("(?<=href=\")[^\"]+", html, perl = TRUE)))
  links <- sub("[#?].*$", "", links[!grepl("^([a-z]+:|//|#)", links)])
  links <- unique(links[nzchar(links)])
  gone <- links[!file.exists(file.path(dirname(page), links))]
  if (length(gone)) sprintf("%s: %s", page, gone)
}))
if (length(broken)) writeLines(c("Links that lead nowhere:", broken))
cat(sprintf("%d pages in site/, %d broken links\n", length(pages), length(broken)))
quit(status = as.integer(length(broken) > 0))
