#' Parts of the data side by side
#'
#' What [tide_compare()] returns for a split, or for segments: clicks, impressions, CTR and
#' position of each part, its shares, and its CTR against the rest *at equal position*, so that a
#' part which merely ranks better is not called better.
#'
#' @details The ratio of CTR at equal position is the Mantel-Haenszel rate ratio over strata of
#'   half a position (wider from 20 on). Where brand words are given, each part has a row for its
#'   queries without brand and one for its brand queries, each compared with the same of the rest:
#'   a page that brand queries lead to is not called better than one they do not. Its interval
#'   comes from leaving out a fiftieth of the queries at a time (delete-a-group jackknife), so a
#'   query with many impressions counts as one query; it is never narrower than the luck of counts
#'   makes it (Greenland, Robins), which a few queries can hide. CTR and position come from sums.
#' @return A `tide_comparison` object: a list with `parts` (`segment`, `side` (`all`, or
#'   `non-brand` and `brand`), `queries`, `pages`, `clicks`, `impressions`, `ctr`, `position`,
#'   `click_share`, `impression_share` (of all rows), where its impressions stand: `positions_1_3`,
#'   `positions_4_10`, `positions_11_up` (shares of its own), and against the rest `ctr_at_equal`
#'   (what the rest earns at this part's positions), `ratio`, `ratio_low`, `ratio_high` (90 %) and
#'   `chance` (that the part's CTR is the higher one)), `by`, `from`, `to`, `left_out`, `note` (why
#'   segments stand side by side where line by line was asked for, or that there are no queries to
#'   compare at equal position; or `NULL`). Without queries, what needs them is missing; `by` is
#'   then `window` for two windows. Methods: `print`, `tidy`, `plot`, `autoplot`.
#' @references Mantel, Haenszel (1959), Journal of the National Cancer Institute 22, 719-748.
#'   Efron, Tibshirani (1993), An Introduction to the Bootstrap, chapter 11. Greenland, Robins
#'   (1985), Biometrics 41, 55-68.
#' @param x,object A `tide_comparison` object.
#' @param ... Not used.
#' @name tide_comparison
#' @seealso [tide_compare()]
NULL

compare_side_by_side <- function(data, by, segments, rules, most, note = NULL) {
  check_number(most, "most", min = 1)
  if (!is.null(by) && length(segments)) {
    abort_argument("segments", "given without a split of all rows", by)
  }
  if (!length(segments) && only_totals(data, by)) return(compare_totals(data, by, rules, most))
  tbl <-
    segmented_table(data, segments, least = c("query", if (!length(segments)) compare_splits[[by]]))
  # Where the split is by brand, brand cannot be held equal.
  split_by_brand <- identical(by, "brand") ||
    about_brand(segments)
  rules <- with_spellings(rules, tbl$rows)
  rows <- compare_rows(tbl, if (!split_by_brand) rules$brand)
  parts <- if (length(segments)) {
    compare_segments(rows, tbl$rows, segments, rules)
  } else {
    compare_by(rows, tbl, by, rules, most)
  }
  new_comparison(parts, if (is.null(by)) "segment" else by, tbl, data, note)
}

new_comparison <- function(parts, by, table, data, note) {
  of_table <- data$left_out$grain == grain_label(table$dimensions)
  structure(list(parts = parts, by = by, from = table$from, to = table$to,
    left_out = data$left_out[of_table], note = note),
    class = c("tide_comparison", "tide_result"))
}

# What each split needs besides queries.
compare_splits <- list(brand = "query", intent = "query", page_group = "page", band = "query",
  words = "query", term = c("query", "page"), country = "country", device = "device",
  vertical = "vertical", rich_result = "rich_result")

# Rows in codes, with the stratum of equal position, the side (brand or not), and the group of
# queries that is left out together.
compare_rows <- function(table, brand) {
  rows <- table$rows
  queries <- code_queries(rows$query, rows$impressions)
  side <- if (length(brand)) {
    ifelse(is_brand(queries$keys, brand), "brand", "non-brand")[queries$code]
  } else {
    rep("all", nrow(rows))
  }
  pages <- code_pages(rows[["page"]], rows$impressions)
  list(
    queries = queries,
    pages = pages,
    rows = setDT(list(query = queries$code,
      page = pages$code,
      stratum = position_bin(rows$position), band = findInterval(rows$position, c(3.5, 10.5)),
      side = side, fold = queries$code %% 50L + 1L, clicks = as.numeric(rows$clicks),
      impressions = as.numeric(rows$impressions), weighted = rows$impressions * rows$position)))
}

compare_segments <- function(made, rows, segments, rules) {
  inside <- segments_inside(rows, segments, rules)
  sums <- lapply(inside, function(hit) reduce_strata(made$rows[hit]))
  totals <- lapply(c(clicks = "clicks", impressions = "impressions"), function(of) {
    sum(made$rows[[of]][Reduce(`|`, inside)])
  })
  rbindlist(lapply(1:2, function(i) compare_part(names(inside)[i], sums[[i]], sums[[3 - i]],
    totals)))
}

compare_by <- function(made, table, by, rules, most) {
  label <- part_labels(made, table, by, rules)
  if (by %in% c("country", "term", "page_group")) {
    label <- most_seen(label, made$rows$impressions, most)
  }
  rows <- reduce_strata(set(copy(made$rows), j = "label", value = label))
  in_sequence <- if (by == "band") {
    band_names(rules$bands)
  } else if (by == "words") {
    length_names
  } else {
    NULL
  }
  part_names_here <- if (is.null(in_sequence)) sort(unique(label)) else intersect(in_sequence,
    label)
  out <- rbindlist(lapply(part_names_here, function(name) {
    own <- rows$label == name
    compare_part(name, rows[own], if (by == "band") rows[0] else rows[!own],
      lapply(rows[, c("clicks", "impressions")], sum))
  }))
  whole <- stats::ave(out$clicks, out$segment, FUN = sum)
  if (is.null(in_sequence)) out <- out[order(-whole, out$segment)]
  out[order(out$segment == "other")]
}

# Sums are all that the comparison needs of rows.
reduce_strata <- function(rows) {
  sums_by(rows,
    c("query", "page", "stratum", "band", "side", "fold", intersect("label", names(rows))),
    c("clicks", "impressions", "weighted"))
}

part_labels <- function(made, table, by, rules) {
  if (by == "brand" && !length(rules$brand)) {
    abort_argument("rules", "rules with brand words", rules$brand)
  }
  if (by %in% table$dimensions) set(made$rows, j = by, value = as_levels(table$rows[[by]]))
  label <- row_labels(by, made, rules)
  label$names[label$code]
}

# Labels beyond the ones seen most become "other".
most_seen <- function(label, weight, most) {
  sums <- sums_by(data.table(label = label, weight = weight), "label", "weight")
  setorderv(sums, c("weight", "label"), c(-1L, 1L))
  ifelse(label %in% utils::head(sums$label, most), label, "other")
}

# A row for each side of a part. all: clicks and impressions of everything, for the shares.
compare_part <- function(name, own, rest, all) {
  sides <- intersect(c("all", "non-brand", "brand"), own$side)
  rbindlist(lapply(sides, function(side) {
    here <- which(own$side == side)
    own_side <- own[here]
    impressions <- sum(own_side$impressions)
    stands <- function(band) sum(own_side$impressions[own_side$band %in% band]) / impressions
    there <- which(rest$side == side)
    equal <- ratio_at_equal_position(own_side, rest[there])
    ctr <- sum(own_side$clicks) / impressions
    data.table(segment = name, side = side, queries = length(unique(own_side$query)),
      pages = length(unique(own_side$page)), clicks = sum(own_side$clicks),
      impressions = impressions,
      ctr = ctr, position = sum(own_side$weighted) / impressions,
      click_share = sum(own_side$clicks) / all$clicks,
      impression_share = impressions / all$impressions,
      positions_1_3 = stands(0), positions_4_10 = stands(1), positions_11_up = stands(2),
      ctr_at_equal = ctr / equal$ratio, ratio = equal$ratio, ratio_low = equal$low,
      ratio_high = equal$high, chance = equal$chance)
  }))
}

# Mantel-Haenszel rate ratio over strata, with a jackknife over groups of queries, and at least the
# variance of counts.
ratio_at_equal_position <- function(own, rest) {
  none <- list(ratio = NA_real_, low = NA_real_, high = NA_real_, chance = NA_real_)
  strata <- intersect(own$stratum, rest$stratum)
  if (!length(strata)) return(none)
  sums <- function(rows, of) {
    out <- matrix(0, length(strata), 50)
    at <- match(rows$stratum, strata)
    used <- which(!is.na(at))
    by <- rowsum(rows[[of]][used], at[used] * 100L + rows$fold[used])
    code <- as.integer(rownames(by))
    out[cbind(code %/% 100L, code %% 100L)] <- by
    out
  }
  parts <- list(a = sums(own, "clicks"), n1 = sums(own, "impressions"), b = sums(rest, "clicks"),
    n0 = sums(rest, "impressions"))
  strata_sums <- lapply(parts, rowSums)
  ratio_of <- function(a, n1, b, n0) {
    total <- pmax(n1 + n0, 1)
    sum(a * n0 / total) / sum(b * n1 / total)
  }
  ratio <- do.call(ratio_of, strata_sums)
  if (!is.finite(ratio) || ratio <= 0) return(none)
  used <- which(colSums(parts$n1) + colSums(parts$n0) > 0)
  without <- log(vapply(used,
    function(g) do.call(ratio_of, Map(function(whole, by) whole - by[, g], strata_sums, parts)), 0))
  without <- without[is.finite(without)]
  k <- length(without)
  if (k < 5) return(none)
  total <- pmax(strata_sums$n1 + strata_sums$n0, 1)
  of_counts <- sum((strata_sums$a + strata_sums$b) * strata_sums$n1 * strata_sums$n0 / total^2) /
    (sum(strata_sums$a * strata_sums$n0 / total) * sum(strata_sums$b * strata_sums$n1 / total))
  se <- sqrt(max((k - 1) / k * sum((without - mean(without))^2), of_counts))
  reach <- stats::qt(0.95, k - 1) * se
  list(ratio = ratio, low = exp(log(ratio) - reach), high = exp(log(ratio) + reach),
    chance = stats::pt(log(ratio) / se, k - 1))
}

#' @rdname tide_comparison
#' @export
tidy.tide_comparison <- function(x, ...) tibble::as_tibble(x$parts)

#' @rdname tide_comparison
#' @export
summary.tide_comparison <- function(object, ...) tidy(object)

# Curves compared: two of them, or all from one month on with those before.

#' @rdname tide_compare
#' @export
tide_compare.tide_curve <- function(data, one, other, position = 1:10, ...) {
  check_no_more(...)
  curve <- data
  for (name in c("one", "other")) {
    if (!get(name) %in% names(curve$fits)) {
      abort_argument(name, paste0("one of '", paste(names(curve$fits), collapse = "', '"), "'"),
        get(name))
    }
  }
  a <- curve_at(curve, position, one)
  b <- curve_at(curve, position, other)
  error <- sqrt(curve_log_se(curve, position, rep(one, length(position)))^2 +
    curve_log_se(curve, position, rep(other, length(position)))^2)
  gap <- log(a$ctr / b$ctr)
  reach <- stats::qnorm(1 - (1 - curve$level) / 2) * error
  tibble::tibble(position = position, ratio = exp(gap), ratio_low = exp(gap - reach),
    ratio_high = exp(gap + reach), chance = stats::pnorm(gap / error))
}

#' @rdname tide_compare
#' @export
tide_compare.tide_summary <- function(data, ...) {
  check_no_more(...)
  site_summary <- data
  if (!identical(site_summary$split, "month")) {
    abort_argument("data", paste("rows, as tide_read() gives them; of a summary only one with",
      "split = \"month\" can be compared"), site_summary)
  }
  # The same query in the same half position on both sides: what is compared is the page of results,
  # not the mix.
  cells <- site_summary$split_cells
  cells <- cells[site_summary$queries$segment[cells$query] != "brand"]
  set(cells, j = "stratum", value = cells$bin)
  set(cells, j = "fold", value = cells$query %% 50L + 1L)
  month_rows <- sort(unique(cells$part))
  empty <- data.table(month = character(), ratio = numeric(), ratio_low = numeric(),
    ratio_high = numeric(), luck = numeric(), changed = logical())
  if (length(month_rows) < 2) return(tibble::as_tibble(empty))
  cuts <- month_rows[-1]
  out <- rbindlist(lapply(cuts, function(cut) {
    late <- cells$part >= cut
    found <- ratio_at_equal_position(cells[late], cells[!late])
    data.table(month = cut, ratio = found$ratio, ratio_low = found$low, ratio_high = found$high,
      luck = min(1, 2 * min(found$chance, 1 - found$chance) * length(cuts)))
  }))
  clearest <- which.min(out$luck)
  out[, "changed" := seq_len(.N) == clearest & luck < 0.05 & abs(log(ratio)) > log(1.05)]
  tibble::as_tibble(out)
}
