# Where queries stood month by month, of a sample of them: what finding-reach.R learns from.

# The queries with the smallest hashes, the same in every chunk, so that sums of chunks can be
# merged.
course_queries <- 3000L

# In: codes, figures and date of rows; keys of the codes. Out: list(sums: query, page (hashes),
# month, impressions, weighted; upto: the largest hash of which nothing is missing).
course_sums <- function(work, date, query_keys, page_keys, most = course_queries) {
  hash <- digest::digest2int(query_keys)
  upto <- if (length(hash) > most) sort(hash, partial = most)[most] else .Machine$integer.max
  use <- which((hash <= upto)[work$query])
  rows <- setDT(list(query = hash[work$query[use]],
    page = digest::digest2int(page_keys)[work$page[use]],
    month = month_number(as.integer(date[use])),
    impressions = as.numeric(work$impressions[use]),
    weighted = work$impressions[use] * work$position[use]))
  list(sums = rows[, .(impressions = sum(impressions), weighted = sum(weighted)),
    by = c("query", "page", "month")],
    upto = upto)
}

add_courses <- function(one, other) {
  if (is.null(one) || is.null(other)) return(if (is.null(one)) other else one)
  upto <- min(one$upto, other$upto)
  sums <- rbind(one$sums, other$sums)
  inside <- which(sums$query <= upto)
  list(sums = sums[inside][, .(impressions = sum(impressions), weighted = sum(weighted)),
    by = c("query", "page", "month")], upto = upto)
}
