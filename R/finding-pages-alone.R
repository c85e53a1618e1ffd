# What tables by page without queries cannot tell: which queries a page is shown for, and which
# pages are shown together.

# Lines of pages alone: less certain, which is said, and named by the page. Pages that are shown
# beneath another of the site's are no matter of their own titles.
judge_pages_alone <- function(looked, summary) {
  if (!isTRUE(summary$of_pages)) return(looked)
  beneath <- chmatch(looked$found$page, summary$pages$page) %in% shown_beneath(summary)
  if (any(beneath)) {
    codes <- chmatch(looked$found$query[beneath], summary$queries$query)
    looked$excluded <- c(looked$excluded, new_excluded("", "shown_beneath", list(unique(codes))))
  }
  found <- looked$found <- looked$found[!beneath]
  set(found, j = "confidence", value = found$confidence * data_limits$page_mean_trust)
  looked$facts <- c(looked$facts, new_facts("doubt", "doubt_page_mean", found$line))
  looked
}

# Pages (codes) that results show as further links of another, as with its brand: several are shown
# equally often, by more than chance among pages of that size, and one that stands before them is
# shown as often or more.
shown_beneath <- function(summary) {
  shown <- summary$pairs[, .(impressions = sum(impressions),
    position = sum(impressions * position) / sum(impressions)), by = "page"]
  size <- log(shown$impressions)
  equal <- log1p(data_limits$beneath_equal)
  near <- log1p(data_limits$beneath_near)
  others_in <- function(reach) {
    sorted <- sort(size)
    findInterval(size + reach, sorted) - findInterval(size - reach, sorted, left.open = TRUE) - 1L
  }
  others <- others_in(equal)
  # Half a page more than there are, so that no size is held to be impossible.
  by_chance <- (others_in(near) - others + 0.5) * equal / (near - equal)
  many <- stats::ppois(others - 1, by_chance, lower.tail = FALSE) < data_limits$beneath_chance
  before <- vapply(seq_along(size), function(i) {
    many[i] && any(size > size[i] - equal & shown$position < shown$position[i])
  }, NA)
  shown$page[many & others >= 2 & before & shown$position < assumed("page_one_ends")]
}
