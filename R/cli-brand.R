# The brand of a file, where nobody names it: brand queries are clicked far more than others at the
# same position, so a curve of both at once misjudges both.

# In: files that no project describes. Out: brand words that the queries themselves show, said
# beneath the answer, or NULL.
guessed_brand <- function(options, files, settings) {
  guess <- null_if_it_fails(clear_brand(first_rows_summary(options, files, settings)))
  if (is.null(guess)) return(NULL)
  remark(options, weight = 3, sprintf(paste(
    "  \"%s\" is taken as the brand (%s in the first rows):",
    "--brand WORDS names others, --brand none says that there is none"), guess$word,
    format_plural(guess$clicks, "click")))
  guess$word
}

# As much of each file as tells what people search for most: a brand is among the first rows of any.
first_rows_bytes <- 2 * 2^20

first_rows_summary <- function(options, files, settings) {
  scratch <- new_scratch()
  on.exit(unlink(scratch, recursive = TRUE))
  small <- file.size(files) <= first_rows_bytes
  text <- grepl("[.](csv|tsv|txt)$", files, ignore.case = TRUE)
  files <- c(files[small], vapply(files[!small & text], first_lines, "", dir = scratch))
  if (!length(files)) return(NULL)
  tide_summary(do.call(tide_read, c(list(files, lag = 0, exported = options$exported),
    reading_rules(options, settings))))
}

# A copy of a file's first whole lines.
first_lines <- function(file, dir) {
  part <- readBin(file, "raw", first_rows_bytes)
  ends <- which(part == as.raw(0x0a))
  path <- file.path(dir, basename(file))
  if (length(ends)) writeBin(part[seq_len(max(ends))], path)
  path
}

# A brand that leaves no doubt: what is searched for by itself stands at the top of the site's
# results, and is clicked as only a name is.
clear_brand <- function(site_summary) {
  # Pages alone hold no queries that could name one.
  with_queries <- !is.null(site_summary) && !isTRUE(site_summary$of_pages)
  guess <- if (with_queries) likely_brand(site_summary)
  if (is.null(guess)) return(NULL)
  keys <- site_summary$queries$key
  alone <- which(is_brand(keys, guess$word) & !nzchar(brand_modifiers(keys, guess$word)))
  sums <- reduce_pairs(site_summary$cells)
  sums <- sums[sums$query %in% alone]
  if (!nrow(sums)) return(NULL)
  home <- sums[which.max(sums$clicks)]
  position <- home$weighted / home$impressions
  if (position <= data_limits$brand_position && home$clicks >= data_limits$brand_ctr *
    home$impressions) guess
}
